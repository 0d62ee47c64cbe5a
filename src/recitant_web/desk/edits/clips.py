"""Edits of clips on the timeline: where they lie, their edges, fades, groups and names."""

from dataclasses import replace
from typing import Literal

from recitant_core.errors import EditRefused, NotThere
from recitant_core.gain.envelope import FadeShape
from recitant_core.timeline import edits
from recitant_core.timeline.crossfades import with_crossfades
from recitant_core.timeline.model import Clip, Plan
from recitant_core.timeline.sync import off_samples, out_of_sync, put_back, tied_here
from recitant_core.units.timecode import timecode_from_samples
from recitant_text.steps import Label, label
from recitant_web.desk import models
from recitant_web.desk.edits.labels import clip_fact, clips_fact, target_fact
from recitant_web.desk.edits.registry import PlanEdit
from recitant_web.desk.energies import known_source
from recitant_web.desk.mapping.clips import clip_of_row
from recitant_web.desk.mapping.plans import lengths_of_plan
from recitant_web.programme.models import Programme
from recitant_web.shared.shapes import Id, Ids, Name, Place, Samples, Text

Shape = Literal["equal-power", "equal-gain", "smooth", "early", "late"]


class Move(PlanEdit, frozen=True, kw_only=True, tag="move"):
    """Clips moved in time, and by whole tracks."""

    ids: Ids
    by_samples: Samples = Samples(0)
    by_tracks: Samples = Samples(0)
    with_id: Id | None = None
    """Clip that they are lined up with by sound: where it is tied to the picture, they are tied with it."""

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        ids = edits.with_group(plan, self.ids)
        moved = edits.move_clips(plan, self.ids, self.by_samples, self.by_tracks)
        model = edits.clips_by_id(plan).get(self.with_id or "", (None, None))[1]
        first = programme.picture_offset_samples
        if model is not None and off_samples(model, first) == 0:
            moved = edits.set_clips(moved, ids, lambda clip: tied_here(clip, first))
        return with_crossfades(plan, moved, ids, known_source), label("moved", n=len(ids))


class PlaceClips(PlanEdit, frozen=True, kw_only=True, tag="place"):
    """Clips moved together so that the first begins at a place."""

    ids: Ids
    at_sample: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        ids = edits.with_group(plan, self.ids)
        moved = edits.move_clips_to(plan, self.ids, self.at_sample)
        at = timecode_from_samples(self.at_sample, programme.frame_rate)
        return with_crossfades(plan, moved, ids, known_source), label("placed", n=len(ids), at=at)


class Tie(PlanEdit, frozen=True, kw_only=True, tag="tie"):
    """Clips tied to the picture where they lie, or no longer tied."""

    ids: Ids
    is_tied: bool = True

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        first = programme.picture_offset_samples

        def tied(clip: Clip) -> Clip:
            return tied_here(clip, first) if self.is_tied else replace(clip, sync_sample=None)

        after = edits.set_clips(plan, self.ids, tied)
        return after, label("tied" if self.is_tied else "untied", what=clips_fact(plan, self.ids))


class BackInSync(PlanEdit, frozen=True, kw_only=True, tag="back-in-sync"):
    """Clips moved back to where the picture has them; all that are off where none are named."""

    ids: Ids | None = None

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        first = programme.picture_offset_samples
        ids = self.ids or [clip.clip_id for clip, _ in out_of_sync(plan, first)]
        if not ids:
            raise EditRefused("all_in_sync")
        after = put_back(plan, ids, first)
        return with_crossfades(plan, after, set(ids), known_source), label("back-in-sync", what=clips_fact(plan, ids))


class Trim(PlanEdit, frozen=True, kw_only=True, tag="trim"):
    """An edge of a clip moved."""

    id: Id
    edge: Literal["start", "end"]
    by_samples: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        trimmed = edits.trim_clip(plan, self.id, self.edge, self.by_samples, lengths_of_plan(programme))
        step = label(f"trimmed-{self.edge}", what=clip_fact(plan, self.id))
        return with_crossfades(plan, trimmed, {self.id}, known_source), step


class Slip(PlanEdit, frozen=True, kw_only=True, tag="slip"):
    """The recording moved inside a clip."""

    id: Id
    by_samples: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        slipped = edits.slip_clip(plan, self.id, self.by_samples, lengths_of_plan(programme))
        return slipped, label("slipped", what=clip_fact(plan, self.id))


class Split(PlanEdit, frozen=True, kw_only=True, tag="split"):
    """Clips cut in two at a place."""

    ids: Ids
    at_sample: Place

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        at = timecode_from_samples(self.at_sample, programme.frame_rate)
        return edits.split_clips(plan, self.ids, self.at_sample), label("split", at=at)


