"""Edits that cure a close passage, or accept it."""

from collections.abc import Callable
from dataclasses import replace
from typing import Final, Literal, NamedTuple

from recitant_core.errors import NotThere
from recitant_core.gain.duck_drawing import deepened
from recitant_core.gain.trim import trim_lowered
from recitant_core.render.accepted import with_accepted
from recitant_core.timeline import edits
from recitant_core.timeline.curve_edits import stretch_raised
from recitant_core.timeline.model import Plan
from recitant_core.units.clock import SampleSpan
from recitant_core.units.timecode import timecode_from_samples
from recitant_text.steps import Label, label
from recitant_web.desk.edits.ducking import AddDuck, duck_by_id, role_that_ducks, with_duck
from recitant_web.desk.edits.labels import clip_fact, duck_fact
from recitant_web.desk.edits.registry import PlanEdit
from recitant_web.programme.models import Programme
from recitant_web.shared.shapes import Db, Samples, TargetId


class Cure(PlanEdit, frozen=True, kw_only=True, tag="cure"):
    """A remedy of a close passage."""

    code: Literal["raise-clip", "raise-phrase", "lower-clip", "deepen", "add-duck", "make-room", "trim-scene", "accept"]
    target_id: TargetId
    by_db: Db
    start_sample: Samples
    length_samples: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        span = SampleSpan(max(0, self.start_sample), max(1, self.length_samples))
        at = timecode_from_samples(span.start_sample, programme.frame_rate)
        return _BY_CODE[self.code](_Asked(self, plan, span, at))


class Unaccept(PlanEdit, frozen=True, kw_only=True, tag="unaccept"):
    """An accepted passage counts as close again."""

    start_sample: Samples
    length_samples: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        span = SampleSpan(max(0, self.start_sample), max(1, self.length_samples))
        at = timecode_from_samples(span.start_sample, programme.frame_rate)
        return with_accepted(plan, span, is_accepted_now=False), label("passage-not-accepted", at=at)


class _Asked(NamedTuple):
    """A remedy with the plan, the passage and its timecode."""

    cure: Cure
    plan: Plan
    span: SampleSpan
    at: str


def _clip_levelled(asked: _Asked) -> tuple[Plan, Label]:
    what = _clip_fact(asked.plan, asked.cure.target_id)
    by_db = abs(asked.cure.by_db) * (-1.0 if asked.cure.code == "lower-clip" else 1.0)
    after = edits.set_clips(asked.plan, [asked.cure.target_id], lambda clip: edits.levelled(clip, by_db))
    return after, label("clip-levelled", what=what, by_db=by_db, at=asked.at)


def _phrase_raised(asked: _Asked) -> tuple[Plan, Label]:
    what, by_db = _clip_fact(asked.plan, asked.cure.target_id), abs(asked.cure.by_db)
    after = edits.set_clips(asked.plan, [asked.cure.target_id], lambda clip: stretch_raised(clip, asked.span, by_db))
    return after, label("phrase-levelled", what=what, by_db=by_db, at=asked.at)


def _deepened(asked: _Asked) -> tuple[Plan, Label]:
    duck = duck_by_id(asked.plan, asked.cure.target_id)
    points = deepened(duck.points, asked.span, abs(asked.cure.by_db), duck.rule)
    step = label("dip-deepened", what=duck_fact(asked.plan, duck), by_db=abs(asked.cure.by_db), at=asked.at)
    return with_duck(asked.plan, replace(duck, points=points)), step


def _room_made(asked: _Asked) -> tuple[Plan, Label]:
    duck = duck_by_id(asked.plan, asked.cure.target_id)
    rule = replace(duck.rule, room=replace(duck.rule.room, is_on=True), is_made=False)
    return with_duck(asked.plan, replace(duck, rule=rule)), label("room-made", what=duck_fact(asked.plan, duck))


def _scene_lowered(asked: _Asked) -> tuple[Plan, Label]:
    role, by_db = role_that_ducks(asked.cure.target_id), -abs(asked.cure.by_db)
    trim = trim_lowered(asked.plan.stem_trim(role), asked.span.start_sample, by_db, asked.plan.span.end_sample)
    step = label("scene-lowered", role=role.value, by_db=by_db, at=asked.at)
    return replace(asked.plan, stem_trims=asked.plan.stem_trims | {role: trim}), step


def _accepted(asked: _Asked) -> tuple[Plan, Label]:
    return with_accepted(asked.plan, asked.span, is_accepted_now=True), label("passage-accepted", at=asked.at)


def _duck_added(asked: _Asked) -> tuple[Plan, Label]:
    return AddDuck(revision=asked.cure.revision, target="stem", id=asked.cure.target_id).planned_alone(asked.plan)


def _clip_fact(plan: Plan, clip_id: str) -> dict[str, str]:
    if clip_id not in edits.clips_by_id(plan):
        raise NotThere()
    return clip_fact(plan, clip_id)


_BY_CODE: Final[dict[str, Callable[[_Asked], tuple[Plan, Label]]]] = {
    "raise-clip": _clip_levelled,
    "lower-clip": _clip_levelled,
    "raise-phrase": _phrase_raised,
    "deepen": _deepened,
    "make-room": _room_made,
    "trim-scene": _scene_lowered,
    "accept": _accepted,
    "add-duck": _duck_added,
}
