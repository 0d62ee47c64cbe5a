"""Edits of what is said: corrections, who speaks, words taken out, one track a person."""

from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from typing import Literal

from msgspec import Struct

from recitant_core.errors import EditRefused, NotThere
from recitant_core.gain.envelope import FadeShape
from recitant_core.timeline.arranging import Names, sent_to_track
from recitant_core.timeline.changes import Change
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.room_tone import covered_samples, gap_at, tone_stretch, with_room_tone
from recitant_core.timeline.word_cuts import (
    EDGE_FADE_SAMPLES,
    Energies,
    at_quiet_edges,
    parted_by_speaker,
    track_of,
    words_out,
)
from recitant_core.timeline.words import turns_in_programme, words_of_clip
from recitant_core.transcript.script import fitted
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_text.names import TONE_OVER_WORDS
from recitant_text.steps import Label, label
from recitant_web.desk.edits.arranging import with_new_track
from recitant_web.desk.edits.registry import PlanEdit, RowChanges, RowEdit, row_change
from recitant_web.desk.edits.tone import bleep_source, tone_source
from recitant_web.desk.log import inserted
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.desk.mapping.speech import speech_of
from recitant_web.desk.people import names_of_people
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import source_energy
from recitant_web.shared.shapes import Id, Name, Place, Said, Script
from recitant_web.transcript.models import Speaker, WordMark
from recitant_web.transcript.queries import words_of

MOST_STRETCHES = 2_000
MOST_TYPED = 400


class Stretch(Struct, frozen=True, kw_only=True):
    """Some words on a track, in programme time."""

    track_id: Id
    from_sample: Place
    to_sample: Place

    def marks(self, programme: Programme) -> list[tuple[int, int, int]]:
        """Recording, start and end in it of every clip that lies there.

        Raises:
            NotThere: none does.
        """
        found = []
        rows = {key: pk for pk, key in programme.sources.values_list("pk", "sha256")}
        for clip in track_of(plan_of(programme), self.track_id).clips:
            part = clip.span.intersect(SampleSpan(self.from_sample, max(0, self.to_sample - self.from_sample)))
            if part is not None:
                start = part.start_sample - clip.start_sample + clip.in_sample
                found.append((rows[clip.source_key], start, start + part.length_samples))
        if not found:
            raise NotThere()
        return found


def _marked(programme: Programme, stretches: list[Stretch], **what: object) -> list[Change]:
    if len(stretches) > MOST_STRETCHES:
        raise EditRefused("too_many_stretches", most=MOST_STRETCHES)
    made = []
    for stretch in stretches:
        # One place that is gone does not keep the others from being marked.
        with suppress(EditRefused):
            for source_id, start, end in stretch.marks(programme):
                row = WordMark.objects.create(source_id=source_id, start_sample=start, end_sample=end, **what)
                made.append(inserted("word_mark", row))
    if not made:
        raise NotThere()
    return made


class TypeWords(RowEdit, frozen=True, kw_only=True, tag="words-type"):
    """Words typed over what was heard; their time stays."""

    is_silent = True
    stretch: Stretch
    text: Said

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        # A word beside a cross-fade reaches into the other clip by a little; it belongs where most of it lies.
        length = self.stretch.to_sample - self.stretch.from_sample
        places = [place for place in self.stretch.marks(programme) if 2 * (place[2] - place[1]) > length]
        if len(places) != 1:
            raise EditRefused("words_of_two_clips")
        source_id, start, end = places[0]
        same = WordMark.objects.filter(source_id=source_id, start_sample=start, end_sample=end, text__isnull=False)
        newest = WordMark.objects.filter(source_id=source_id).order_by("-pk").first()
        step = label("words-typed", text=self.text[:60]) if self.text else label("words-left-out")
        row = same.order_by("-pk").first()
        if row is not None and row == newest:
            return step, row_change("word_mark", row, {"text": str(self.text)}), []
        made = WordMark.objects.create(source_id=source_id, start_sample=start, end_sample=end, text=str(self.text))
        return step, [], [inserted("word_mark", made)]


class GiveWords(RowEdit, frozen=True, kw_only=True, tag="words-speaker"):
    """Words given to somebody: known, or new by name."""

    is_silent = True
    stretches: list[Stretch]
    speaker_id: Id | None = None
    name: Said = Said()

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        made: list[Change] = []
        if self.speaker_id is not None:
            row = _speaker(programme, self.speaker_id)
        else:
            row = Speaker.objects.create(programme=programme, name=str(Name.read(self.name))[:80])
            made.append(inserted("speaker", row))
        return label("words-of", name=row.name), [], made + _marked(programme, self.stretches, speaker=row)


class LeaveOut(RowEdit, frozen=True, kw_only=True, tag="words-leave-out"):
    """Words that are no part of the text, such as those of a song; or part of it again."""

    is_silent = True
    stretches: list[Stretch]
    is_left_out: bool

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        made = _marked(programme, self.stretches, is_left_out=self.is_left_out)
        return label("words-left-out" if self.is_left_out else "words-back"), [], made


