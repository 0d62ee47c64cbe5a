"""Edits of how stems and tracks give way to speech."""

from dataclasses import replace
from typing import Any, Literal

from recitant_core.errors import EditRefused, MalformedRequest, NotThere
from recitant_core.gain.duck_drawing import point_added, point_moved, point_removed, released
from recitant_core.gain.duck_rule import DUCK_PRESETS, DuckAim, levels_rule
from recitant_core.gain.trim import LEAST_TRIM_DB, MOST_TRIM_DB, trim_set
from recitant_core.interchange.plan_json import rule_from_data
from recitant_core.timeline import edits
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Duck, Plan
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role, is_role
from recitant_core.units.timecode import timecode_from_samples
from recitant_text.sentences import gain_text
from recitant_text.steps import Label, label
from recitant_web.desk.edits.labels import duck_fact
from recitant_web.desk.edits.registry import PlanEdit
from recitant_web.desk.mapping.ducks import duck_fields, rule_data
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import spec_of
from recitant_web.shared.shapes import Db, Id, Lu, Place, Samples, TargetId, Text, figure_of

_RULE_TEXTS = {"kind", "aim", "start"}
_RULE_FLAGS = {"uses_phrases", "uses_level", "is_frozen", "is_on"}
_UNITS = {"db": "dB", "lu": "LU", "s": "seconds", "ms": "milliseconds", "hz": "Hz", "dbfs": "dBFS"}


class RulePatch(dict[str, Any]):
    """Fields of a rule with numbers as somebody typed them; which fields there are, the rule itself says."""

    @classmethod
    def read(cls, value: Any) -> "RulePatch":
        """From a dictionary of at most 40 fields.

        Raises:
            EditRefused: a number that is none; the sentence names its unit.
        """
        if not isinstance(value, dict) or len(value) > 40:
            raise ValueError("rule")
        return cls((str(name)[:40], _rule_value(str(name), part)) for name, part in value.items())


def _rule_value(name: str, value: Any) -> Any:
    if name in ("room", "live"):
        return RulePatch.read(value)
    if name == "keys":
        return [str(Id.read(one)) for one in value]
    if name in _RULE_TEXTS:
        return str(Text.read(value))
    if name in _RULE_FLAGS:
        return bool(value)
    if name == "clearance_lu" and value in (None, ""):
        return None
    unit = _UNITS.get(name.rsplit("_", 1)[-1], "that")
    return float(figure_of(unit).read(value))


class AddDuck(PlanEdit, frozen=True, kw_only=True, tag="duck-add"):
    """A stem or a track that gives way from now on."""

    target: Literal["stem", "track"]
    id: TargetId
    start: Text = Text()

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        return self.planned_alone(plan)

    def planned_alone(self, plan: Plan) -> tuple[Plan, Label]:
        """The edited plan, from the plan alone; see planned."""
        start = DUCK_PRESETS.get(self.start)
        if self.target == "stem":
            role = role_that_ducks(self.id)
            if plan.duck_of_stem(role) is not None:
                raise EditRefused("duck_there")
            rule = start or levels_rule(role.value)
            duck = Duck(f"{edits.NEW}duck", role, "", rule)
        else:
            track = next((t for t in plan.tracks if t.track_id == self.id), None)
            if track is None or track.role is Role.NARRATION:
                raise NotThere()
            if plan.duck_of_track(track.track_id) is not None:
                raise EditRefused("duck_there")
            rule = start or levels_rule(track.role.value)
            duck = Duck(f"{edits.NEW}duck", None, track.track_id, rule)
        return replace(plan, ducks=(*plan.ducks, duck)), label("ducked", what=duck_fact(plan, duck))


class RemoveDuck(PlanEdit, frozen=True, kw_only=True, tag="duck-remove"):
    """It no longer gives way."""

    id: Id

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        duck = duck_by_id(plan, self.id)
        ducks = tuple(d for d in plan.ducks if d is not duck)
        return replace(plan, ducks=ducks), label("no-longer-ducked", what=duck_fact(plan, duck))


class SetRule(PlanEdit, frozen=True, kw_only=True, tag="duck-rule"):
    """Fields of the rule."""

    id: Id
    rule: RulePatch

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        duck = duck_by_id(plan, self.id)
        patch = self.rule
        if "start" in patch:
            start = DUCK_PRESETS.get(str(patch["start"]))
            if start is None:
                raise MalformedRequest("malformed", field="rule.start")
            rule = replace(start, keys=duck.rule.keys, room=duck.rule.room, live=duck.rule.live)
            step = label("ducked-as", what=duck_fact(plan, duck), start=str(patch["start"]))
            return with_duck(plan, replace(duck, rule=rule)), step
        now = rule_data(duck.rule)
        for name, value in patch.items():
            if name in ("room", "live") and isinstance(value, dict):
                now[name] = now[name] | value
            else:
                now[name] = value
        voices = {track.track_id for track in plan.tracks if track.role.is_speech}
        if not set(now["keys"]) <= voices:
            raise NotThere()
        now["is_made"] = False
        return with_duck(plan, replace(duck, rule=rule_from_data(now))), label("duck-rule", what=duck_fact(plan, duck))


