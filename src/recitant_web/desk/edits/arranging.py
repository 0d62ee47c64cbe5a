"""Edits that bring tracks and time in order: in or out of the mix, sent, merged, laid out, gaps closed and opened."""

from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Literal

from msgspec import Meta, Struct

from recitant_core.errors import EditRefused, MalformedRequest, NotThere
from recitant_core.timeline import edits
from recitant_core.timeline.arranging import gap_at, merged_into, parted_out, sent_to_track, with_time, without_time
from recitant_core.timeline.changes import Change
from recitant_core.timeline.laying import Laying, LayingOrder, Piece, laid_out
from recitant_core.timeline.model import Clip, Plan, Ride, Track
from recitant_core.timeline.sync import tied_here
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role
from recitant_text.names import SENT_SOUNDS
from recitant_text.steps import Label, label
from recitant_web.accounts.queries import is_role_of
from recitant_web.desk import models
from recitant_web.desk.edits.labels import clips_fact
from recitant_web.desk.edits.registry import PlanEdit
from recitant_web.desk.placing import MOST_TRACKS, has_picture_timecode, picture_origin
from recitant_web.programme.models import Picture, Programme
from recitant_web.shared.shapes import Id, Ids, Place, RoleName, Samples, Text


class InMix(PlanEdit, frozen=True, kw_only=True, tag="in-mix"):
    """Clips and tracks in or out of the mix: what is out stays in the programme, in no file and in no figure."""

    is_out: bool
    ids: Ids | None = None
    track_ids: Ids | None = None

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        chosen = set(self.track_ids or ())
        if not (self.ids or chosen):
            raise MalformedRequest("malformed", field="ids")
        if not chosen <= {track.track_id for track in plan.tracks}:
            raise NotThere()
        after = plan
        if self.ids:
            after = edits.set_clips(after, self.ids, lambda clip: replace(clip, is_out=self.is_out))
        if chosen:
            tracks = (replace(t, is_out=self.is_out) if t.track_id in chosen else t for t in after.tracks)
            after = replace(after, tracks=tuple(tracks))
        names = [track.name[:80] for track in plan.tracks if track.track_id in chosen]
        tracks_named = {"track": names[0]} if len(names) == 1 else {"tracks": len(names)}
        what = clips_fact(plan, self.ids) if self.ids else tracks_named
        return after, label("out-of-mix" if self.is_out else "in-mix", what=what)


class SendToTrack(PlanEdit, frozen=True, kw_only=True, tag="to-track"):
    """Clips on another track, or on a new one."""

    ids: Ids
    track_id: Id | None = None
    """None for a new track."""
    role: RoleName | None = None
    """Of the new track; that of most of the clips where it is not given."""
    name: Text = Text()

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        plan, track_id = self._target(programme, plan)
        after = sent_to_track(plan, self.ids, track_id)
        name = next(track.name for track in after.tracks if track.track_id == track_id)
        return after, label("to-track", what=clips_fact(plan, self.ids), track=name[:80])

    def _target(self, programme: Programme, plan: Plan) -> tuple[Plan, str]:
        if self.track_id is not None:
            return plan, self.track_id
        known = edits.clips_by_id(plan)
        roles = Counter(known[clip_id][0].role for clip_id in self.ids if clip_id in known)
        if not roles:
            raise NotThere()
        if self.role is not None and not is_role_of(programme.workspace, self.role):
            raise EditRefused("no_such_stem")
        role = Role(self.role) if self.role else roles.most_common(1)[0][0]
        plan, track = with_new_track(programme, plan, self.name or role.label, role)
        return plan, track.track_id


class PlaceOfSound(Struct, frozen=True):
    """A stretch of a clip, in programme time."""

    id: Id
    start_sample: Samples
    length_samples: Samples


class SendSounds(PlanEdit, frozen=True, kw_only=True, tag="sounds-to"):
    """Sounds that are not speech cut out of their clips and sent to a track of another role, as they sound."""

    places: Annotated[list[PlaceOfSound], Meta(min_length=1, max_length=1_000)]
    role: Literal["effects", "atmosphere"]

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        role = Role(self.role)
        track = next((one for one in plan.tracks if one.role is role and one.name == SENT_SOUNDS), None)
        if track is None:
            plan, track = with_new_track(programme, plan, SENT_SOUNDS, role)
        places = [(one.id, SampleSpan(max(0, one.start_sample), max(1, one.length_samples))) for one in self.places]
        return parted_out(plan, places, track.track_id), label("sounds-to", n=len(places), role=role.value)


