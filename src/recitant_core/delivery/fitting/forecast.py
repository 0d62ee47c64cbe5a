"""What a fit will come to, from the summary of a mix: the limiter's own law run over the whole programme in 5 ms steps.

Held to: tests/core/test_forecast.py
"""

import math
from dataclasses import dataclass
from typing import Final

import numba
import numpy as np

from recitant_core.delivery.fitting.fit import AIM_LU, CEILING_MARGIN_DB, MOST_LIMITING_DB, MOST_TRIALS, REACH_LU
from recitant_core.delivery.fitting.summary import STEP_SAMPLES, MixSummary
from recitant_core.delivery.specification.model import Anchor, Spec
from recitant_core.gain.limiter import DETECTOR_MARGIN_DB, RELEASE_DB_PER_S
from recitant_core.measure.loudness import (
    SHORT_TERM_HOPS,
    anchored_lufs,
    gating_block_powers,
    integrated_lufs,
    level_curve_lufs,
    window_powers,
)
from recitant_core.measure.meter import Readings
from recitant_core.timeline.model import Master
from recitant_core.units.arrays import FloatArray
from recitant_core.units.channels import STEREO
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.level import SILENCE

_STEPS_A_HOP: Final = RATE_HZ // 100 // STEP_SAMPLES
_RELEASE_DB_A_STEP: Final = RELEASE_DB_PER_S * STEP_SAMPLES / RATE_HZ
_HIGHEST_WITHIN_DB: Final = 0.5
_LEAST_COUNTED_DB: Final = 0.0087  # a gain of 0.999, from which a delivery counts a sample as limited


@dataclass(frozen=True)
class Forecast:
    """The fit of a mix as it will probably come out."""

    master: Master
    reached_lufs: float
    is_reached: bool
    most_reduction_db: float
    limited_share: float
    short_term_over_lu: float
    reduction_db: FloatArray
    """Of each 10 ms, float64 (hops,)."""


def forecast(summary: MixSummary, readings: Readings, spec: Spec, dialogue_lufs: float | None) -> Forecast | None:
    """The gain that brings a mix to its target through the limiter, and what the limiter does then.

    Args:
        summary: of the mix as balanced.
        readings: of the same mix; its true peak counts for the highest peak.

    Returns:
        The forecast, held under the most limiting that a fit allows; None for silence or a mix too short.
    """
    on_dialogue = spec.anchor is Anchor.DIALOGUE and dialogue_lufs is not None
    now = dialogue_lufs if on_dialogue else readings.integrated_lufs
    if now is None or now == SILENCE or not summary.energy.size:
        return None
    target = spec.target_for(STEREO.n_channels)
    ceiling_dbtp = spec.max_true_peak_dbtp - CEILING_MARGIN_DB
    # Between samples the highest peak stands this far over the highest sample; lower ones about half as far.
    between_db = max(0.0, readings.true_peak_dbtp - readings.sample_peak_dbfs)
    with np.errstate(divide="ignore"):
        peaks_dbfs = 20.0 * np.log10(summary.peaks)
    is_highest = peaks_dbfs > readings.sample_peak_dbfs - _HIGHEST_WITHIN_DB
    peaks_dbtp = peaks_dbfs + np.where(is_highest, between_db, between_db / 2.0)
    over_db = peaks_dbtp - (ceiling_dbtp - DETECTOR_MARGIN_DB)
    most_gain_db = ceiling_dbtp + MOST_LIMITING_DB - readings.true_peak_dbtp
    gain_db = target - now
    best: _Tried | None = None
    for _ in range(MOST_TRIALS):
        gain_db = min(gain_db, most_gain_db)
        tried = _tried(summary, over_db, gain_db, on_dialogue=on_dialogue)
        miss = target - tried.reached_lufs
        if best is None or abs(miss) < abs(target - best.reached_lufs):
            best = tried
        if abs(miss) <= AIM_LU or (gain_db >= most_gain_db and miss > 0.0):
            break
        # As the fit does: a longer step where the limiter holds the loudness back.
        gain_db += miss * (1.25 if tried.reduction_db.any() and miss > 0.0 else 1.0)
    assert best is not None
    loudest = level_curve_lufs(window_powers(best.energy, SHORT_TERM_HOPS, 10)).max(initial=-math.inf)
    over_lu = 0.0 if spec.max_short_term_lufs is None else max(0.0, float(loudest) - spec.max_short_term_lufs)
    most = max(0.0, readings.true_peak_dbtp + best.gain_db - ceiling_dbtp)
    return Forecast(
        Master(best.gain_db, ceiling_dbtp if most > 0.0 else None),
        best.reached_lufs,
        abs(target - best.reached_lufs) <= REACH_LU and over_lu == 0.0,
        most,
        float(np.mean(best.reduction_db > _LEAST_COUNTED_DB)) if len(best.reduction_db) else 0.0,
        over_lu,
        -10.0 * np.log10(_of_hops(best.reduction_db, len(summary.energy))),
    )


