"""Loudness from the 10 ms energies that K-weighting gives: momentary, short-term, integrated, range.

Source: ITU-R BS.1770 Annex 1 (integrated), EBU Tech 3341 (windows), EBU Tech 3342 (range).
Held to: tests/conformance/test_tech3341.py, test_tech3342.py, test_against_libraries.py
"""

import math
from typing import Final

import numpy as np
import numpy.typing as npt

from recitant_core.dsp.kweighting import hop_edges
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOPS_PER_SECOND, RATE_HZ
from recitant_core.units.level import LOUDNESS_OFFSET_DB, SILENCE, lufs_from_power, power_from_lufs, ratio_from_lu

BoolArray = npt.NDArray[np.bool_]

ABSOLUTE_GATE_LUFS: Final = -70.0  # BS.1770 Annex 1, first gate
RELATIVE_GATE_LU: Final = 10.0  # BS.1770 Annex 1, second gate
BLOCK_HOPS: Final = 40  # BS.1770 Annex 1: 400 ms gating blocks; Tech 3341: momentary window
BLOCK_STEP_HOPS: Final = 10  # BS.1770 Annex 1: 75 % overlap
SHORT_TERM_HOPS: Final = 300  # Tech 3341: short-term window, 3 s
RANGE_GATE_LU: Final = 20.0  # Tech 3342: relative gate
RANGE_STEP_HOPS: Final = 10  # Tech 3342: at least 10 Hz


