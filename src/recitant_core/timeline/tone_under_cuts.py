"""Room tone under all cuts of a track: where its floor falls away or jumps, and the clip that evens it.

Gaps between clips, stretches of digital silence inside them, and cuts between two takes of different noise are covered
out of the clips beside them, level matched at both edges. What is longer than a pause of the same scene stays.
Held to: tests/core/test_tone_under_cuts.py
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

import numpy as np

from recitant_core.errors import EditRefused
from recitant_core.gain.envelope import CurvePoint, curve_db
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Clip, Plan, Track
from recitant_core.timeline.room_tone import Gap, ToneStretch, tone_stretch, with_room_tone
from recitant_core.timeline.speech import speech_of_clip
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, RATE_HZ, SampleSpan

LONGEST_GAP_S: Final = 10.0
"""A longer one lies between two scenes."""
LEAST_JUMP_DB: Final = 4.0
"""Of the floor at a cut, to be bridged. 6 dB are plainly heard; common practice."""
BRIDGE_S: Final = 2.0
SILENT_HOP: Final = HOP_SAMPLES * 10.0**-9.3
"""Energy of 10 ms at -93 dBFS: less is silence that no microphone gives."""
UNHEARD_HOP: Final = HOP_SAMPLES * 10.0**-8.0
"""A floor under -80 dBFS needs no cover."""
_LEAST_SILENCE_HOPS: Final = 8
_FLOOR_HOPS: Final = 400
_FLOOR_OF_SPEECH: Final = 0.05  # quantile of the level of speech without pauses that tells its noise
_LEAST_PAUSE_HOPS: Final = 15
_MARGIN_HOPS: Final = 12
_TOUCHING_SAMPLES: Final = RATE_HZ // 100
_EVEN_DB: Final = 0.5


@dataclass(frozen=True)
class Cover:
    """A clip of room tone that is to be laid, see with_cover."""

    gap: Gap
    stretch: ToneStretch
    gain_db: float
    """At its beginning."""
    change_db: float
    """From there to its end."""


@dataclass(frozen=True)
class Covers:
    """All room tone for the cuts of a track."""

    covers: tuple[Cover, ...]
    n_without_tone: int
    """Gaps beside which no quiet stretch is long enough."""


def covers_of_track(
    track: Track, energies: Mapping[str, FloatArray], speech: Mapping[str, Sequence[SpeechSpan]]
) -> Covers:
    """Room tone for every gap, digital silence and jump of the floor of a track that is heard.

    Args:
        energies: 10 ms energies of each recording by the sound key of its clips and by its own key, float64 (hops,).
        speech: of each recording, by its key.
    """
    covers, n_without = [], 0
    for gap, is_bridge in _places(track, energies):
        made = None
        try:
            made = _bridge(gap, energies, speech) if is_bridge else cover_of(gap, energies, speech)
        except EditRefused:
            n_without += 1
        if made is not None:
            covers.append(made)
    return Covers(tuple(covers), n_without)


def cover_of(gap: Gap, energies: Mapping[str, FloatArray], speech: Mapping[str, Sequence[SpeechSpan]]) -> Cover | None:
    """Room tone for a gap, as loud as the floor at both of its edges; None where none of both is heard.

    Args:
        energies, speech: as covers_of_track takes them, float64 (hops,) each.

    Raises:
        EditRefused: neither neighbour has a quiet stretch that is long enough.
    """
    before = _floor(gap.before, gap.span.start_sample, energies, speech, is_after=False)
    after = _floor(gap.after, gap.span.end_sample, energies, speech, is_after=True)
    if max(before, after) < UNHEARD_HOP:
        return None
    stretch = tone_stretch(gap, energies, speech)
    own = _power(stretch, energies)
    edges = [max(floor, UNHEARD_HOP) if floor > 0.0 else max(before, after) for floor in (before, after)]
    start_db, end_db = (float(np.clip(_db(edge / own), LEAST_GAIN_DB, MOST_GAIN_DB)) for edge in edges)
    return Cover(gap, stretch, round(start_db, 1), round(end_db - start_db, 1))


def with_cover(plan: Plan, cover: Cover, source_key: str, in_sample: int, clip_id: str) -> Plan:
    """The plan with a clip of room tone.

    Args:
        source_key: recording that it plays, long enough from in_sample on.
    """
    made = with_room_tone(plan, cover.gap, cover.stretch.model, source_key, in_sample)
    track = next(t for t in made.tracks if t.track_id == cover.gap.track_id)
    tone = track.clips[-1]
    is_moving = abs(cover.change_db) >= _EVEN_DB
    curve = (CurvePoint(0, 0.0), CurvePoint(tone.length_samples, cover.change_db)) if is_moving else ()
    clips = (*track.clips[:-1], replace(tone, clip_id=clip_id, gain_db=cover.gain_db, curve=curve))
    tracks = tuple(replace(t, clips=clips) if t.track_id == track.track_id else t for t in made.tracks)
    return replace(made, tracks=tracks)


def _places(track: Track, energies: Mapping[str, FloatArray]) -> Iterator[tuple[Gap, bool]]:
    clips = sorted(track.in_mix, key=lambda clip: clip.start_sample)
    sounding = [clip for clip in clips if not clip.is_room_tone]
    covered = [clip.span for clip in clips if clip.is_room_tone]
    found: list[tuple[Gap, bool]] = []
    for clip in sounding:
        found += [(Gap(track.track_id, span, clip, clip), False) for span in _silences(clip, energies)]
    for before, after in pairwise(sounding):
        end = before.span.end_sample
        length = after.start_sample - end
        if length > _TOUCHING_SAMPLES:
            found.append((Gap(track.track_id, SampleSpan(end, length), before, after), False))
        elif length > -RATE_HZ:
            found.append((Gap(track.track_id, SampleSpan(max(end, after.start_sample), 0), before, after), True))
    for gap, is_bridge in sorted(found, key=lambda one: one[0].span.start_sample):
        is_new = not any(gap.span.widen(1, 1).intersect(span) for span in covered)
        if is_new and gap.span.length_samples <= LONGEST_GAP_S * RATE_HZ:
            yield gap, is_bridge


def _silences(clip: Clip, energies: Mapping[str, FloatArray]) -> list[SampleSpan]:
    # Stretches of digital silence with sound before and after them, in the programme.
    part = _heard(clip, energies)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], (part < SILENT_HOP).astype(np.int8), [0]])))
    spans = []
    for first, last in edges.reshape(-1, 2).tolist():
        if last - first >= _LEAST_SILENCE_HOPS and first > 0 and last < len(part):
            spans.append(SampleSpan(clip.start_sample + first * HOP_SAMPLES, (last - first) * HOP_SAMPLES))
    return spans


def _bridge(gap: Gap, energies: Mapping[str, FloatArray], speech: Mapping[str, Sequence[SpeechSpan]]) -> Cover | None:
    # The noise of the louder take goes on under the first seconds of the quieter one, or comes before it.
    cut = gap.span.start_sample
    before = _floor(gap.before, cut, energies, speech, is_after=False)
    after = _floor(gap.after, cut, energies, speech, is_after=True)
    loud, soft = max(before, after), max(min(before, after), 1e-30)
    if loud < UNHEARD_HOP or _db(loud / soft) < LEAST_JUMP_DB:
        return None
    source, room = (gap.before, gap.after) if before > after else (gap.after, gap.before)
    length = min(round(BRIDGE_S * RATE_HZ), room.length_samples)
    span = SampleSpan(cut if before > after else cut - length, length)
    stretch = tone_stretch(replace(gap, before=source, after=source), energies, speech)
    start_db = _db((loud - soft) / _power(stretch, energies))
    fall_db = -_db(loud / soft) - 6.0
    begin_db, change_db = (start_db, fall_db) if before > after else (start_db + fall_db, -fall_db)
    gain_db = float(np.clip(begin_db, LEAST_GAIN_DB, MOST_GAIN_DB))
    return Cover(replace(gap, span=span), stretch, round(gain_db, 1), round(change_db, 1))


def _floor(
    clip: Clip,
    at_sample: int,
    energies: Mapping[str, FloatArray],
    speech: Mapping[str, Sequence[SpeechSpan]],
    *,
    is_after: bool,
) -> float:
    # Energy of 10 ms of the noise beside a place, with the clip's gains; 0 where nothing sounds there.
    part = _heard(clip, energies)
    at = (at_sample - clip.start_sample) // HOP_SAMPLES
    first, last = (at, at + _FLOOR_HOPS) if is_after else (at - _FLOOR_HOPS, at)
    hops = slice(max(0, first), max(0, last))
    is_spoken = np.zeros(len(part), bool)
    for span in speech_of_clip(clip, speech):
        begin = (span.start_sample - clip.start_sample) // HOP_SAMPLES
        is_spoken[max(0, begin - _MARGIN_HOPS) : begin + span.length_samples // HOP_SAMPLES + _MARGIN_HOPS] = True
    inside, quantile = part[hops][~is_spoken[hops]], 0.5
    if len(inside) < _LEAST_PAUSE_HOPS:
        inside, quantile = part[hops], _FLOOR_OF_SPEECH
    inside = inside[inside >= SILENT_HOP]
    if not len(inside):
        return 0.0
    place = np.array([float(np.clip(at_sample - clip.start_sample, 0, clip.length_samples))])
    gain_db = clip.gain_db + (float(curve_db(clip.curve, place)[0]) if clip.curve else 0.0)
    return float(np.quantile(inside, quantile) * 10.0 ** (gain_db / 10.0))


def _heard(clip: Clip, energies: Mapping[str, FloatArray]) -> FloatArray:
    first = clip.in_sample // HOP_SAMPLES
    found: FloatArray = energies[clip.sound_key][first : first + clip.length_samples // HOP_SAMPLES]
    return found


def _power(stretch: ToneStretch, energies: Mapping[str, FloatArray]) -> float:
    first = stretch.span.start_sample // HOP_SAMPLES
    part = energies[stretch.model.sound_key][first : first + max(1, stretch.span.length_samples // HOP_SAMPLES)]
    return max(float(part.mean()), 1e-30)


def _db(ratio: float) -> float:
    return float(10.0 * np.log10(max(ratio, 1e-30)))