@dataclass(frozen=True)
class _Tried:
    """One gain through the limiter."""

    gain_db: float
    reached_lufs: float
    reduction_db: FloatArray
    """Of each step, float64 (steps,)."""
    energy: FloatArray


def _tried(summary: MixSummary, over_db: FloatArray, gain_db: float, *, on_dialogue: bool) -> _Tried:
    reduction_db = _limited(over_db, gain_db, _RELEASE_DB_A_STEP)
    energy = limited_energy(summary.energy, reduction_db) * 10.0 ** (gain_db / 10.0)
    blocks = gating_block_powers(energy)
    found = None
    if on_dialogue and len(summary.speech_blocks) == len(blocks):
        before = gating_block_powers(summary.energy)
        kept = np.divide(blocks, before, out=np.ones(len(blocks)), where=before > 0.0)
        found = anchored_lufs(blocks, summary.speech_blocks * kept)
    found = found if found is not None else integrated_lufs(blocks)
    assert found is not None
    return _Tried(gain_db, found, reduction_db, energy)


def limiting_db(peaks_dbtp: FloatArray, ceiling_dbtp: float) -> FloatArray:
    """Reduction of our limiter in each step of 5 ms, float64 (steps,).

    Args:
        peaks_dbtp: highest level of each step, float64 (steps,).
        ceiling_dbtp: under which they are held.
    """
    found: FloatArray = _limited(peaks_dbtp - (ceiling_dbtp - DETECTOR_MARGIN_DB), 0.0, _RELEASE_DB_A_STEP)
    return found


def limited_energy(energy: FloatArray, reduction_db: FloatArray) -> FloatArray:
    """10 ms energies behind a limiter, float64 (hops,), from its reduction in each step of 5 ms."""
    found: FloatArray = energy * _of_hops(reduction_db, len(energy))
    return found


def _of_hops(reduction_db: FloatArray, n_hops: int) -> FloatArray:
    """Mean power factor of each 10 ms, float64 (hops,)."""
    factors = np.ones(n_hops * _STEPS_A_HOP)
    n = min(len(factors), len(reduction_db))
    factors[:n] = 10.0 ** (-reduction_db[:n] / 10.0)
    found: FloatArray = factors.reshape(n_hops, _STEPS_A_HOP).mean(axis=1)
    return found


@numba.njit(cache=True, nogil=True)
def _limited(over_db, gain_db, release_db):  # type: ignore[no-untyped-def]
    # Need held over the steps beside it, released on a straight line in dB, as gain.limiter does sample by sample.
    n = len(over_db)
    reduction = np.empty(n)
    released = 0.0
    for i in range(n):
        need = over_db[i]
        if i > 0:
            need = max(need, over_db[i - 1])
        if i + 1 < n:
            need = max(need, over_db[i + 1])
        released = max(0.0, need + gain_db, released - release_db)
        reduction[i] = released
    return reduction