class NameSpeaker(RowEdit, frozen=True, kw_only=True, tag="speaker-name"):
    """Another name for somebody."""

    is_silent = True
    speaker_id: Id
    name: Name

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        row = _speaker(programme, self.speaker_id)
        name = str(self.name)[:80]
        return label("person-named", name=row.name, now=name), row_change("speaker", row, {"name": name}), []


class MergeSpeakers(RowEdit, frozen=True, kw_only=True, tag="speaker-merge"):
    """Two who are one."""

    is_silent = True
    speaker_id: Id
    into_id: Id

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        row, other = _speaker(programme, self.speaker_id), _speaker(programme, self.into_id)
        if row.pk == other.pk:
            raise EditRefused("same_speaker")
        return (
            label("person-named", name=row.name, now=other.name),
            row_change("speaker", row, {"same_as_id": other.pk}),
            [],
        )


class FitScript(RowEdit, frozen=True, kw_only=True, tag="words-script"):
    """A text put in place of what was heard, word for word; the times of the sound stay."""

    is_silent = True
    text: Script

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        plan, words = plan_of(programme), words_of(programme)
        spoken = [
            (one.track_id, clip_id, word)
            for one in turns_in_programme(plan, words)
            for word, clip_id in zip(one.turn.words, one.clip_ids, strict=True)
        ]
        if not spoken:
            raise EditRefused("no_words_yet")
        fit = fitted([word for _, _, word in spoken], self.text)
        if not fit.is_of_it(len(spoken)):
            raise EditRefused("not_its_text", same=fit.n_same, heard=len(spoken))
        made: list[Change] = []
        clips = {clip.clip_id: clip for track in plan.tracks for clip in track.clips}
        ids = dict(programme.sources.values_list("sha256", "pk"))
        for change in fit.changes:
            (_, clip_id, first), (_, last_clip, last) = spoken[change.first], spoken[change.last]
            if clip_id != last_clip or len(change.text) > MOST_TYPED:
                continue  # words of two clips are corrected one by one
            clip = clips[clip_id]
            shift = clip.in_sample - clip.start_sample
            row = WordMark.objects.create(
                source_id=ids[clip.source_key],
                start_sample=first.start_sample + shift,
                end_sample=last.end_sample + shift,
                text=change.text,
            )
            made.append(inserted("word_mark", row))
        return label("script-fitted", n=len(made), n_same=fit.n_same), [], made


class CutWords(PlanEdit, frozen=True, kw_only=True, tag="words-cut"):
    """Words taken out of the sound: silence, room tone or a tone in their place, or what follows moved up."""

    stretches: list[Stretch]
    how: Literal["silence", "close", "room", "tone"]

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        if not 1 <= len(self.stretches) <= MOST_STRETCHES:
            raise EditRefused("too_many_stretches", most=MOST_STRETCHES)
        energies = _energies(plan)
        by_track, n_skipped = self._by_track(plan, energies)
        after = plan
        for track_id, spans in by_track.items():
            before = track_of(after, track_id)
            after = words_out(after, track_id, spans, is_closed=self.how == "close")
            for span in sorted(spans) if self.how in ("room", "tone") else ():
                try:
                    after = _covered(programme, after, before, span, self.how, energies)
                except EditRefused:
                    if len(self.stretches) == 1:
                        raise
                    n_skipped += 1  # silence stays there
        length = sum(span.length_samples for spans in by_track.values() for span in spans)
        return after, label("words-cut", length_samples=length, how=self.how, n_skipped=n_skipped)

    def _by_track(self, plan: Plan, energies: Energies) -> tuple[dict[str, list[SampleSpan]], int]:
        """Stretches of each track at quiet edges, and how many have no length.

        Raises:
            EditRefused: none has any.
        """
        by_track: dict[str, list[SampleSpan]] = {}
        n_skipped = 0
        for one in self.stretches:
            span = SampleSpan(one.from_sample, max(0, one.to_sample - one.from_sample))
            try:
                by_track.setdefault(str(one.track_id), []).append(at_quiet_edges(plan, one.track_id, span, energies))
            except EditRefused:
                n_skipped += 1
        by_track = {track_id: spans for track_id, spans in by_track.items() if spans}
        if not by_track:
            raise EditRefused("empty_stretch")
        return by_track, n_skipped