def window_powers(hop_energy: FloatArray, window_hops: int, step_hops: int, rate_hz: int = RATE_HZ) -> FloatArray:
    """Mean square of every full window, channel-weighted: float64 (windows,); empty where none is full.

    Args:
        hop_energy: float64 (hops,), sums of squares of 10 ms each.
        window_hops: length of a window.
        step_hops: from one window to the next.
        rate_hz: rate of the signal the energies were taken from.
    """
    if len(hop_energy) < window_hops:
        return np.zeros(0)
    sums = _window_sums(hop_energy, window_hops, step_hops)
    if rate_hz % HOPS_PER_SECOND == 0:
        powers: FloatArray = sums / (window_hops * (rate_hz // HOPS_PER_SECOND))
        return powers
    edges = hop_edges(len(hop_energy), rate_hz)
    uneven: FloatArray = sums / (edges[window_hops:] - edges[:-window_hops])[::step_hops]
    return uneven


def _window_sums(values: FloatArray, window: int, step: int) -> FloatArray:
    # Running sums lose digits after a loud hour; sums of tens, then of those, do not, and are few.
    part = next((n for n in (10, 5, 2) if window % n == 0), 1)
    n = (len(values) - window) // step + 1
    if step % part == 0:
        # Windows begin where tens do.
        tens = values[: len(values) // part * part].reshape(-1, part).sum(axis=1)
        apart, step = 1, step // part
    else:
        tens = values[: len(values) - part + 1].copy()
        for shift in range(1, part):
            tens += values[shift : len(values) - part + 1 + shift]
        apart = part
    total = np.zeros(n)
    for first in range(0, window // part * apart, apart):
        total += tens[first : first + (n - 1) * step + 1 : step]
    return total


def gating_block_powers(hop_energy: FloatArray, rate_hz: int = RATE_HZ) -> FloatArray:
    """Powers of the 400 ms gating blocks at 75 % overlap, float64 (blocks,). Source: BS.1770 Annex 1.

    Args:
        hop_energy: 10 ms K-weighted energies, float64 (hops,).
    """
    return window_powers(hop_energy, BLOCK_HOPS, BLOCK_STEP_HOPS, rate_hz)


def gated_blocks(block_power: FloatArray) -> BoolArray:
    """Mask of the blocks that pass both gates, bool (blocks,).

    Source: ITU-R BS.1770, Annex 1 (gating). Where the text says "above", an equal block is dropped.
    """
    audible: BoolArray = block_power > power_from_lufs(ABSOLUTE_GATE_LUFS)
    if not audible.any():
        return audible
    loud: BoolArray = block_power > block_power[audible].mean() * ratio_from_lu(-RELATIVE_GATE_LU)
    return audible & loud


def integrated_lufs(block_power: FloatArray) -> float | None:
    """Integrated loudness of a programme, from the powers of its gating blocks, float64 (blocks,).

    Returns:
        Level in LUFS; SILENCE if no block passes the first gate; None without any block (under 400 ms).

    >>> round(integrated_lufs(np.array([1.0, 1.0, 1e-9])), 3)
    -0.691
    """
    if block_power.size == 0:
        return None
    kept = block_power[gated_blocks(block_power)]
    return lufs_from_power(float(kept.mean())) if kept.size else SILENCE


def anchored_lufs(block_power: FloatArray, anchor_block_power: FloatArray) -> float | None:
    """Loudness of a mix while its dialogue sounds: the mean of the blocks that pass the gates in the dialogue.

    Args:
        block_power: float64 (blocks,) of the mix.
        anchor_block_power: float64 (blocks,) of the dialogue stem alone, on the same clock.

    Returns:
        Level in LUFS; None where no dialogue sounds.
    """
    if anchor_block_power.size == 0:
        return None
    mask = gated_blocks(anchor_block_power)
    return lufs_from_power(float(block_power[mask].mean())) if mask.any() else None


def range_lu(short_term_power: FloatArray) -> float | None:
    """Loudness range, from the powers of 3 s windows at 10 Hz, float64 (windows,).

    Returns:
        Range in LU; None where no window is audible.

    Source: EBU Tech 3342: gates at -70 LUFS and 20 LU under the mean, 10th to 95th percentile.
    """
    audible = short_term_power[short_term_power >= power_from_lufs(ABSOLUTE_GATE_LUFS)]
    if audible.size == 0:
        return None
    kept = np.sort(audible[audible >= audible.mean() * ratio_from_lu(-RANGE_GATE_LU)])
    low = float(kept[round((len(kept) - 1) * 0.10)])
    high = float(kept[round((len(kept) - 1) * 0.95)])
    return 10.0 * math.log10(high / low)


def level_curve_lufs(powers: FloatArray) -> FloatArray:
    """Loudness of each power, float64 of the same length; -inf for silence.

    Args:
        powers: K-weighted, channel-weighted mean squares, float64 (places,).

    >>> level_curve_lufs(np.array([1.0, 0.0])).tolist()
    [-0.691, -inf]
    """
    with np.errstate(divide="ignore"):
        return LOUDNESS_OFFSET_DB + 10.0 * np.log10(powers)


def momentary_contour_lufs(hop_energy: FloatArray, at_hops: FloatArray) -> FloatArray:
    """Momentary loudness around each of these hops (400 ms centred on it), float64 (places,).

    Args:
        hop_energy: float64 (hops,) at 48 kHz; outside of it is silence.
        at_hops: whole numbers, any order.
    """
    return _centred_contour(hop_energy, at_hops, BLOCK_HOPS)


def short_term_contour_lufs(hop_energy: FloatArray, at_hops: FloatArray) -> FloatArray:
    """Short-term loudness around each of these hops (3 s centred on it), float64 (places,).

    Args:
        hop_energy: K-weighted sum of squares of each 10 ms, float64 (hops,).
        at_hops: places in hops, float64 (places,).
    """
    return _centred_contour(hop_energy, at_hops, SHORT_TERM_HOPS)


def _centred_contour(hop_energy: FloatArray, at_hops: FloatArray, window_hops: int) -> FloatArray:
    total = np.concatenate([[0.0], np.cumsum(hop_energy)])
    first = np.clip(at_hops.astype(np.int64) - window_hops // 2, 0, len(hop_energy))
    last = np.clip(at_hops.astype(np.int64) + window_hops // 2, 0, len(hop_energy))
    # A contour is for the eye: where sound has only just begun, the window is as long as the sound it holds.
    frames = np.maximum(last - first, 1) * (RATE_HZ // HOPS_PER_SECOND)
    return level_curve_lufs(np.maximum(total[last] - total[first], 0.0) / frames)
