"""Sounds in a recording of speech that are not speech: animals, machines, applause, production sound.

They are looked for outside of what was heard as speech, by level alone. What belongs to a performance is told from them
by two marks: it lies close to words of the same recording and is no louder than they are (a breath, a sob, a sigh), or
it comes in notes as laughter does. Source of the notes' rate: Provine and Yong 1991, laugh notes some 210 ms apart
(from memory); a quarter less and half more is taken for it.
Held to: tests/core/test_other_sounds.py
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np

from recitant_core.measure.clearance import momentary_power, speech_mask
from recitant_core.measure.loudness import BoolArray
from recitant_core.measure.phrases import Phrase
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, HOPS_PER_SECOND, SampleSpan
from recitant_core.units.level import lufs_from_power, power_from_lufs, ratio_from_lu

UNDER_WORDS_LU: Final = 15.0  # what lies further under the words is left alone
OVER_NOISE_LU: Final = 10.0
_LEAST_HOPS: Final = 15
_BRIDGE_HOPS: Final = 100
_EDGE_LU: Final = 20.0  # a sound lasts until it is so far under its own loud part
_SMOOTH_HOPS: Final = 5
_BESIDE_HOPS: Final = 100
_BELONGS_LU: Final = 3.0
_NOTE_HOPS: Final = (16, 32)
_LEAST_NOTES: Final = 4
_NOTE_DEPTH_LU: Final = 6.0


@dataclass(frozen=True)
class OtherSound:
    """A sound that is not speech, in hops of 10 ms on the clip's clock."""

    first_hop: int
    last_hop: int
    """The first behind it."""
    level_lufs: float
    """Highest momentary level (400 ms)."""
    is_performance: bool
    """Whether it belongs to what is played: laughter, a sob, a breath."""


def other_sounds(
    energy: FloatArray, spans: Sequence[SampleSpan], phrases: Sequence[Phrase], left_out: Sequence[SampleSpan] = ()
) -> list[OtherSound]:
    """Sounds outside of speech that are nearly as loud as the words or louder, in order.

    Args:
        energy: float64 (hops,), 10 ms energies of a clip.
        spans: of speech, in order, on the clip's clock.
        phrases: of the clip.
        left_out: stretches that count for no level.
    """
    if not phrases or not len(energy):
        return []
    is_taken = speech_mask([*spans, *left_out], len(energy))
    for phrase in phrases:
        is_taken[max(0, phrase.sounds_from) : phrase.sounds_to] = True
    smooth = np.convolve(energy, np.ones(_SMOOTH_HOPS) / _SMOOTH_HOPS, mode="same") / HOP_SAMPLES
    free = smooth[~is_taken]
    free = free[free > 0.0]
    if not len(free):
        return []
    words = float(np.median([phrase.level_lufs for phrase in phrases]))
    noise = float(np.quantile(free, 0.2))
    over = max(power_from_lufs(words - UNDER_WORDS_LU), noise * ratio_from_lu(OVER_NOISE_LU))
    momentary = momentary_power(np.where(is_taken, 0.0, energy))
    found = []
    for first, last in _stretches((smooth > over) & ~is_taken):
        low, high = _grown(smooth, is_taken, first, last)
        if high - low < _LEAST_HOPS:
            continue
        level = float(lufs_from_power(float(momentary[low:high].max())))
        belongs = _belongs(low, high, level, phrases) or _is_in_notes(smooth[low:high])
        found.append(OtherSound(low, high, level, belongs))
    return found


def _stretches(mask: BoolArray) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8))).reshape(-1, 2)
    found: list[tuple[int, int]] = []
    for first, last in edges.tolist():
        if found and first - found[-1][1] < _BRIDGE_HOPS:
            found[-1] = (found[-1][0], last)
        else:
            found.append((first, last))
    return found


def _grown(smooth: FloatArray, is_taken: BoolArray, first: int, last: int) -> tuple[int, int]:
    # To where it is heard no more, or where speech begins.
    under = float(smooth[first:last].max()) * ratio_from_lu(-_EDGE_LU)
    low, high = first, last
    while low > 0 and not is_taken[low - 1] and smooth[low - 1] > under and first - low < HOPS_PER_SECOND:
        low -= 1
    while high < len(smooth) and not is_taken[high] and smooth[high] > under and high - last < HOPS_PER_SECOND:
        high += 1
    return low, high


def _belongs(first: int, last: int, level: float, phrases: Sequence[Phrase]) -> bool:
    near = [p for p in phrases if p.sounds_from - last < _BESIDE_HOPS and first - p.sounds_to < _BESIDE_HOPS]
    return any(level <= phrase.level_lufs + _BELONGS_LU for phrase in near) and last - first < 2 * HOPS_PER_SECOND


def _is_in_notes(power: FloatArray) -> bool:
    # Peaks of the level at the distance of laugh notes, with dips between them.
    level = 10.0 * np.log10(np.maximum(power, 1e-12))
    reach = _NOTE_HOPS[0] // 2
    padded = np.pad(level, reach, mode="edge")
    around = np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1)
    peaks = np.flatnonzero((level >= around.max(axis=1)) & (level > level.max() - 15.0))
    peaks = peaks[np.concatenate([[True], np.diff(peaks) > 1])] if len(peaks) else peaks
    if len(peaks) < _LEAST_NOTES:
        return False
    apart = np.diff(peaks)
    deep = [level[a:b].min() <= min(level[a], level[b]) - _NOTE_DEPTH_LU for a, b in pairwise(peaks)]
    notes = (apart >= _NOTE_HOPS[0]) & (apart <= _NOTE_HOPS[1]) & np.array(deep)
    return int(notes.sum()) >= _LEAST_NOTES - 1 and bool(notes.mean() >= 0.6)
