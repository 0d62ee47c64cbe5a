"""What a fit will come to, from the summary of a mix: the fit's own search over the limiter's law in 5 ms steps.

Held to: tests/core/test_forecast.py
"""

import math
from dataclasses import dataclass
from typing import Final

import numpy as np

from recitant_core.delivery.fitting.search import REACH_LU, Attempt, search
from recitant_core.delivery.fitting.summary import MixSummary
from recitant_core.delivery.specification.model import Anchor, Spec
from recitant_core.gain.limiter_steps import hop_power_factors, limited_energy, limiting_db
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
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.level import SILENCE

_HIGHEST_WITHIN_DB: Final = 0.5
_LEAST_COUNTED_DB: Final = 0.0087  # a gain of 0.999, from which a delivery counts a sample as limited


@dataclass(frozen=True)
class Forecast:
    """The fit of a mix as it will probably come out."""

    master: Master
    target_lufs: float
    reached_lufs: float
    is_reached: bool
    most_reduction_db: float
    limited_share: float
    short_term_over_lu: float
    reduction_db: FloatArray
    """Of each 10 ms, float64 (hops,)."""


def forecast(
    summary: MixSummary, readings: Readings, spec: Spec, layout: ChannelLayout, dialogue_lufs: float | None
) -> Forecast | None:
    """The gain that brings a mix to its target through the limiter, and what the limiter does then.

    Args:
        summary: of the mix as balanced.
        readings: of the same mix; its true peak counts for the highest peak.
        layout: of the bus.
        dialogue_lufs: loudness of its dialogue, where that is known.

    Returns:
        The forecast, held under the most limiting that a fit allows; None for silence or a mix too short.
    """
    on_dialogue = spec.anchor is Anchor.DIALOGUE and dialogue_lufs is not None
    now = dialogue_lufs if on_dialogue else readings.integrated_lufs
    if now is None or now == SILENCE or not summary.energy.size:
        return None
    target, ceiling_dbtp = spec.target_for(layout.n_channels), spec.fit_ceiling_dbtp
    peaks_dbtp = _peaks_between(summary, readings)

    def run(master: Master, _index: int) -> Attempt[_Tried]:
        reduction_db = limiting_db(peaks_dbtp, ceiling_dbtp, master.gain_db)
        tried = _tried(summary, reduction_db, master.gain_db, on_dialogue=on_dialogue)
        highest_dbtp = min(readings.true_peak_dbtp + master.gain_db, ceiling_dbtp)
        return Attempt(tried, tried.reached_lufs, highest_dbtp, bool(reduction_db.any()))

    best = search(run, spec, target, now, readings.true_peak_dbtp).best
    if best is None:
        return None
    loudest = level_curve_lufs(window_powers(best.energy, SHORT_TERM_HOPS, 10)).max(initial=-math.inf)
    over_lu = 0.0 if spec.max_short_term_lufs is None else max(0.0, float(loudest) - spec.max_short_term_lufs)
    most = max(0.0, readings.true_peak_dbtp + best.gain_db - ceiling_dbtp)
    return Forecast(
        Master(best.gain_db, ceiling_dbtp if most > 0.0 else None),
        target,
        best.reached_lufs,
        abs(target - best.reached_lufs) <= REACH_LU and over_lu == 0.0,
        most,
        float(np.mean(best.reduction_db > _LEAST_COUNTED_DB)) if len(best.reduction_db) else 0.0,
        over_lu,
        -10.0 * np.log10(hop_power_factors(best.reduction_db, len(summary.energy))),
    )


def _peaks_between(summary: MixSummary, readings: Readings) -> FloatArray:
    """Peaks of each 5 ms as heard between samples, in dBTP, float64 (steps,)."""
    # The highest peak rises this far over the highest sample; lower ones about half as far.
    between_db = max(0.0, readings.true_peak_dbtp - readings.sample_peak_dbfs)
    with np.errstate(divide="ignore"):
        peaks_dbfs = 20.0 * np.log10(summary.peaks)
    is_highest = peaks_dbfs > readings.sample_peak_dbfs - _HIGHEST_WITHIN_DB
    peaks_dbtp: FloatArray = peaks_dbfs + np.where(is_highest, between_db, between_db / 2.0)
    return peaks_dbtp


@dataclass(frozen=True)
class _Tried:
    """One gain through the limiter."""

    gain_db: float
    reached_lufs: float
    reduction_db: FloatArray
    """Of each step, float64 (steps,)."""
    energy: FloatArray


def _tried(summary: MixSummary, reduction_db: FloatArray, gain_db: float, *, on_dialogue: bool) -> _Tried:
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
