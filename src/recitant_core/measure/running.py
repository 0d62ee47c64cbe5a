"""Readings that run with the sound: momentary and short-term loudness and peaks along a stretch."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from recitant_core.dsp.kweighting import HOPS_PER_SECOND, KState, k_energies
from recitant_core.measure.loudness import BLOCK_HOPS, SHORT_TERM_HOPS, level_curve_lufs
from recitant_core.measure.true_peak import channel_peaks
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import STEREO
from recitant_core.units.clock import RATE_HZ

HOP_SAMPLES: Final = RATE_HZ // HOPS_PER_SECOND
STEP_HOPS: Final = 5  # a reading every 50 ms
LEAD_SAMPLES: Final = (SHORT_TERM_HOPS + 50) * HOP_SAMPLES  # short-term window, and time for the filter to settle


@dataclass(frozen=True)
class RunningReadings:
    """A reading every 50 ms of a stretch."""

    momentary_lufs: FloatArray
    short_term_lufs: FloatArray
    peak_dbfs: FloatArray
    """(readings, 2): highest sample left and right."""


def running_readings(audio: Audio) -> RunningReadings:
    """Readings along a stretch.

    Args:
        audio: float32 (LEAD_SAMPLES + frames, 2): the stretch with what comes before it; silence before the start.
    """
    hops, _ = k_energies(audio, KState.at_rest(STEREO, RATE_HZ))
    lead_hops = LEAD_SAMPLES // HOP_SAMPLES
    ends = np.arange(lead_hops + STEP_HOPS, len(hops) + 1, STEP_HOPS)
    total = np.concatenate([[0.0], np.cumsum(hops)])

    def level(window_hops: int) -> FloatArray:
        power = np.maximum(total[ends] - total[ends - window_hops], 0.0) / (window_hops * HOP_SAMPLES)
        return level_curve_lufs(power)

    peaks = channel_peaks(audio[LEAD_SAMPLES:], STEP_HOPS * HOP_SAMPLES)[: len(ends)]
    with np.errstate(divide="ignore"):
        peak_dbfs = 20.0 * np.log10(peaks.astype(np.float64))
    return RunningReadings(level(BLOCK_HOPS), level(SHORT_TERM_HOPS), peak_dbfs)
