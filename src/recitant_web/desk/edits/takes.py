"""Edits of takes: clips held as one, another take chosen, matched, dropped, laid side by side."""

from contextlib import suppress
from dataclasses import replace
from typing import Literal

from recitant_core.errors import EditRefused, NotThere
from recitant_core.intake.microphones import microphone_of, scene_of
from recitant_core.measure.moments import settled_offset
from recitant_core.timeline.edits import clips_by_id, set_clips
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.takes import (
    gathered,
    gathered_in_step,
    in_order,
    matched,
    side_by_side,
    with_take,
    without_take,
)
from recitant_text.steps import Label, label
from recitant_web.desk.edits.arranging import with_new_track
from recitant_web.desk.edits.labels import clip_fact
from recitant_web.desk.edits.registry import PlanEdit
from recitant_web.desk.energies import known_energies, known_source
from recitant_web.desk.levels import levels_in_mix
from recitant_web.desk.mapping.plans import lengths_of_plan
from recitant_web.desk.mapping.speech import speech_of
from recitant_web.desk.moments import moments_of
from recitant_web.programme.models import Programme
from recitant_web.shared.shapes import Id, Ids, Samples


class GatherTakes(PlanEdit, frozen=True, kw_only=True, tag="takes-gather"):
    """Clips over each other held as takes of one clip; the first one sounds."""

    ids: Ids

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        step = label("takes-held", n=len(self.ids), what=clip_fact(plan, self.ids[0]))
        return gathered(plan, self.ids), step


class GatherInStep(PlanEdit, frozen=True, kw_only=True, tag="takes-in-step"):
    """Two recordings of the same moment held as takes of one clip, in step by their sound; the first one sounds."""

    ids: Ids

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        if len(self.ids) != 2:
            raise EditRefused("too_few_takes")
        (_, kept), (_, spare) = (_clip(plan, clip_id) for clip_id in self.ids)
        keys, lengths = (kept.source_key, spare.source_key), lengths_of_plan(programme)
        moments = moments_of(programme, plan)
        found = next((one for one in moments if {one.first_key, one.second_key} == set(keys)), None)
        if found is None:
            raise EditRefused("moments_differ", clip=spare.name, first=kept.name)
        offset = settled_offset(found, {key: known_source(key) for key in keys}, lengths)
        offset = offset if found.first_key == kept.source_key else -offset
        after = gathered_in_step(plan, (self.ids[0], self.ids[1]), offset, lengths)
        return after, label("take-held", take=clip_fact(plan, self.ids[1]), what=clip_fact(plan, self.ids[0]))


class ChooseTake(PlanEdit, frozen=True, kw_only=True, tag="take"):
    """Another take of a clip sounds."""

    id: Id
    index: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        _, clip = _clip(plan, self.id)
        made = with_take(clip, self.index, lengths_of_plan(programme))
        step = label("take-chosen", number=self.index + 1, n=len(clip.takes) + 1, name=made.name[:80])
        return set_clips(plan, [self.id], lambda _: made), step


class ChooseMicrophone(PlanEdit, frozen=True, kw_only=True, tag="microphone"):
    """Another microphone sounds, for the clips of a scene or for all: wherever a clip holds one of that name."""

    id: Id
    """Of a clip in which it sounds already."""
    scope: Literal["scene", "all"]

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        _, model = _clip(plan, self.id)
        wanted, scene = microphone_of(model.name), scene_of(model.name)
        lengths = lengths_of_plan(programme)
        changed: dict[str, Clip] = {}
        for clip_id, (_, clip) in clips_by_id(plan).items():
            names = [take.name for take in in_order(clip)]
            index = next((k for k, name in enumerate(names) if wanted and microphone_of(name) == wanted), None)
            is_meant = self.scope == "all" or scene_of(clip.name) == scene
            if index is None or index == clip.take_index or not clip.takes or not is_meant:
                continue
            with suppress(EditRefused):  # it has nothing there
                changed[clip_id] = with_take(clip, index, lengths)
        if not changed:
            raise EditRefused("no_such_microphone", name=wanted or model.name)
        after = set_clips(plan, changed, lambda clip: changed[clip.clip_id])
        return after, label("microphone-chosen", name=wanted, n=len(changed))


class DropTake(PlanEdit, frozen=True, kw_only=True, tag="take-drop"):
    """A take that does not sound no longer held; its recording stays in the programme."""

    id: Id
    index: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        _, clip = _clip(plan, self.id)
        after = set_clips(plan, [self.id], lambda one: without_take(one, self.index))
        return after, label("take-dropped", name=in_order(clip)[self.index].name[:80])


class TakesApart(PlanEdit, frozen=True, kw_only=True, tag="takes-apart"):
    """The takes of a clip as clips of their own, out of the mix, each on a new track."""

    id: Id

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        track, clip = _clip(plan, self.id)
        others = side_by_side(clip, lengths_of_plan(programme))
        alone = replace(clip, takes=(), take_index=0, unfilled=(0, 0))
        after = set_clips(plan, [self.id], lambda _: alone)
        for one in others:
            after, made = with_new_track(programme, after, f"{track.name}, {one.name}", track.role)
            laid = (replace(t, clips=(one,)) if t.track_id == made.track_id else t for t in after.tracks)
            after = replace(after, tracks=tuple(laid))
        return after, label("takes-apart", what=clip_fact(plan, self.id))


class MatchTakes(PlanEdit, frozen=True, kw_only=True, tag="takes-match"):
    """The takes of a clip as loud as the one that sounds."""

    id: Id

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        levels = levels_of_takes(programme, plan, self.id)
        after = set_clips(plan, [self.id], lambda clip: matched(clip, levels))
        return after, label("takes-matched", what=clip_fact(plan, self.id))


def levels_of_takes(programme: Programme, plan: Plan, clip_id: str) -> dict[int, float]:
    """Loudness of the takes of a clip by index, in LUFS; those that are silent or have nothing here are left out.

    Raises:
        EditRefused: no such clip.
    """
    _, clip = _clip(plan, clip_id)
    lengths, speech = lengths_of_plan(programme), speech_of(programme)
    found: dict[int, float] = {}
    for index in range(len(clip.takes) + 1):
        try:
            made = with_take(clip, index, lengths)
        except EditRefused:
            continue
        turned = set_clips(plan, [clip_id], lambda _, one=made: one)  # type: ignore[misc]
        _, _, level = levels_in_mix(turned, known_energies(turned), speech)[clip_id]
        if level is not None and level.level_lufs is not None:
            found[index] = level.level_lufs
    return found


def _clip(plan: Plan, clip_id: str) -> tuple[Track, Clip]:
    known = clips_by_id(plan)
    if clip_id not in known:
        raise NotThere()
    return known[clip_id]