class MergeTracks(PlanEdit, frozen=True, kw_only=True, tag="track-merge"):
    """The clips of some tracks on one; the others go."""

    ids: Ids
    into_id: Id

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        after = merged_into(plan, self.ids, self.into_id)
        gone = set(self.ids) - {self.into_id}
        name = next(track.name for track in plan.tracks if track.track_id == self.into_id)
        return _without(after, gone), label("merged", n=len(gone), track=name[:80])


class RemoveEmptyTracks(PlanEdit, frozen=True, kw_only=True, tag="tracks-remove-empty"):
    """Every track without a clip taken away."""

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        gone = {track.track_id for track in plan.tracks if not track.clips}
        return _without(plan, gone), label("empty-tracks-removed", n=len(gone))


class Lay(PlanEdit, frozen=True, kw_only=True, tag="lay"):
    """Clips laid out anew, on tracks that are made for them; tracks that this leaves empty and plain go."""

    ids: Ids
    how: Laying
    order: LayingOrder = LayingOrder.NAME
    gap_samples: Samples = Samples(0)

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        known = edits.clips_by_id(plan)
        if not set(self.ids) <= known.keys():
            raise NotThere()
        # What is tied to the picture stays where it is, whatever is laid around it.
        ids = [clip_id for clip_id in self.ids if known[clip_id][1].sync_sample is None]
        n_tied = len(self.ids) - len(ids)
        if not ids:
            raise EditRefused("all_tied", n=n_tied)
        references = dict(programme.sources.values_list("sha256", "reference_samples"))
        laid = laid_out(
            [_piece(*known[clip_id], references) for clip_id in ids],
            self.how,
            self.order,
            gap_samples=max(0, self.gap_samples),
            origin=picture_origin(programme),
        )
        emptied = {t.track_id for t in plan.tracks if t.clips and all(c.clip_id in ids for c in t.clips)}
        for one in laid:
            plan, track = with_new_track(programme, plan, one.name, one.role)
            mine = [piece.key for piece, _ in one.pieces]
            plan = sent_to_track(plan, mine, track.track_id)
            starts = {piece.key: at for piece, at in one.pieces}
            plan = edits.set_clips(plan, mine, lambda clip, s=starts: replace(clip, start_sample=s[clip.clip_id]))  # type: ignore[misc]
        plan = edits.set_clips(plan, ids, _tied_by_timecode(programme, references))
        plain = {t.track_id for t in plan.tracks if t.track_id in emptied and _is_plain(t)}
        return _without(plan, plain), label("laid", n=len(ids), how=self.how, n_tied=n_tied)


class _TimeEdit(PlanEdit, frozen=True, kw_only=True):
    """An edit that moves all that lies behind a place, on some tracks or on all; then markers and picture go along."""

    track_ids: Ids | None = None
    """None for all tracks."""
    leaves_picture: bool = False

    def stretch(self, plan: Plan) -> tuple[int, int]:
        """Span, and time that is put in there, in samples; negative for time taken out."""
        raise NotImplementedError

    def named(self, code: str, length_samples: int) -> Label:
        """Label of so much time put in or taken out."""
        n_tracks = None if self.track_ids is None else len(self.track_ids)
        return label(code, length_samples=length_samples, n_tracks=n_tracks)

    def chosen(self, plan: Plan) -> list[str]:
        """Ids of the tracks it is about."""
        return list(self.track_ids or (track.track_id for track in plan.tracks))

    def beside(self, programme: Programme, before: Plan) -> list[Change]:
        """See PlanEdit."""
        if self.track_ids is not None:
            return []
        at, by = self.stretch(before)
        changes: list[Change] = []
        for marker in programme.markers.filter(at_sample__gte=at):
            to = marker.at_sample + by if by > 0 else max(at, marker.at_sample + by)
            if to != marker.at_sample:
                changes.append({"table": "marker", "id": marker.pk, "set": {"at_sample": [marker.at_sample, to]}})
        return changes + self._picture(programme, at, by)

    def _picture(self, programme: Programme, at: int, by: int) -> list[Change]:
        picture = Picture.objects.filter(programme=programme).first()
        if picture is None or self.leaves_picture:
            return []
        first = programme.picture_offset_samples
        end_of_gone = at - min(by, 0)
        if first >= end_of_gone and (first, by) != (0, 0):
            moved = {"picture_offset_samples": [first, first + by]}
            return [{"table": "programme", "id": programme.pk, "set": moved}]
        if first + picture.length_samples > at:
            way = "late" if by > 0 else "early"
            raise EditRefused("picture_runs_through", by_s=abs(by) / RATE_HZ, way=way)
        return []


