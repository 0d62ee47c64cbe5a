"""Clearance: how far speech stands above everything else, moment by moment, and where it is too close.

Speech is read as the level of the words around a moment (one second, with its own short gaps gated out), the rest as
momentary loudness (400 ms): a syllable's end is no buried word, a hammer blow of half a second is.
Definition of this project; the 400 ms window and the gate of 10 LU follow BS.1770 and Tech 3341.
Held to: tests/core/test_clearance.py
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numba
import numpy as np
import numpy.typing as npt

from recitant_core.measure.loudness import BLOCK_HOPS, RELATIVE_GATE_LU
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, HOPS_PER_SECOND, SampleSpan
from recitant_core.units.level import LOUDNESS_OFFSET_DB, ratio_from_lu

BoolArray = npt.NDArray[np.bool_]
WORDS_HOPS: Final = 100  # one second: a few words
DEFAULT_ASKED_LU: Final = 7.0
STRICT_LU: Final = 20.0  # W3C WCAG 2.1, success criterion 1.4.7
LEAST_PASSAGE_S: Final = 0.5
_JOIN_HOPS: Final = 20  # passages closer than 0.2 s are one
_TOLERANCE_LU: Final = 0.05
_MOST_LU: Final = 99.0
_TO_LU: Final = 0.005
_WINDOW_STEP: Final = 10  # hops between windows that count: BS.1770's gating blocks


@dataclass(frozen=True)
class ClosePassage:
    """A stretch where speech has less clearance than asked for."""

    span: SampleSpan
    least_lu: float
    mean_lu: float


def speech_mask(spans: Sequence[SampleSpan], n_hops: int) -> BoolArray:
    """Mask of hops that lie in speech, bool (hops,); a hop that speech only touches counts.

    >>> speech_mask([SampleSpan(480, 481)], 4).tolist()
    [False, True, True, False]
    """
    mask = np.zeros(n_hops, bool)
    for span in spans:
        mask[max(0, span.start_sample // HOP_SAMPLES) : max(0, -(-span.end_sample // HOP_SAMPLES))] = True
    return mask


def words_power(speech_energy: FloatArray, is_speech: BoolArray) -> FloatArray:
    """Mean square of the words around each hop, float64 (hops,); 0 where no speech is near.

    Args:
        speech_energy: float64 (hops,), 10 ms K-weighted energies of all dialogue.
        is_speech: which hops lie in speech.
    """
    inside = is_speech.astype(np.float64)
    energy = speech_energy * inside
    mean = _windowed(energy, WORDS_HOPS) / np.maximum(_windowed(inside, WORDS_HOPS), 1e-9)
    kept = inside * (speech_energy > mean * ratio_from_lu(-RELATIVE_GATE_LU))
    n_kept = _windowed(kept, WORDS_HOPS)
    words: FloatArray = np.where(n_kept > 0.5, _windowed(energy * kept, WORDS_HOPS) / np.maximum(n_kept, 1.0), 0.0)
    return words / HOP_SAMPLES


def momentary_power(energy: FloatArray) -> FloatArray:
    """Mean square of the 400 ms around each hop, float64 (hops,); silence outside.

    Args:
        energy: K-weighted sum of squares of each 10 ms, float64 (hops,).
    """
    power: FloatArray = _windowed(energy, BLOCK_HOPS) / (BLOCK_HOPS * HOP_SAMPLES)
    return power


def window_words_power(speech_energy: FloatArray, is_speech: BoolArray) -> FloatArray:
    """Mean square of the speech in the 400 ms around each hop, float64 (hops,); 0 where the window does not count.

    A window counts where speech fills half of it and lies no more than 10 LU under the middle of all such windows.

    Args:
        speech_energy: float64 (hops,), of all dialogue with all its gains.
        is_speech: bool (hops,).
    """
    power = momentary_power(speech_energy)
    inside = _windowed(is_speech.astype(np.float64), BLOCK_HOPS) >= BLOCK_HOPS / 2
    inside &= power > 0.0
    if not inside.any():
        return np.zeros(len(power))
    counts = inside & (power >= np.median(power[inside]) * ratio_from_lu(-RELATIVE_GATE_LU))
    found: FloatArray = np.where(counts, power, 0.0)
    return found


def window_clearance_lu(window_words: FloatArray, rest_energy: FloatArray) -> FloatArray:
    """Clearance of each window of 400 ms that counts, ten a second: float64 (windows,), +inf where nothing else sounds.

    The one measure of how much of the speech is clear, in reports, on pages and in benchmarks.

    Args:
        window_words: see window_words_power.
        rest_energy: float64 (hops,), of everything else with all its gains.
    """
    n = min(len(window_words), len(rest_energy))
    words, rest = window_words[:n:_WINDOW_STEP], momentary_power(rest_energy[:n])[::_WINDOW_STEP]
    counts = words > 0.0
    audible = rest[counts] > ratio_from_lu(-70.0 - LOUDNESS_OFFSET_DB)
    found = np.full(int(counts.sum()), np.inf)
    found[audible] = 10.0 * np.log10(words[counts][audible] / rest[counts][audible])
    return found


def clear_share(window_clearance: FloatArray, asked_lu: float) -> float | None:
    """Share of windows with so much clearance, 0 to 1; None where nobody speaks.

    Args:
        window_clearance: float64 (windows,), see window_clearance_lu.
    """
    return float((window_clearance >= asked_lu - _TOLERANCE_LU).mean()) if len(window_clearance) else None


def clearance_lu(speech_energy: FloatArray, rest_energy: FloatArray, is_speech: BoolArray) -> FloatArray:
    """Clearance at each hop, float64 (hops,): +inf where nobody speaks or nothing else sounds, -inf for silent speech.

    Args:
        speech_energy: float64 (hops,), of all dialogue with all its gains.
        rest_energy: float64 (hops,), of everything else with all its gains.
        is_speech: bool (hops,).
    """
    return clearance_of_words_lu(words_power(speech_energy, is_speech), rest_energy, is_speech)


def clearance_of_words_lu(words: FloatArray, rest_energy: FloatArray, is_speech: BoolArray) -> FloatArray:
    """Clearance in LU of each hop, float64 (hops,): inf where nothing but speech is heard, or nobody speaks.

    Args:
        words: power of words around each hop, float64 (hops,); see words_power.
        rest_energy: 10 ms energies of everything else, float64 (hops,).
        is_speech: bool (hops,).
    """
    rest = momentary_power(rest_energy)
    found = np.full(len(words), np.inf)
    # Below the absolute gate of BS.1770 (-70 LUFS) counts as silence.
    audible = is_speech & (rest > ratio_from_lu(-70.0 - LOUDNESS_OFFSET_DB))
    with np.errstate(divide="ignore"):
        found[audible] = 10.0 * np.log10(words[audible] / rest[audible])
    return found


def least_clearance_lu(clearance: FloatArray, least_s: float = LEAST_PASSAGE_S) -> float | None:
    """The clearance under which no passage falls, to a hundredth; None where nobody speaks over anything.

    Args:
        clearance: float64 (hops,), see clearance_lu.
        least_s: shorter stretches do not count.
    """
    values = clearance[np.isfinite(clearance)]
    if not close_passages(clearance, np.inf if not values.size else float(values.max()) + 1.0, least_s):
        return None
    low, high = -_MOST_LU, _MOST_LU
    while high - low > _TO_LU:
        middle = (low + high) / 2.0
        if close_passages(clearance, middle, least_s):
            high = middle
        else:
            low = middle
    return low


def close_passages(clearance: FloatArray, asked_lu: float, least_s: float = LEAST_PASSAGE_S) -> list[ClosePassage]:
    """Stretches with less clearance than asked for, in order.

    Args:
        clearance: float64 (hops,), see clearance_lu.
        asked_lu: less than this is too close.
        least_s: shorter stretches do not count.
    """
    is_close = clearance < asked_lu - _TOLERANCE_LU
    edges = np.flatnonzero(np.diff(np.concatenate([[False], is_close, [False]]).astype(np.int8)))
    joined: list[list[int]] = []
    for first, last in edges.reshape(-1, 2).tolist():
        # A pause between two of them is no word in between.
        if joined and first - joined[-1][1] < _JOIN_HOPS:
            joined[-1][1] = last
        else:
            joined.append([first, last])
    found = []
    for first, last in joined:
        if last - first >= round(least_s * HOPS_PER_SECOND):
            values = np.clip(clearance[first:last], -99.0, 99.0)
            close = values[values < asked_lu]
            span = SampleSpan(first * HOP_SAMPLES, (last - first) * HOP_SAMPLES)
            found.append(ClosePassage(span, float(close.min()), float(close.mean())))
    return found


@numba.njit(cache=True, nogil=True)
def _windowed(values: FloatArray, window_hops: int) -> FloatArray:
    # Sum of the window centred on each hop, float64 (hops,); outside is nothing. Running sums begin anew with every
    # block of a window's length, so that a window hangs on nothing far from it, not even by rounding.
    n_hops, half = len(values), window_hops // 2
    sums = np.empty(n_hops)
    before, running = np.zeros(window_hops + 1), np.zeros(window_hops + 1)
    for first in range(-half, n_hops - half + window_hops, window_hops):
        low = max(0, -first)
        high = max(low, min(window_hops, n_hops - first))
        total = 0.0
        # Outside of the programme nothing is added.
        running[: low + 1] = 0.0
        for place in range(low, high):
            total += values[first + place]
            running[place + 1] = total
        running[high + 1 :] = total
        at = first + half - window_hops
        if at >= 0:
            here = sums[at : at + window_hops]
            for place in range(len(here)):
                # The rest of the block before, and the part of this one that the window has reached.
                here[place] = max(before[window_hops] - before[place] + running[place], 0.0)
        before, running = running, before
    return sums
