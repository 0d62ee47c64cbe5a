"""Readings that run with the sound: momentary and short-term loudness and peaks along a stretch."""

import math
from dataclasses import dataclass
from typing import Final

import numba
import numpy as np
import numpy.typing as npt

from recitant_core.dsp.kweighting import KState, k_energies
from recitant_core.measure.loudness import BLOCK_HOPS, SHORT_TERM_HOPS, level_curve_lufs
from recitant_core.measure.true_peak import peaks_by_step
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.clock import HOP_SAMPLES, RATE_HZ

STEP_SAMPLES: Final = 2_400  # between readings: 50 ms
STEM_STEP_SAMPLES: Final = 4_800
_STEP_HOPS: Final = STEP_SAMPLES // HOP_SAMPLES
_STEM_STEP_HOPS: Final = STEM_STEP_SAMPLES // HOP_SAMPLES
LEAD_SAMPLES: Final = (SHORT_TERM_HOPS + 50) * HOP_SAMPLES  # short-term window, and time for the filter to settle

_RISE: Final = 1.0 - math.exp(-1.0 / (0.00135 * RATE_HZ))  # set so that a 5 ms burst of 5 kHz reads 2 dB low
_FALL: Final = 10.0 ** (-1.0 / (1.7 * RATE_HZ))  # 20 dB in 1.7 s
_STEADY: Final = 10.0 ** (0.16 / 20.0)  # a steady tone reads its peak


@dataclass(frozen=True)
class RunningReadings:
    """A reading every 50 ms of a stretch."""

    momentary_lufs: FloatArray
    short_term_lufs: FloatArray
    peak_dbfs: FloatArray
    """(readings, channels): highest sample of each channel."""
    quasi_peak_dbfs: FloatArray
    """(readings, channels): highest that a meter of IEC 60268-10 type I shows: 5 ms to rise, 20 dB down in 1.7 s."""
    true_peak_dbtp: FloatArray
    """(readings,): highest of all channels between samples, a third of a millisecond late."""
    correlation: FloatArray
    """(readings,): of left and right over 400 ms, -1 to 1; 1 where a side is silent."""


def running_readings(audio: Audio, layout: ChannelLayout) -> RunningReadings:
    """Readings along a stretch, every STEP_SAMPLES.

    Args:
        audio: float32 (LEAD_SAMPLES + frames, channels): the stretch with what comes before it, silence before the
            start.
        layout: of its channels.
    """
    hops, _ = k_energies(audio, KState.at_rest(layout, RATE_HZ))
    lead_hops = LEAD_SAMPLES // HOP_SAMPLES
    ends = np.arange(lead_hops + _STEP_HOPS, len(hops) + 1, _STEP_HOPS)
    # Any window is the difference of two running sums.
    total = np.concatenate([[0.0], np.cumsum(hops)])

    def level(window_hops: int) -> FloatArray:
        power = np.maximum(total[ends] - total[ends - window_hops], 0.0) / (window_hops * HOP_SAMPLES)
        return level_curve_lufs(power)

    step = STEP_SAMPLES
    peaks, true_peaks = peaks_by_step(audio, LEAD_SAMPLES, step)
    with np.errstate(divide="ignore"):
        peak_dbfs = 20.0 * np.log10(peaks)
        quasi_dbfs = 20.0 * np.log10(quasi_peaks(audio, step)[LEAD_SAMPLES // step :][: len(ends)])
        true_dbtp = 20.0 * np.log10(np.maximum(true_peaks, 1e-9))
    return RunningReadings(
        level(BLOCK_HOPS), level(SHORT_TERM_HOPS), peak_dbfs, quasi_dbfs, true_dbtp, _correlation(audio, layout, ends)
    )


def stem_levels_lufs(audio: Audio, layout: ChannelLayout) -> FloatArray:
    """Loudness of each 100 ms of a stretch by itself, float64 (frames // 4800,): quicker than momentary, for a meter.

    Args:
        audio: float32 (frames, channels).
        layout: of its channels.
    """
    hops, _ = k_energies(audio, KState.at_rest(layout, RATE_HZ))
    n = len(hops) // _STEM_STEP_HOPS
    powers = hops[: n * _STEM_STEP_HOPS].reshape(n, _STEM_STEP_HOPS).sum(axis=1) / STEM_STEP_SAMPLES
    return level_curve_lufs(powers)


def quasi_peaks(audio: Audio, step_samples: int) -> FloatArray:
    """Highest that a quasi-peak meter shows in each whole step, full scale 1.0, from rest: float64 (steps, channels).

    Args:
        audio: float32 (frames, channels).

    Source: IEC 60268-10, type I (memory): a 5 ms burst reads 2 dB low, the pointer falls 20 dB in 1.7 s.
    Held to: tests/core/test_running.py
    """
    n_channels = audio.shape[1]
    out = np.empty((len(audio) // step_samples, n_channels))
    for first in range(0, n_channels, 2):
        _quasi(audio, (first, min(first + 1, n_channels - 1)), step_samples, _RISE, _FALL, _STEADY, out)
    return out


@numba.njit(cache=True, nogil=True)
def _quasi(x, pair, step, rise, fall, steady, out):  # type: ignore[no-untyped-def]
    # Two channels in one loop: each step of one waits for the step before, so the other goes beside it.
    one, other = pair
    left = right = 0.0
    for k in range(len(out)):
        top_left = top_right = 0.0
        for i in range(k * step, (k + 1) * step):
            level = abs(x[i, one]) * steady
            left = left + (level - left) * rise if level > left else left * fall
            top_left = max(top_left, left)
            level = abs(x[i, other]) * steady
            right = right + (level - right) * rise if level > right else right * fall
            top_right = max(top_right, right)
        # What decays for long ends in denormal numbers, which are slow.
        left = left if left >= 1e-9 else 0.0
        right = right if right >= 1e-9 else 0.0
        out[k, one] = top_left if top_left >= 1e-9 else 0.0
        out[k, other] = top_right if top_right >= 1e-9 else 0.0


def _correlation(audio: Audio, layout: ChannelLayout, ends: npt.NDArray[np.int64]) -> FloatArray:
    first_hop = LEAD_SAMPLES // HOP_SAMPLES - BLOCK_HOPS
    n_hops = len(audio) // HOP_SAMPLES - first_hop
    products = np.zeros((n_hops + 1, 3))
    _products(audio[first_hop * HOP_SAMPLES :], layout.front_pair, HOP_SAMPLES, products)
    total = np.cumsum(products, axis=0)
    both, one, other = (total[ends - first_hop] - total[ends - first_hop - BLOCK_HOPS]).T
    power = np.sqrt(np.maximum(one * other, 0.0))
    found: FloatArray = np.where(power > 1e-9, np.clip(both / np.maximum(power, 1e-9), -1.0, 1.0), 1.0)
    return found


@numba.njit(cache=True, nogil=True, fastmath={"reassoc", "contract"})
def _products(x, pair, step, out):  # type: ignore[no-untyped-def]
    # From row 1 on: sums of left times right, left squared and right squared of each step.
    first, second = pair
    for k in range(len(out) - 1):
        both = one = other = 0.0
        for i in range(k * step, (k + 1) * step):
            left, right = np.float64(x[i, first]), np.float64(x[i, second])
            both += left * right
            one += left * left
            other += right * right
        out[k + 1, 0], out[k + 1, 1], out[k + 1, 2] = both, one, other