class CloseGap(_TimeEdit, frozen=True, kw_only=True, tag="close-gap"):
    """The gap around a place closed."""

    at_sample: Place

    def stretch(self, plan: Plan) -> tuple[int, int]:
        """See _TimeEdit."""
        gap = gap_at(plan, self.at_sample, self.chosen(plan))
        return gap.start_sample, -gap.length_samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        at, by = self.stretch(plan)
        after = without_time(plan, SampleSpan(at, -by), self.chosen(plan))
        return after, self.named("gap-closed", -by)


class TakeOut(_TimeEdit, frozen=True, kw_only=True, tag="take-out"):
    """A stretch of time taken out, with what lies in it."""

    from_sample: Place
    to_sample: Place

    def stretch(self, plan: Plan) -> tuple[int, int]:
        """See _TimeEdit."""
        return self.from_sample, self.from_sample - self.to_sample

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        length = self.to_sample - self.from_sample
        if length <= 0:
            raise EditRefused("empty_stretch")
        after = without_time(plan, SampleSpan(self.from_sample, length), self.chosen(plan))
        return after, self.named("taken-out", length)


class OpenGap(_TimeEdit, frozen=True, kw_only=True, tag="open-gap"):
    """A gap opened."""

    at_sample: Place
    length_samples: Samples

    def stretch(self, plan: Plan) -> tuple[int, int]:
        """See _TimeEdit."""
        return self.at_sample, self.length_samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        after = with_time(plan, self.at_sample, self.length_samples, self.chosen(plan))
        return after, self.named("gap-opened", int(self.length_samples))


def with_new_track(programme: Programme, plan: Plan, name: str, role: Role) -> tuple[Plan, Track]:
    """The plan with one more track, under all others, and that track.

    Raises:
        EditRefused: too many.
    """
    if programme.tracks.count() >= MOST_TRACKS:
        raise EditRefused("too_many_tracks")
    last = programme.tracks.order_by("-position").first()
    position = last.position + 1 if last else 0
    row = models.Track.objects.create(programme=programme, name=name[:255], role=role.value, position=position)
    track = Track(str(row.pk), row.name, role)
    return replace(plan, tracks=(*plan.tracks, track)), track


def _tied_by_timecode(programme: Programme, references: dict[str, int | None]) -> Callable[[Clip], Clip]:
    """Ties a clip to the picture where it lies at its timecode beside that of the picture."""
    has_timecode, origin = has_picture_timecode(programme), picture_origin(programme)
    first = programme.picture_offset_samples

    def tied(clip: Clip) -> Clip:
        reference = references.get(clip.source_key)
        is_there = reference is not None and clip.start_sample - clip.in_sample == reference - origin
        return tied_here(clip, first) if has_timecode and is_there else clip

    return tied


def _piece(track: Track, clip: Clip, references: dict[str, int | None]) -> Piece:
    reference = references.get(clip.source_key)
    begins = None if reference is None else reference + clip.in_sample
    return Piece(clip.clip_id, clip.name, track.role, clip.length_samples, clip.start_sample, begins)


def _without(plan: Plan, track_ids: set[str]) -> Plan:
    return replace(
        plan,
        tracks=tuple(track for track in plan.tracks if track.track_id not in track_ids),
        ducks=tuple(duck for duck in plan.ducks if duck.stem is not None or duck.track_id not in track_ids),
    )


def _is_plain(track: Track) -> bool:
    has_own = track.chain or track.ride != Ride() or track.gain_db or track.pan or track.is_mono or track.is_out
    return not has_own