class Delete(PlanEdit, frozen=True, kw_only=True, tag="delete"):
    """Clips taken out, with or without the gap."""

    ids: Ids
    close_gap: bool = False

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        n = len(edits.with_group(plan, self.ids))
        after = edits.delete_clips(plan, self.ids, close_gap=self.close_gap)
        return after, label("deleted-and-closed" if self.close_gap else "deleted", n=n)


class Paste(PlanEdit, frozen=True, kw_only=True, tag="paste"):
    """Copies of clips, there or deleted, laid at a place."""

    ids: Ids
    at_sample: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        known = edits.clips_by_id(plan)
        laid = []
        for clip_id in self.ids:
            if clip_id in known:
                track, clip = known[clip_id]
                laid.append((track.track_id, clip))
            else:
                laid.append(_deleted_clip(programme, clip_id))
        return edits.copy_clips(plan, laid, self.at_sample), label("pasted", n=len(laid))


class Fade(PlanEdit, frozen=True, kw_only=True, tag="fade"):
    """A fade of clips: its length, and its shape where one is given."""

    ids: Ids
    edge: Literal["in", "out"]
    length_samples: Samples
    shape: Shape | None = None

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        shape = FadeShape(self.shape) if self.shape else None
        after = edits.set_clips(plan, self.ids, lambda clip: edits.faded(clip, self.edge, self.length_samples, shape))
        return after, label(f"fade-{self.edge}", what=clips_fact(plan, self.ids))


class Fades(PlanEdit, frozen=True, kw_only=True, tag="fades"):
    """Both fades of clips at once; what is not given stays."""

    ids: Ids
    in_samples: Samples | None = None
    out_samples: Samples | None = None
    in_shape: Shape | None = None
    out_shape: Shape | None = None

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        shapes = [FadeShape(shape) if shape else None for shape in (self.in_shape, self.out_shape)]

        def with_fades(clip: Clip) -> Clip:
            first = clip.fade_in_samples if self.in_samples is None else self.in_samples
            last = clip.fade_out_samples if self.out_samples is None else self.out_samples
            return edits.faded(edits.faded(clip, "in", first, shapes[0]), "out", last, shapes[1])

        return edits.set_clips(plan, self.ids, with_fades), label("fades", what=clips_fact(plan, self.ids))


class Crossfade(PlanEdit, frozen=True, kw_only=True, tag="crossfade"):
    """The shape of the crossfade of two clips."""

    id: Id
    to_id: Id
    shape: Shape

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        after = edits.crossfade_shaped(plan, self.id, self.to_id, FadeShape(self.shape))
        what, with_what = clip_fact(plan, self.id), clip_fact(plan, self.to_id)
        return after, label("crossfade", what=what, with_what=with_what, shape=self.shape)


class Group(PlanEdit, frozen=True, kw_only=True, tag="group"):
    """Clips that move and level as one, or no longer do."""

    ids: Ids
    is_grouped: bool = False
    name: Text = Text()
    """Of the group; clips that have it already are of it too."""

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        name = (self.name[:32].removeprefix(edits.NEW) or f"{edits.NEW}group") if self.is_grouped else ""
        after = edits.set_clips(plan, self.ids, lambda clip: replace(clip, group=name))
        n = len(self.ids)
        if not self.is_grouped:
            return after, label("ungrouped", n=n)
        return after, label("grouped-as", n=n, name=self.name[:32]) if self.name else label("grouped", n=n)


class NameClips(PlanEdit, frozen=True, kw_only=True, tag="name"):
    """Another name for clips."""

    ids: Ids
    name: Name

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        after = edits.set_clips(plan, self.ids, lambda clip: replace(clip, name=self.name))
        return after, label("named", name=self.name)


class Speaker(PlanEdit, frozen=True, kw_only=True, tag="speaker"):
    """Set the speaker of clips."""

    ids: Ids
    name: Text = Text()

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        after = edits.set_clips(plan, self.ids, lambda clip: replace(clip, speaker=self.name[:80]))
        return after, label("speaker", what=target_fact(plan, "clip", self.ids), name=self.name)


def _deleted_clip(programme: Programme, clip_id: str) -> tuple[str, Clip]:
    # What was cut is found in the log: it lies there whole.
    for edit in programme.edits.order_by("-pk")[:200]:
        for change in edit.changes:
            values = change.get("delete")
            if change["table"] == "clip" and str(change["id"]) == clip_id and values is not None:
                row = models.Clip(**values)
                return str(row.track_id), clip_of_row(row, row.source.sha256)
    raise NotThere()
