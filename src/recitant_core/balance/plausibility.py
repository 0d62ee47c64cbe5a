"""Whether a programme can be meant as it lies there, before anybody balances it: what looks like a mistake, and where.

Limits are ours (common practice): two people talk over one another for a moment, not three for minutes.
Held to: tests/core/test_plausibility.py
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations, product
from typing import Final

import numpy as np

from recitant_core.measure.moments import Moment
from recitant_core.timeline.model import Clip, Plan
from recitant_core.timeline.speech import SpeechOfSources, speech_of_clip
from recitant_core.timeline.takes import shared_samples
from recitant_core.units.clock import RATE_HZ, SampleSpan

VOICES: Final = 3
"""So many clips that speak at once, for long, are a mistake."""
VOICES_S: Final = 10.0
VOICES_SHARE: Final = 0.25
"""Of the time in which anybody speaks."""
DOUBLED_SHARE: Final = 0.85
"""Of the speech of two clips, together in time, from which they are one voice twice."""
DOUBLED_S: Final = 5.0
_STEP_SAMPLES: Final = RATE_HZ // 10
_MOST_PAIRS: Final = 4_000
_IN_STEP_SAMPLES: Final = RATE_HZ // 20
_MOST_MOMENTS: Final = 4
"""So many are listed at once; the next ones follow when these are settled."""


@dataclass(frozen=True)
class Doubt:
    """Something that looks like a mistake."""

    code: str
    """all-excluded, no-speech, many-voices, doubled, same-moment or outside-picture."""
    share: float = 0.0
    """Of the time in speech, or of the clips, that it is about."""
    names: tuple[str, ...] = ()
    """Of the clips that are meant."""
    clip_ids: tuple[str, ...] = ()


def doubts(
    plan: Plan, speech: SpeechOfSources, picture: SampleSpan | None = None, moments: Sequence[Moment] = ()
) -> tuple[Doubt, ...]:
    """Doubts about a programme as it lies there, the worst first.

    Args:
        speech: of each recording.
        picture: where it lies; None where there is none.
        moments: recordings of the same moment.
    """
    clips = [clip for track in plan.tracks for clip in track.clips]
    heard = [clip for track in plan.tracks for clip in track.in_mix]
    if clips and not heard:
        return (Doubt("all-excluded", 1.0),)
    voices = [clip for track in plan.tracks if track.role.is_speech for clip in track.in_mix]
    spoken = {clip.clip_id: _steps(clip, speech) for clip in voices}
    found = []
    if voices and not any(len(steps) for steps in spoken.values()):
        found.append(Doubt("no-speech", 1.0, _names(voices)))
    same = _same_moment(voices, moments)
    known = {frozenset(doubt.clip_ids) for doubt in same}
    doubled = [doubt for doubt in _doubled(voices, spoken) if frozenset(doubt.clip_ids) not in known]
    found += [*_many_voices(voices, spoken), *doubled, *same, *_outside(heard, picture)]
    return tuple(found)


def _steps(clip: Clip, speech: SpeechOfSources) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    """Tenths of a second in which a clip speaks, by number, int64 (steps,)."""
    spans = [span.span for span in speech_of_clip(clip, speech)]
    ranges = [np.arange(s.start_sample // _STEP_SAMPLES, -(-s.end_sample // _STEP_SAMPLES)) for s in spans]
    return np.unique(np.concatenate(ranges)) if ranges else np.zeros(0, np.int64)


def _many_voices(voices: Sequence[Clip], spoken: dict[str, np.ndarray[tuple[int], np.dtype[np.int64]]]) -> list[Doubt]:
    talking = [steps for steps in spoken.values() if len(steps)]
    if len(talking) < VOICES:
        return []
    _, counts = np.unique(np.concatenate(talking), return_counts=True)
    crowded = counts >= VOICES
    share = float(crowded.mean())
    if crowded.sum() * _STEP_SAMPLES < VOICES_S * RATE_HZ or share < VOICES_SHARE:
        return []
    return [Doubt("many-voices", share, _names(voices), tuple(clip.clip_id for clip in voices))]


def _doubled(voices: Sequence[Clip], spoken: dict[str, np.ndarray[tuple[int], np.dtype[np.int64]]]) -> list[Doubt]:
    least = DOUBLED_S * RATE_HZ / _STEP_SAMPLES
    long = [clip for clip in voices if len(spoken[clip.clip_id]) >= least]
    for count, (one, other) in enumerate(combinations(long, 2)):
        if count >= _MOST_PAIRS:
            break
        if one.source_key == other.source_key or one.span.intersect(other.span) is None:
            continue
        first, second = spoken[one.clip_id], spoken[other.clip_id]
        together = len(np.intersect1d(first, second, assume_unique=True))
        share = together / max(len(first), len(second))
        if share >= DOUBLED_SHARE and together >= least:
            # What belongs to the picture is the guide track as a rule.
            pair = (one, other) if one.sync_sample is not None and other.sync_sample is None else (other, one)
            return [Doubt("doubled", share, _names(pair), tuple(clip.clip_id for clip in pair))]
    return []


def _same_moment(voices: Sequence[Clip], moments: Sequence[Moment]) -> list[Doubt]:
    by_source: dict[str, list[Clip]] = {}
    for clip in voices:
        by_source.setdefault(clip.source_key, []).append(clip)
    found = []
    spare_ids: set[str] = set()
    for moment in moments:
        for pair in product(by_source.get(moment.first_key, ()), by_source.get(moment.second_key, ())):
            if spare_ids & {clip.clip_id for clip in pair}:
                continue
            first, second = pair
            lies_by = second.start_sample - second.in_sample - first.start_sample + first.in_sample
            is_in_step = abs(lies_by - moment.offset_samples) <= _IN_STEP_SAMPLES
            if is_in_step or shared_samples(*pair, moment.offset_samples) < DOUBLED_S * RATE_HZ:
                continue
            # What belongs to the picture is the guide track as a rule; else the clearer one is heard.
            is_guide_first = pair[0].sync_sample is not None and pair[1].sync_sample is None
            spare, kept = pair if is_guide_first else (pair[1], pair[0])
            spare_ids.add(spare.clip_id)
            names, clip_ids = (spare.name, kept.name), (spare.clip_id, kept.clip_id)
            found.append(Doubt("same-moment", moment.similarity, names, clip_ids))
    return found[:_MOST_MOMENTS]


def _outside(heard: Sequence[Clip], picture: SampleSpan | None) -> list[Doubt]:
    if picture is None or not heard:
        return []
    out = [clip for clip in heard if clip.span.intersect(picture) is None]
    return [Doubt("outside-picture", len(out) / len(heard), _names(out), tuple(c.clip_id for c in out))] if out else []


def _names(clips: Sequence[Clip]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(clip.name for clip in clips))[:6]
