"""Words taken out of clips, and clips parted by who speaks: every cut an ordinary edit of the timeline."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Final

import numpy as np

from recitant_core.errors import EditRefused, NotThere
from recitant_core.gain.envelope import FadeShape
from recitant_core.timeline.arranging import Names, part_of
from recitant_core.timeline.edits import LEAST_CLIP_SAMPLES
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.transcript.model import Word
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ, SampleSpan, samples_from_s

REACH_S: Final = 0.06
"""How far an edge of a cut moves to where it is quiet."""
EDGE_FADE_SAMPLES: Final = RATE_HZ // 100
CROSSFADE_SAMPLES: Final = RATE_HZ // 50
TOUCHING_SAMPLES: Final = RATE_HZ // 10
"""Clips closer than this belong together when a gap is closed."""
BLEEP_HZ: Final = 1_000.0
BLEEP_DBFS: Final = -20.0
"""Peak of the tone that covers words: 2 dB under the line-up level of EBU R 68."""
_HOP: Final = RATE_HZ // 100
Energies = Mapping[str, FloatArray]
"""10 ms energies of recordings, by their key, float64 (hops,)."""


def at_quiet_edges(plan: Plan, track_id: str, span: SampleSpan, energies: Energies) -> SampleSpan:
    """A stretch whose ends moved by at most 60 ms to the quietest 10 ms of what sounds there.

    A stretch so short that both would move to one place, as of a filler between two words, keeps its ends.

    Raises:
        EditRefused: no such track, or the stretch has no length.
    """
    if span.length_samples < LEAST_CLIP_SAMPLES:
        raise EditRefused("empty_stretch")
    track = track_of(plan, track_id)
    start = quiet_sample(track, span.start_sample, energies)
    end = quiet_sample(track, span.end_sample, energies)
    return SampleSpan(start, end - start) if end - start >= LEAST_CLIP_SAMPLES else span


def quiet_sample(track: Track, at_sample: int, energies: Energies) -> int:
    """The middle of the quietest 10 ms within 60 ms of a place in a clip; the place itself where no clip lies.

    Args:
        at_sample: of the programme.
        energies: 10 ms energies of recordings by their key, float64 (hops,) each.
    """
    clip = next((c for c in track.in_mix if c.start_sample <= at_sample < c.span.end_sample), None)
    if clip is None or clip.source_key not in energies:
        return at_sample
    energy, reach = energies[clip.source_key], samples_from_s(REACH_S)
    shift = clip.in_sample - clip.start_sample
    first = max(clip.in_sample, at_sample - reach + shift) // _HOP
    last = min(len(energy), (min(clip.in_sample + clip.length_samples, at_sample + reach + shift)) // _HOP)
    if last <= first:
        return at_sample
    found = first + int(np.argmin(energy[first:last]))
    return min(max(found * _HOP + _HOP // 2 - shift, clip.start_sample), clip.span.end_sample)


def words_out(plan: Plan, track_id: str, spans: Sequence[SampleSpan], *, is_closed: bool) -> Plan:
    """Stretches of a track taken out: silence in their place, or the gap closed and cross-faded.

    Where the gap is closed, the rest of the clip and what touches it moves up; behind the next gap everything keeps its
    place against the picture.

    Args:
        spans: see at_quiet_edges; may touch, in any order.

    Raises:
        EditRefused: no such track, or nothing of it lies in the stretches.
    """
    track = track_of(plan, track_id)
    if not any(clip.span.intersect(span) for span in spans for clip in track.clips):
        raise EditRefused("nothing_to_cut")
    for span in sorted(_joined(spans), reverse=True):
        plan = _closed(plan, track_id, span) if is_closed else _cleared(plan, track_id, span)
    return plan


def parted_by_speaker(
    plan: Plan, words: Mapping[str, Sequence[Word]], energies: Energies
) -> tuple[Plan, dict[str, list[str]]]:
    """Clips parted where another person begins to speak, and the ids of the clips of each person.

    Args:
        words: of each clip in programme time, in order, by its id; see words_of_clip. A clip without words stays
            where it is and belongs to no one.
    """
    names = Names.beside(plan)
    people: dict[str, list[str]] = {}
    tracks = []
    for track in plan.tracks:
        clips: list[Clip] = []
        for clip in track.clips:
            said = [word for word in words.get(clip.clip_id, ()) if word.speaker]
            if not said or not track.role.is_speech:
                clips.append(clip)
                continue
            for at, (speaker, span) in enumerate(_turns_of(clip, track, said, energies)):
                part = part_of(clip, span)
                if part is None:
                    continue
                if at:
                    part = replace(part, clip_id=names.another())
                clips.append(_edged(part, is_start=at > 0, is_end=span.end_sample < clip.span.end_sample))
                people.setdefault(speaker, []).append(part.clip_id)
        tracks.append(replace(track, clips=tuple(clips)))
    return replace(plan, tracks=tuple(tracks)), people


def bleep(length_samples: int) -> Audio:
    """The tone that covers words, float32 (length_samples, 1): BLEEP_HZ at BLEEP_DBFS, from a zero crossing.

    >>> bleep(480).shape
    (480, 1)
    """
    wave = 10.0 ** (BLEEP_DBFS / 20.0) * np.sin(2.0 * np.pi * BLEEP_HZ * np.arange(length_samples) / RATE_HZ)
    return np.ascontiguousarray(wave.astype(np.float32)[:, None])


def track_of(plan: Plan, track_id: str) -> Track:
    """A track of a plan.

    Raises:
        NotThere: there is none of that id.
    """
    found = next((track for track in plan.tracks if track.track_id == track_id), None)
    if found is None:
        raise NotThere()
    return found


def _turns_of(clip: Clip, track: Track, said: Sequence[Word], energies: Energies) -> list[tuple[str, SampleSpan]]:
    # Each pause between two people is parted in its middle, which leaves no gap and doubles nothing.
    edges, speakers = [clip.start_sample], [said[0].speaker]
    for before, after in pairwise(said):
        if before.speaker != after.speaker:
            middle = (min(before.end_sample, after.start_sample) + after.start_sample) // 2
            edge = quiet_sample(track, middle, energies)
            if edge - edges[-1] >= LEAST_CLIP_SAMPLES and clip.span.end_sample - edge >= LEAST_CLIP_SAMPLES:
                edges.append(edge)
                speakers.append(after.speaker)
    ends = [*edges[1:], clip.span.end_sample]
    return [
        (speaker, SampleSpan(start, end - start)) for speaker, start, end in zip(speakers, edges, ends, strict=True)
    ]


def _joined(spans: Sequence[SampleSpan]) -> list[SampleSpan]:
    found: list[SampleSpan] = []
    for span in sorted(spans):
        if found and span.start_sample <= found[-1].end_sample:
            end = max(found[-1].end_sample, span.end_sample)
            found[-1] = SampleSpan(found[-1].start_sample, end - found[-1].start_sample)
        else:
            found.append(span)
    return found


def _cleared(plan: Plan, track_id: str, gone: SampleSpan) -> Plan:
    names = Names.beside(plan)
    clips: list[Clip] = []
    for clip in track_of(plan, track_id).clips:
        if clip.span.intersect(gone) is None:
            clips.append(clip)
            continue
        end = min(gone.end_sample, clip.span.end_sample)
        before = part_of(clip, SampleSpan(0, gone.start_sample))
        after = part_of(clip, SampleSpan(end, clip.span.end_sample - end))
        if before is not None:
            clips.append(_edged(before, is_end=True))
        if after is not None:
            renamed = after if before is None else replace(after, clip_id=names.another())
            clips.append(_edged(renamed, is_start=True))
    return _with_clips(plan, track_id, clips)


def _closed(plan: Plan, track_id: str, gone: SampleSpan) -> Plan:
    names = Names.beside(plan)
    track = track_of(plan, track_id)
    until = _end_of_run(track, gone.end_sample)
    clips: list[Clip] = []
    for clip in track.clips:
        if clip.span.intersect(gone) is None:
            follows = gone.end_sample <= clip.start_sample < until
            clips.append(_moved_up(clip, gone) if follows else clip)
            continue
        end = min(gone.end_sample, clip.span.end_sample)
        before = part_of(clip, SampleSpan(0, gone.start_sample))
        after = part_of(clip, SampleSpan(end, clip.span.end_sample - end))
        if before is not None:
            clips.append(_faded_into(before, gone) if end > gone.start_sample + CROSSFADE_SAMPLES else before)
        if after is not None:
            renamed = after if before is None else replace(after, clip_id=names.another())
            joins = after.in_sample - clip.in_sample > CROSSFADE_SAMPLES and before is not None
            clips.append(_moved_up(_faded_from(renamed) if joins else renamed, gone))
    return _with_clips(plan, track_id, clips)


def _end_of_run(track: Track, at_sample: int) -> int:
    # What touches moves together; behind a gap each sound keeps its place against the picture.
    end = at_sample
    for clip in sorted(track.clips, key=lambda one: one.start_sample):
        if clip.start_sample <= end + TOUCHING_SAMPLES:
            end = max(end, clip.span.end_sample)
    return end


def _moved_up(clip: Clip, gone: SampleSpan) -> Clip:
    return replace(clip, start_sample=clip.start_sample - gone.length_samples)


def _faded_into(clip: Clip, gone: SampleSpan) -> Clip:
    # The recording goes on into what was taken out: half of the crossfade lies there.
    half = min(CROSSFADE_SAMPLES // 2, gone.length_samples)
    length = clip.length_samples + half
    return replace(
        clip,
        length_samples=length,
        fade_out_samples=min(2 * half, length // 2),
        fade_out_shape=FadeShape.EQUAL_POWER,
    )


def _faded_from(clip: Clip) -> Clip:
    half = min(CROSSFADE_SAMPLES // 2, clip.start_sample)
    length = clip.length_samples + half
    return replace(
        clip,
        start_sample=clip.start_sample - half,
        in_sample=clip.in_sample - half,
        length_samples=length,
        curve=tuple(replace(point, at_sample=point.at_sample + half) for point in clip.curve),
        fade_in_samples=min(2 * half, length // 2),
        fade_in_shape=FadeShape.EQUAL_POWER,
    )


def _edged(clip: Clip, *, is_start: bool = False, is_end: bool = False) -> Clip:
    fade = min(EDGE_FADE_SAMPLES, clip.length_samples // 2)
    if is_start:
        clip = replace(clip, fade_in_samples=fade, fade_in_shape=FadeShape.EQUAL_POWER)
    if is_end:
        clip = replace(clip, fade_out_samples=fade, fade_out_shape=FadeShape.EQUAL_POWER)
    return clip


def _with_clips(plan: Plan, track_id: str, clips: Sequence[Clip]) -> Plan:
    ordered = tuple(sorted(clips, key=lambda clip: (clip.start_sample, len(clip.clip_id), clip.clip_id)))
    tracks = tuple(replace(t, clips=ordered) if t.track_id == track_id else t for t in plan.tracks)
    return replace(plan, tracks=tracks)
