"""Dips under speech: each stem between its two levels, one depth a run of talk, with room in the spectrum."""

from dataclasses import replace
from typing import Any, Final

import numpy as np

from recitant_core.balance.first_balance_values import NEARER_LU, Choices, Step
from recitant_core.balance.steps.run import Run, kept
from recitant_core.gain.duck_rule import CONSONANTS, DUCK_PRESETS, MOST_DEPTH_DB, DuckAim, DuckRule, Room, levels_rule
from recitant_core.gain.ducking import DuckPoint, Points, dips, points_db
from recitant_core.measure.clearance import close_passages
from recitant_core.timeline.model import Duck, Plan
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role

LEADING_OPEN_LU: Final = 0.0  # where music leads, its own level in the open is the programme's
LEADING_BRIDGE_S: Final = 2.0  # and it comes back sooner
ROOMY_CHOICES: Final = ("clear", "strong")
_NEW_DUCK: Final = "new "


def rule_of_choice(choices: Choices, role: Role, leads: str) -> DuckRule:
    """The rule that the choices stand for."""
    most_db = MOST_DEPTH_DB[choices.ducking]
    rule = levels_rule(role.value, most_db, NEARER_LU.get(choices.nearness(role), 0.0))
    has_room = choices.ducking in ROOMY_CHOICES and rule.under_lu < rule.open_lu and not role.is_speech
    rule = replace(rule, is_made=True, room=CONSONANTS if has_room else Room())
    if leads == "music" and role.kind is not Role.ATMOSPHERE:
        rule = replace(rule, open_lu=LEADING_OPEN_LU, bridge_s=LEADING_BRIDGE_S)
    return rule


def duck(run: Run, plan: Plan, leads: str) -> Step:
    """Let every stem but those that are to be understood keep its two levels; dialogue does under narration."""
    material, part = run.material, run.choices.part
    changes: list[dict[str, Any]] = []
    before_scene = run.scene(plan)
    before = close_passages(before_scene.clearance(plan), material.asked_lu, material.least_s)
    ducks, was = [], {one.duck_id: one for one in plan.ducks}
    for one in plan.ducks:
        name = _name(one, plan)
        if any(point.is_pinned for point in one.points):
            changes.append(kept(name, "pinned"))
        role = one.stem
        if role is not None and is_of_a_choice(one.rule):
            ducks.append(replace(one, rule=rule_of_choice(run.choices, role, leads)))
        else:
            changes.append(kept(name, "rule"))
            ducks.append(one)
    if before_scene.speech:
        for role in plan.roles:
            tracks = [track for track in plan.tracks if track.role is role]
            has_own = any(one.stem is None and one.acts_on(track) for one in ducks for track in tracks)
            has_narration = any(one.kind is Role.NARRATION for one in plan.roles)
            gives_way = not role.is_speech or (role.kind is Role.DIALOGUE and has_narration)
            if gives_way and plan.duck_of_stem(role) is None and not has_own:
                rule = rule_of_choice(run.choices, role, leads)
                ducks.append(Duck(f"{_NEW_DUCK}{role.value}", role, "", rule))
    after = run.follow(replace(before_scene, plan=replace(plan, ducks=tuple(ducks))))
    if part is not None:
        after = replace(after, ducks=tuple(_only_in(part, was.get(one.duck_id), one) for one in after.ducks))
    changes += _dips_made(after)
    return Step("duck", {"close_before": len(before), "leads": leads}, tuple(changes), after)


def _name(one: Duck, plan: Plan) -> str:
    if one.stem is not None:
        return one.stem.label.lower()
    return next((track.name for track in plan.tracks if track.track_id == one.track_id), one.track_id)


def is_of_a_choice(rule: DuckRule) -> bool:
    """Whether a first balance made a rule and nobody changed it since."""
    if rule.is_made:
        return True
    # Rules of first balances before there were two levels: a starting point, asked for more, its bridge made longer.
    bare = replace(rule, over_lu=0.0)
    return rule.aim is DuckAim.CLEARANCE and any(
        bare == replace(DUCK_PRESETS[name], bridge_s=rule.bridge_s) for name in ("documentary", "talk-over-bed")
    )


def _only_in(part: SampleSpan, old: Duck | None, new: Duck) -> Duck:
    points, room_points = ((), ()) if old is None else (old.points, old.room_points)
    return replace(
        new,
        points=_spliced(points, new.points, part),
        room_points=_spliced(room_points, new.room_points, part),
    )


def _spliced(old: Points, new: Points, part: SampleSpan) -> Points:
    # The old curve outside of the part, the new one in it.
    begin, end = part.start_sample, part.end_sample
    edges = np.array([begin, end], dtype=np.float64)
    was, now = points_db(old, edges), points_db(new, edges)
    inside = [p for p in new if begin < p.at_sample < end]
    laid = [
        *(p for p in old if p.at_sample < begin),
        *([DuckPoint(begin - 1, round(float(was[0]), 2))] if begin > 0 and was[0] != now[0] else []),
        DuckPoint(begin, round(float(now[0]), 2)),
        *inside,
        DuckPoint(end, round(float(now[1]), 2)),
        *([DuckPoint(end + 1, round(float(was[1]), 2))] if was[1] != now[1] else []),
        *(p for p in old if p.at_sample > end + 1),
    ]
    places = {p.at_sample: p for p in laid}
    found = tuple(places[at] for at in sorted(places))
    return found if any(p.gain_db for p in found) else ()


def _dips_made(plan: Plan) -> list[dict[str, Any]]:
    changes = []
    for one in plan.ducks:
        found = dips(one.points)
        name = _name(one, plan)
        change: dict[str, Any] = {"what": "duck", "name": name, "dips": len(found), "is_even": False}
        if one.rule.aim is DuckAim.LEVELS:
            change["is_even"] = one.rule.under_lu >= one.rule.open_lu
        if found:
            depths = [dip.depth_db for dip in found]
            change |= {"deepest_db": min(depths), "shallowest_db": max(depths)}
        if one.rule.room.is_on:
            change["room_db"] = min((point.gain_db for point in one.room_points), default=0.0)
        changes.append(change)
    return changes
