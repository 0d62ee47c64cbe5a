"""Ducks: rows to values and back."""

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from recitant_core.gain.duck_rule import DuckRule
from recitant_core.gain.ducking import DuckPoint
from recitant_core.interchange.plan_json import rule_from_data, rule_to_data
from recitant_core.timeline.changes import Change
from recitant_core.timeline.model import Duck, Plan
from recitant_core.units.roles import Role
from recitant_web.desk import models
from recitant_web.desk.log import deleted, inserted
from recitant_web.programme.models import Programme


def duck_of_row(row: "models.Duck") -> Duck:
    """A duck row as the core knows it."""
    stem = Role(row.stem) if row.stem else None
    track_id = "" if row.track_id is None else str(row.track_id)
    rule = rule_from_data(row.rule)
    return Duck(str(row.pk), stem, track_id, rule, _points(row.points), _points(row.room_points))


def duck_fields(duck: Duck) -> dict[str, Any]:
    """The fields of a duck row that the core decides on."""
    return {
        "rule": rule_to_data(duck.rule),
        "points": points_data(duck.points),
        "room_points": points_data(duck.room_points),
    }


def points_data(points: Iterable[DuckPoint]) -> list[list[Any]]:
    """Points as they are stored and sent to the page."""
    return [[p.at_sample, p.gain_db, p.is_pinned] for p in points]


def duck_changes(programme: Programme, before: Plan, after: Plan) -> tuple[list[Change], list[Change], dict[str, str]]:
    """Differences of ducks in rows: changes to carry out, changes carried out already, and ids that new rows got."""
    was = {duck.duck_id: duck for duck in before.ducks}
    changes: list[Change] = []
    made: list[Change] = []
    names: dict[str, str] = {}
    for duck in after.ducks:
        fields = duck_fields(duck)
        if duck.duck_id in was:
            old = duck_fields(was[duck.duck_id])
            changed = {name: [old[name], value] for name, value in fields.items() if old[name] != value}
            if changed:
                changes.append({"table": "duck", "id": int(duck.duck_id), "set": changed})
            continue
        stem = duck.stem.value if duck.stem is not None else ""
        row = models.Duck.objects.create(
            programme=programme, stem=stem, track_id=int(duck.track_id) if duck.track_id else None, **fields
        )
        made.append(inserted("duck", row))
        names[duck.duck_id] = str(row.pk)
    gone = [int(duck_id) for duck_id in was if duck_id not in {duck.duck_id for duck in after.ducks}]
    changes += [deleted("duck", row) for row in models.Duck.objects.filter(pk__in=gone)]
    return changes, made, names


def with_duck_names(plan: Plan, names: dict[str, str]) -> Plan:
    """The plan with the ids that new ducks got as rows."""
    if not names:
        return plan
    ducks = tuple(replace(duck, duck_id=names.get(duck.duck_id, duck.duck_id)) for duck in plan.ducks)
    return replace(plan, ducks=ducks)


def _points(data: list[Any]) -> tuple[DuckPoint, ...]:
    return tuple(DuckPoint(int(at), float(gain_db), bool(is_pinned)) for at, gain_db, is_pinned in data)


def rule_data(rule: DuckRule) -> dict[str, Any]:
    """Every field of a rule, as the page shows it."""
    data = {name: value for name, value in vars(rule).items() if name not in ("room", "live", "keys")}
    return data | {"room": dict(vars(rule.room)), "live": dict(vars(rule.live)), "keys": list(rule.keys)}


def duck_name(plan: Plan, duck: Duck) -> str:
    """Name of a duck's target, in words."""
    if duck.stem is not None:
        return duck.stem.value
    return next((t.name for t in plan.tracks if t.track_id == duck.track_id), "track")