class TrackPerPerson(PlanEdit, frozen=True, kw_only=True, tag="track-a-person"):
    """Narration and dialogue on a track a person; what stays empty and plain goes."""

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """See PlanEdit."""
        words, names = words_of(programme), names_of_people(programme, plan)
        by_clip = {
            clip.clip_id: words_of_clip(clip, words)
            for track in plan.tracks
            if track.role.is_speech
            for clip in track.in_mix
        }
        parted, people = parted_by_speaker(plan, by_clip, _energies(plan))
        if not people:
            raise EditRefused("no_speakers")
        after = parted
        for speaker in sorted(people, key=lambda one: list(names).index(one) if one in names else len(names)):
            after = _on_own_track(programme, after, names.get(speaker, "Speaker"), people[speaker])
        had = {track.track_id for track in plan.tracks if track.clips}
        kept = tuple(t for t in after.tracks if t.clips or t.track_id not in had or not _is_plain(t))
        return replace(after, tracks=kept), label("track-a-person", n=len(people))


def _is_plain(track: Track) -> bool:
    return not (track.chain or track.ride.points or track.gain_db or track.pan)


def _on_own_track(programme: Programme, plan: Plan, name: str, clip_ids: list[str]) -> Plan:
    ids = set(clip_ids)
    homes = [track for track in plan.tracks if any(clip.clip_id in ids for clip in track.clips)]
    own = next((track for track in homes if track.name == name and len(homes) == 1), None)
    if own is None:
        role = max(homes, key=lambda track: sum(clip.clip_id in ids for clip in track.clips)).role
        own = next((track for track in plan.tracks if track.name == name and track.role is role), None)
        if own is None:
            plan, own = with_new_track(programme, plan, name, role)
        plan = _sent(plan, clip_ids, own)
    return _changed(plan, own.track_id, set(clip_ids), lambda clip: replace(clip, speaker=name[:80]))


def _sent(plan: Plan, clip_ids: list[str], own: Track) -> Plan:
    # What a fader did to a clip on its old track stays with the clip.
    gains = {clip.clip_id: track.gain_db - own.gain_db for track in plan.tracks for clip in track.clips}
    after = sent_to_track(plan, clip_ids, own.track_id)
    return _changed(
        after, own.track_id, set(clip_ids), lambda clip: replace(clip, gain_db=clip.gain_db + gains[clip.clip_id])
    )


def _changed(plan: Plan, track_id: str, ids: set[str], change: Callable[[Clip], Clip]) -> Plan:
    tracks = tuple(
        replace(t, clips=tuple(change(c) if c.clip_id in ids else c for c in t.clips)) if t.track_id == track_id else t
        for t in plan.tracks
    )
    return replace(plan, tracks=tracks)


def _covered(programme: Programme, plan: Plan, before: Track, span: SampleSpan, how: str, energies: Energies) -> Plan:
    middle = span.start_sample + span.length_samples // 2
    if how == "room":
        gap = gap_at(plan, before.track_id, middle)
        whole = replace(gap, before=_whole(gap.before, energies), after=_whole(gap.after, energies))
        stretch = tone_stretch(whole, energies, speech_of(programme))
        key, in_sample = tone_source(programme, stretch, covered_samples(gap))
        made = with_room_tone(plan, gap, stretch.model, key, in_sample)
        name = Names.beside(plan).another()
        return _renamed(made, before.track_id, name)
    model = next(clip for clip in before.clips if clip.span.intersect(span) is not None)
    key = bleep_source(programme, model.source_key, span.length_samples)
    clip = Clip(
        Names.beside(plan).another(),
        key,
        span.start_sample,
        0,
        span.length_samples,
        fade_in_samples=EDGE_FADE_SAMPLES,
        fade_out_samples=EDGE_FADE_SAMPLES,
        fade_in_shape=FadeShape.EQUAL_POWER,
        fade_out_shape=FadeShape.EQUAL_POWER,
        name=TONE_OVER_WORDS,
    )
    tracks = tuple(replace(t, clips=(*t.clips, clip)) if t.track_id == before.track_id else t for t in plan.tracks)
    return replace(plan, tracks=tracks)


def _whole(clip: Clip, energies: Energies) -> Clip:
    # All of the recording is searched for a quiet stretch, not the part that is left of the clip alone.
    return replace(clip, in_sample=0, length_samples=len(energies[clip.source_key]) * (RATE_HZ // 100))


def _renamed(plan: Plan, track_id: str, name: str) -> Plan:
    # Room tone has one name for itself; with several gaps each needs its own.
    tracks = tuple(
        replace(t, clips=(*t.clips[:-1], replace(t.clips[-1], clip_id=name))) if t.track_id == track_id else t
        for t in plan.tracks
    )
    return replace(plan, tracks=tracks)


def _energies(plan: Plan) -> "Energies":
    keys = {key for track in plan.tracks if track.role.is_speech for key in track.source_keys}
    return {key: source_energy(key)[:, :2].sum(axis=1) for key in keys}


def _speaker(programme: Programme, speaker_id: Id) -> Speaker:
    row = Speaker.objects.filter(programme=programme, pk=speaker_id.number, same_as__isnull=True).first()
    if row is None:
        raise NotThere()
    return row
