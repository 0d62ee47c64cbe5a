"""Phrases: stretches that one person speaks in one go, with their level and the noise around them.

A phrase is a span of speech, cut where its level changes by more than a few LU in a gap between words: turns of a fast
dialogue are phrases of their own, and so is a word that is shouted among others. Its level is its integrated loudness
(BS.1770). What sounds before its first and after its last word down to 25 dB under them (onsets, the tail of the room)
belongs to it.
Held to: tests/core/test_phrases.py
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

import numpy as np

from recitant_core.measure.clip_level import outliers
from recitant_core.measure.loudness import (
    RELATIVE_GATE_LU,
    BoolArray,
    gating_block_powers,
    integrated_lufs,
    window_powers,
)
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, SampleSpan
from recitant_core.units.level import lufs_from_power, power_from_lufs, ratio_from_lu

LEAST_PHRASE_HOPS: Final = 25  # what is shorter sets no level: a click, a breath
_GAP_HOPS: Final = 12  # a gap between words
_GAP_LU: Final = 16.0  # so far under the loud part of a span
_TURN_LU: Final = 4.0  # neighbours this near in level are one phrase
_LEAST_TURN_HOPS: Final = 80
_SHOUTED_LU: Final = 8.0  # a shorter one is a phrase of its own where it stands so far over both of its neighbours
_CLICK_HOPS: Final = 12  # a burst no longer than this is a click or a clap; a word lasts longer
STILL_DB: Final = 25.0  # so far under a phrase nothing of it is heard any more
PAUSE_HOPS: Final = 25
_OVER_NOISE_LU: Final = 4.0  # and in noise no tail is heard further down than this over it
_MOST_EDGE_HOPS: Final = 40
_TAIL_LU: Final = 3.0
_LEAST_STILL_HOPS: Final = 4
_NEAR_HOPS: Final = 100
_DEEPEST_LU: Final = 30.0  # what lies so far under a span's loudest word is never a word of it
_SMOOTH_HOPS: Final = 5
_AROUND_HOPS: Final = 800  # noise is looked for this far on both sides
_NOISE_WINDOW_HOPS: Final = 15
_LEAST_NOISE_WINDOWS: Final = 3
_SILENT_DB: Final = -200.0


@dataclass(frozen=True)
class Phrase:
    """A phrase, in hops of 10 ms."""

    first_hop: int
    last_hop: int
    """The first behind it."""
    level_lufs: float
    noise_lufs: float | None
    """Of the quietest pauses near by; None without pauses, or where they are digital silence."""
    onset_hops: int = 0
    """Sound before it that belongs to it."""
    tail_hops: int = 0
    """Sound behind it that belongs to it."""
    is_run_on: bool = False
    """Whether it follows the phrase before without a pause and without a moment 25 dB under both."""

    @property
    def sounds_from(self) -> int:
        """First hop that belongs to it."""
        return self.first_hop - self.onset_hops

    @property
    def sounds_to(self) -> int:
        """First hop behind all that belongs to it."""
        return self.last_hop + self.tail_hops

    @property
    def n_hops(self) -> int:
        """Length."""
        return self.last_hop - self.first_hop


def phrases(
    energy: FloatArray, spans: Sequence[SampleSpan], left_out: Sequence[SampleSpan] = (), *, has_noise: bool = True
) -> list[Phrase]:
    """Phrases in order; clicks, bursts and what lies in no speech are none.

    Args:
        energy: float64 (hops,), 10 ms energies of a clip or stem.
        spans: of speech, in order, on the clock of the energies.
        left_out: stretches that count for no level.
        has_noise: whether the noise around them is looked for.
    """
    counted = energy.copy()
    for span in left_out:
        counted[max(0, span.start_sample // HOP_SAMPLES) : max(0, -(-span.end_sample // HOP_SAMPLES))] = 0.0
    is_free = np.ones(len(energy), bool)
    for span in spans:
        is_free[max(0, span.start_sample // HOP_SAMPLES) : -(-span.end_sample // HOP_SAMPLES)] = False
    for first, last in outliers(counted, ~is_free):
        if last - first <= _CLICK_HOPS:
            counted[first:last] = 0.0
    noise = _Noise(energy, is_free) if has_noise else None
    found = []
    for span in spans:
        first, last = max(0, span.start_sample // HOP_SAMPLES), min(len(energy), -(-span.end_sample // HOP_SAMPLES))
        for begin, end in _turns(counted, first, last):
            level = _level_lufs(counted[begin:end])
            if end - begin >= LEAST_PHRASE_HOPS and level is not None:
                found.append(Phrase(begin, end, level, None if noise is None else noise.near(begin, end)))
    return with_edges(energy, found)


def with_edges(energy: FloatArray, found: Sequence[Phrase]) -> list[Phrase]:
    """Phrases with the sound around them that belongs to each, and whether a gain may move between two of them.

    Args:
        energy: float64 (hops,), of the same clock.
        found: phrases in order.
    """
    smooth = _smoothed(energy)
    still = [
        max(_loud(smooth, phrase) * ratio_from_lu(-STILL_DB), _noise_energy(phrase) * ratio_from_lu(_OVER_NOISE_LU))
        for phrase in found
    ]
    edged = list(found)
    for index, phrase in enumerate(found):
        # Before the first and behind the last phrase sound may belong to them up to a limit.
        if index == 0:
            before = smooth[max(0, phrase.first_hop - _MOST_EDGE_HOPS) : phrase.first_hop][::-1]
            edged[0] = replace(edged[0], onset_hops=_sounding(before, still[0]))
        if index == len(found) - 1:
            behind = smooth[phrase.last_hop : phrase.last_hop + _MOST_EDGE_HOPS]
            edged[-1] = replace(edged[-1], tail_hops=_sounding(behind, still[-1]))
        else:
            gap = smooth[phrase.last_hop : found[index + 1].first_hop]
            # A gain may move where the gap is still against both neighbours.
            under = min(still[index], still[index + 1])
            loud = max(_loud(smooth, phrase), _loud(smooth, found[index + 1]))
            edged[index], edged[index + 1] = _parted(edged[index], edged[index + 1], gap, under, loud)
    return edged


def _parted(a: Phrase, b: Phrase, gap: FloatArray, still: float, loud: float) -> tuple[Phrase, Phrase]:
    # A gain may move where it is still longest; else in the middle of a pause; else the phrases run on.
    edges = np.flatnonzero(np.diff(np.concatenate([[False], gap <= still, [False]]).astype(np.int8))).reshape(-1, 2)
    first, last = max(edges.tolist(), key=lambda edge: edge[1] - edge[0], default=(0, 0))
    if last - first < _LEAST_STILL_HOPS:
        if len(gap) < PAUSE_HOPS:
            return a, replace(b, is_run_on=True)
        first, last = len(gap) // 5, len(gap) - len(gap) // 5
    # What is far louder than the words is no part of them.
    louder = np.flatnonzero(gap > loud * ratio_from_lu(_TAIL_LU))
    behind = int(louder[louder < first].min(initial=first))
    ahead = int(louder[louder >= last].max(initial=last - 1)) + 1
    return (
        replace(a, tail_hops=min(behind, _MOST_EDGE_HOPS)),
        replace(b, onset_hops=min(len(gap) - ahead, _MOST_EDGE_HOPS)),
    )


def _noise_energy(phrase: Phrase) -> float:
    return 0.0 if phrase.noise_lufs is None else power_from_lufs(phrase.noise_lufs) * HOP_SAMPLES


def _loud(smooth: FloatArray, phrase: Phrase) -> float:
    return float(smooth[phrase.first_hop : phrase.last_hop].max(initial=0.0))


def _sounding(energy: FloatArray, still: float) -> int:
    quiet = np.flatnonzero(energy <= still)
    return int(quiet[0]) if len(quiet) else len(energy)


def _smoothed(energy: FloatArray) -> FloatArray:
    found: FloatArray = (
        np.convolve(energy, np.ones(_SMOOTH_HOPS) / _SMOOTH_HOPS, mode="same") if len(energy) else energy
    )
    return found


def _level_lufs(energy: FloatArray) -> float | None:
    found = integrated_lufs(gating_block_powers(energy))
    if found is None:
        found = lufs_from_power(float(energy.sum()) / (len(energy) * HOP_SAMPLES)) if energy.any() else None
    return found if found is not None and np.isfinite(found) else None


def _words_db(energy: FloatArray) -> float:
    # Mean of the hops that lie within 10 dB of their mean: short stretches are compared by it.
    mean = float(energy.mean()) if len(energy) else 0.0
    if mean <= 0.0:
        return _SILENT_DB
    return 10.0 * math.log10(float(energy[energy > mean * ratio_from_lu(-RELATIVE_GATE_LU)].mean()))


class _Noise:
    """Level of the pauses around a place."""

    def __init__(self, energy: FloatArray, is_free: BoolArray) -> None:
        powers = window_powers(energy, _NOISE_WINDOW_HOPS, _NOISE_WINDOW_HOPS) if len(energy) else np.zeros(0)
        starts = np.arange(len(powers)) * _NOISE_WINDOW_HOPS
        talk = np.concatenate([[0], np.cumsum(~is_free)])
        is_pause = (talk[starts + _NOISE_WINDOW_HOPS] - talk[starts] == 0) & (powers > 1e-12)
        self._starts, self._powers = starts[is_pause], powers[is_pause]

    def near(self, first: int, last: int) -> float | None:
        low, high = np.searchsorted(self._starts, [first - _AROUND_HOPS, last + _AROUND_HOPS])
        near = self._powers[low:high]
        return None if len(near) < _LEAST_NOISE_WINDOWS else lufs_from_power(float(np.quantile(near, 0.2)))


def _turns(energy: FloatArray, first: int, last: int) -> list[tuple[int, int]]:
    # Words between gaps, joined while neighbours are about as loud; the short ones go with the nearer in level.
    words = _words(energy[first:last])
    if len(words) < 2:
        return [(first, last)]
    parts = [(0, words[0][1]), *words[1:-1], (words[-1][0], last - first)]
    while len(parts) > 1:
        levels = [_words_db(energy[first + a : first + b]) for a, b in parts]
        joins = _joins(parts, levels)
        if not joins:
            break
        merged, index = [], 0
        while index < len(parts):
            if index in joins:
                merged.append((parts[index][0], parts[index + 1][1]))
                index += 2
            else:
                merged.append(parts[index])
                index += 1
        parts = merged
    return [(first + a, first + b) for a, b in parts]


def _joins(parts: list[tuple[int, int]], levels: list[float]) -> set[int]:
    # Which parts join the one behind them: first those too short for a turn, then those about as loud.
    away = [abs(a - b) for a, b in pairwise(levels)]
    is_short = [
        b - a < _LEAST_TURN_HOPS and not (b - a >= LEAST_PHRASE_HOPS and _stands_out(levels, index))
        for index, (a, b) in enumerate(parts)
    ]
    wanted = []
    for index, step in enumerate(away):
        if is_short[index] or is_short[index + 1]:
            neighbours = [away[i] for i in (index - 1, index + 1) if 0 <= i < len(away)]
            if step <= min(neighbours, default=step):
                wanted.append((step - 100.0, index))
        elif step < _TURN_LU:
            wanted.append((step, index))
    taken: set[int] = set()
    for step, index in sorted(wanted):
        if not {index - 1, index, index + 1} & taken and (step < 0.0 or not any(s < 0.0 for s, _ in wanted)):
            taken.add(index)
    return taken


def _stands_out(levels: list[float], index: int) -> bool:
    beside = [levels[i] for i in (index - 1, index + 1) if 0 <= i < len(levels)]
    return all(levels[index] - level >= _SHOUTED_LU for level in beside)


def _words(energy: FloatArray) -> list[tuple[int, int]]:
    smooth = _smoothed(energy)
    # The loud part near by, of the quieter side: beside a loud answer a quiet question is not all gap.
    step, width = _NEAR_HOPS // 2, _NEAR_HOPS
    places = np.arange(0, len(smooth), step)
    highest = np.array([smooth[at : at + step].max() for at in places])
    around = np.pad(highest, (width // step, width // step), mode="edge")
    side = np.lib.stride_tricks.sliding_window_view(around, width // step + 1).max(axis=1)
    near = np.minimum(side[: len(highest)], side[-len(highest) :])
    loud = np.maximum(np.interp(np.arange(len(smooth)), places, near), smooth.max() * ratio_from_lu(-_DEEPEST_LU))
    is_word = smooth > loud * ratio_from_lu(-_GAP_LU)
    edges = np.flatnonzero(np.diff(np.concatenate([[False], is_word, [False]]).astype(np.int8))).reshape(-1, 2)
    words: list[tuple[int, int]] = []
    for begin, end in edges.tolist():
        if words and begin - words[-1][1] < _GAP_HOPS:
            words[-1] = (words[-1][0], end)
        else:
            words.append((begin, end))
    return words
