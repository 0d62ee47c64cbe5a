"""Edits that lay recordings, mend them, bring them to a length or cover gaps with them."""

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from recitant_core.errors import EditRefused, NotThere
from recitant_core.intake.mending import mended, unmended
from recitant_core.timeline import edits
from recitant_core.timeline.arranging import Names
from recitant_core.timeline.loops import join_of_clip, looped, shortened
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.room_tone import covered_samples, gap_at
from recitant_core.timeline.tone_under_cuts import Cover, cover_of, covers_of_track, with_cover
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role
from recitant_text.steps import Label, label
from recitant_web.desk import models
from recitant_web.desk.edits.labels import clip_fact
from recitant_web.desk.edits.registry import PlanEdit
from recitant_web.desk.edits.tone import tone_source
from recitant_web.desk.energies import known_energies, known_source
from recitant_web.desk.mapping.findings import remedy_from_data
from recitant_web.desk.mapping.speech import speech_of
from recitant_web.programme.models import Programme, Source, SourceState
from recitant_web.shared.shapes import Id, Samples, Text

_MOST_COVERS = 60  # each may be a recording of its own: as many as nobody waits long for


class Mend(PlanEdit, frozen=True, kw_only=True, tag="mend"):
    """A remedy applied to every clip of a recording, or of all recordings that it is offered for; or taken back."""

    source_id: Id
    code: Text
    is_undone: bool = False
    is_for_all: bool = False

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        source = programme.sources.filter(pk=self.source_id).first()
        offered = None if source is None else _offered(source, self.code)
        if source is None or offered is None:
            raise NotThere()
        alike = list(programme.sources.filter(state=SourceState.READY)) if self.is_for_all else [source]
        after, n = plan, 0
        for one in alike:
            remedy = _offered(one, self.code)
            ids = [clip_id for clip_id, (_, clip) in edits.clips_by_id(plan).items() if clip.source_key == one.sha256]
            if remedy is not None and ids:
                after, n = self._mended(after, ids, one, remedy), n + 1
        if not n:
            raise NotThere()
        step = label("mended", name=source.name, n=n, remedy=_remedy_fact(offered), is_undone=self.is_undone)
        return after, step

    def _mended(self, plan: Plan, ids: list[str], source: Source, remedy: dict[str, Any]) -> Plan:
        cure = remedy_from_data(remedy)
        if self.is_undone:
            return edits.set_clips(plan, ids, lambda clip: unmended(clip, cure, source.ready_length_samples))
        return edits.set_clips(plan, ids, lambda clip: mended(clip, cure))


def _remedy_fact(remedy: dict[str, Any]) -> dict[str, Any]:
    return {name: remedy[name] for name in ("code", "gain_change_db") if name in remedy}


def _offered(source: Source, code: str) -> dict[str, Any] | None:
    remedies = [remedy for finding in source.findings for remedy in finding["remedies"]]
    return next((remedy for remedy in remedies if remedy["code"] == code), None)


class Use(PlanEdit, frozen=True, kw_only=True, tag="use"):
    """A recording, or the marked part of it, laid at a place."""

    source_id: Id
    at_sample: Samples
    from_sample: Samples = Samples(0)
    to_sample: Samples = Samples(0)
    track_id: str = ""

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        source = programme.sources.filter(pk=self.source_id, state=SourceState.READY).first()
        if source is None:
            raise NotThere()
        first = min(max(0, self.from_sample), source.ready_length_samples - edits.LEAST_CLIP_SAMPLES)
        last = min(source.ready_length_samples, self.to_sample or source.ready_length_samples)
        if last - first < edits.LEAST_CLIP_SAMPLES:
            raise EditRefused("too_short")
        name = source.name.rsplit(".", 1)[0]
        clip = Clip(f"{edits.NEW}0", source.sha256, self.at_sample, first, last - first, name=name)
        fade = min(RATE_HZ // 200, (last - first) // 2)
        clip = replace(clip, fade_in_samples=fade, fade_out_samples=fade)
        tracks = [track for track in plan.tracks if track.role is Role(source.role)]
        track_id = self.track_id or next(
            (t.track_id for t in tracks if all(c.span.intersect(clip.span) is None for c in t.clips)), ""
        )
        if not track_id:
            lowest = programme.tracks.order_by("-position").first()
            position = lowest.position + 1 if lowest else 0
            row = models.Track.objects.create(programme=programme, name=name[:255], role=source.role, position=position)
            track_id = str(row.pk)
            plan = replace(plan, tracks=(*plan.tracks, Track(track_id, row.name, Role(row.role))))
        return edits.add_clip(plan, track_id, clip), label("recording-laid", name=name)


class Extend(PlanEdit, frozen=True, kw_only=True, tag="extend"):
    """A clip looped at its best join, or cut, to a length."""

    id: Id
    length_samples: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        track, clip = edits.clips_by_id(plan).get(self.id, (None, None))
        if track is None or clip is None:
            raise NotThere()
        wanted = self.length_samples
        if wanted <= clip.length_samples:
            after = edits.set_clips(plan, [clip.clip_id], lambda c: shortened(c, wanted))
            return after, label("cut-to-length", what=clip_fact(plan, self.id))
        join = join_of_clip(clip, known_source(clip.source_key))
        after = looped(plan, track, clip, join, wanted)
        return after, label("looped", what=clip_fact(plan, self.id), similarity=join.similarity)


class Fill(PlanEdit, frozen=True, kw_only=True, tag="fill"):
    """A gap between two clips covered with one clip of room tone."""

    track_id: Id
    at_sample: Samples

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        gap = gap_at(plan, self.track_id, self.at_sample)
        cover = cover_of(gap, _energies_of_clips(plan, (gap.before, gap.after)), speech_of(programme))
        if cover is None:
            raise EditRefused("no_floor_heard")
        return _laid(programme, plan, cover), label("gap-covered", what={"clip": cover.stretch.model.name})


class FillTrack(PlanEdit, frozen=True, kw_only=True, tag="fill-track"):
    """Room tone under all cuts of a track: gaps, digital silence and jumps of the floor."""

    track_id: Id

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        track = next((one for one in plan.tracks if one.track_id == self.track_id), None)
        if track is None:
            raise NotThere()
        if not track.role.is_speech:
            raise EditRefused("tone_under_speech_only", track=track.name)
        found = covers_of_track(track, _energies_of_clips(plan, track.in_mix), speech_of(programme))
        if not found.covers:
            raise EditRefused("no_room_tone" if found.n_without_tone else "no_cuts_to_cover", track=track.name)
        laid = found.covers[:_MOST_COVERS]
        for cover in laid:
            plan = _laid(programme, plan, cover)
        n_more = len(found.covers) - len(laid)
        step = label("room-tone-under-cuts", track=track.name, n=len(laid), n_more=n_more, n_left=found.n_without_tone)
        return plan, step


def _laid(programme: Programme, plan: Plan, cover: Cover) -> Plan:
    key, in_sample = tone_source(programme, cover.stretch, covered_samples(cover.gap))
    return with_cover(plan, cover, key, in_sample, Names.beside(plan).another())


def _energies_of_clips(plan: Plan, clips: Iterable[Clip]) -> dict[str, FloatArray]:
    """10 ms energies by source and by sound key of some clips, as two loudspeakers give them, float64 (hops,)."""
    known = known_energies(plan)
    keys = {key for clip in clips for key in (clip.source_key, clip.sound_key)}
    return {key: known[key][:, :2].sum(axis=1) for key in keys}