class MoveDuckPoint(PlanEdit, frozen=True, kw_only=True, tag="duck-point"):
    """A point of the curve drawn elsewhere; it is pinned."""

    id: Id
    index: Samples
    at_sample: Place
    gain_db: Db

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        duck = _duck_with_point(plan, self.id, self.index)
        points = point_moved(duck.points, self.index, self.at_sample, self.gain_db)
        step = label("dip-drawn", what=duck_fact(plan, duck), gain_db=points[self.index].gain_db)
        return with_duck(plan, replace(duck, points=points)), step


class AddDuckPoint(PlanEdit, frozen=True, kw_only=True, tag="duck-point-add"):
    """A point on the curve."""

    id: Id
    at_sample: Place

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        duck = duck_by_id(plan, self.id)
        points = point_added(duck.points, self.at_sample)
        return with_duck(plan, replace(duck, points=points)), label("duck-point-added", what=duck_fact(plan, duck))


class RemoveDuckPoint(PlanEdit, frozen=True, kw_only=True, tag="duck-point-remove"):
    """A point off the curve."""

    id: Id
    index: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        duck = _duck_with_point(plan, self.id, self.index)
        points = point_removed(duck.points, self.index)
        return with_duck(plan, replace(duck, points=points)), label("duck-point-removed", what=duck_fact(plan, duck))


class ReleaseDuck(PlanEdit, frozen=True, kw_only=True, tag="duck-release"):
    """Pinned points of a range follow the rule again."""

    id: Id
    from_sample: Samples
    to_sample: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        duck = duck_by_id(plan, self.id)
        span = SampleSpan(self.from_sample, max(0, self.to_sample - self.from_sample))
        points = released(duck.points, span)
        if points == duck.points:
            return plan, label("dip-released", what=duck_fact(plan, duck))
        return with_duck(plan, replace(duck, points=points)), label("dip-released", what=duck_fact(plan, duck))


class SetStemLevels(PlanEdit, frozen=True, kw_only=True, tag="stem-levels"):
    """The two levels of a stem: in the open, by its fader, and under speech, by its dips."""

    id: Id
    open_lu: Lu
    under_lu: Lu

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        duck = duck_by_id(plan, self.id)
        if duck.stem is None or duck.rule.aim is not DuckAim.LEVELS:
            raise NotThere()
        by_db = float(self.open_lu) - duck.rule.open_lu
        now = plan.stem_gain_db(duck.stem)
        gain_db = round(min(max(now + by_db, LEAST_GAIN_DB), MOST_GAIN_DB), 2)
        data = rule_data(duck.rule) | {
            "open_lu": round(float(self.open_lu), 1),
            "under_lu": round(float(self.under_lu), 1),
            "is_made": False,
        }
        after = with_duck(plan, replace(duck, rule=rule_from_data(data)))
        if gain_db != now:
            after = replace(after, stem_gains_db=after.stem_gains_db | {duck.stem: gain_db})
        aim = spec_of(programme).aim_lufs(Role.DIALOGUE) + plan.programme_gain_db
        open_lufs, under_lufs = aim + data["open_lu"], aim + data["under_lu"]
        return after, label("stem-levels", role=duck.stem.value, open_lufs=open_lufs, under_lufs=under_lufs)


class SetTrim(PlanEdit, frozen=True, kw_only=True, tag="trim-scene"):
    """The gain of a scene of a stem set by hand; 0 leaves it as it came."""

    role: TargetId
    start_sample: Place
    gain_db: Db

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        role = role_that_ducks(self.role)
        if not LEAST_TRIM_DB <= self.gain_db <= MOST_TRIM_DB:
            found = gain_text(self.gain_db)
            raise EditRefused("gain_out_of_range", found=found, least_db=LEAST_TRIM_DB, most_db=MOST_TRIM_DB)
        trim = trim_set(plan.stem_trim(role), self.start_sample, float(self.gain_db))
        at = timecode_from_samples(self.start_sample, programme.frame_rate)
        step = label("scene-trimmed", role=role.value, gain_db=float(self.gain_db), at=at)
        return replace(plan, stem_trims=plan.stem_trims | {role: trim}), step


def duck_by_id(plan: Plan, duck_id: str) -> Duck:
    """The duck of an id.

    Raises:
        EditRefused: no such.
    """
    found = next((duck for duck in plan.ducks if duck.duck_id == duck_id), None)
    if found is None:
        raise EditRefused("no_duck")
    return found


def _duck_with_point(plan: Plan, duck_id: str, index: int) -> Duck:
    duck = duck_by_id(plan, duck_id)
    if not 0 <= index < len(duck.points):
        raise NotThere()
    return duck


def with_duck(plan: Plan, duck: Duck) -> Plan:
    """The plan with one duck exchanged; the same plan where its row would stay as it is."""
    ducks = tuple(duck if d.duck_id == duck.duck_id else d for d in plan.ducks)
    if all(duck_fields(a) == duck_fields(b) for a, b in zip(ducks, plan.ducks, strict=True)):
        return plan
    return replace(plan, ducks=ducks)


def role_that_ducks(text: str) -> Role:
    """A role whose stem can give way.

    Raises:
        EditRefused: narration, or no role.
    """
    if not is_role(text) or Role(text).kind is Role.NARRATION:
        raise EditRefused("duck_of_narration", field="stem")
    return Role(text)
