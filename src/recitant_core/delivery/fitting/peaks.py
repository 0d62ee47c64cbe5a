"""The clip whose peaks keep a mix from its loudness, and by how much it would have to come down.

Held to: tests/core/test_peaks.py
"""

import math
from bisect import bisect_left
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from recitant_core.delivery.fitting.forecast import forecast
from recitant_core.delivery.fitting.search import MOST_LIMITING_DB
from recitant_core.delivery.fitting.summary import MixSummary
from recitant_core.delivery.specification.model import Anchor, Spec
from recitant_core.gain.limiter_steps import STEP_SAMPLES, STEPS_A_HOP
from recitant_core.measure.loudness import gating_block_powers, integrated_lufs
from recitant_core.measure.meter import Readings
from recitant_core.timeline.model import Clip, Plan
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.level import SILENCE

_STEP_DB: Final = 0.5
_MOST_MORE_DB: Final = 12.0
_MOST_STEPS: Final = 10_000


@dataclass(frozen=True)
class PeakCure:
    """Clip that peaks highest over what a limiter may take."""

    clip_id: str
    at_sample: int
    """Place of its highest peak in the programme."""
    by_db: float
    """By which the clip would have to come down, in half decibels; with others too, to where the limiter takes it."""
    n_others: int
    """Other clips that peak too high as well."""


def peak_cure(
    mix: MixSummary,
    readings: Readings,
    spec: Spec,
    plan: Plan,
    tracks: Mapping[str, FloatArray],
    dialogue_lufs: float | None = None,
) -> PeakCure | None:
    """The clip that peaks far above the rest, where a mix would need more limiting than a fit allows.

    Args:
        mix: summary of the mix as balanced.
        readings: of the same mix; its true peak counts for the highest peak.
        tracks: energies of each with its gains, by its id, float64 (hops,).
        dialogue_lufs: loudness of its dialogue, where the specification aims at that.

    Returns:
        The clip at the highest peak; None where nothing peaks too high or no clip can be told.
    """
    is_anchored = spec.anchor is Anchor.DIALOGUE and dialogue_lufs is not None
    now_lufs = dialogue_lufs if is_anchored else readings.integrated_lufs
    if now_lufs is None or now_lufs == SILENCE:
        return None
    gain_db = spec.target_for(plan.layout.n_channels) - now_lufs
    between_db = max(0.0, readings.true_peak_dbtp - readings.sample_peak_dbfs)
    most_dbfs = spec.fit_ceiling_dbtp + MOST_LIMITING_DB - gain_db - between_db
    with np.errstate(divide="ignore"):
        over_db = 20.0 * np.log10(mix.peaks) - most_dbfs
    steps = np.flatnonzero(over_db > 0.0)
    highest_first = steps[np.argsort(-over_db[steps], kind="stable")][:_MOST_STEPS]
    found: dict[str, tuple[int, float, Clip, str]] = {}
    for step in highest_first.tolist():
        loudest = _loudest_clip(plan, tracks, step)
        if loudest is not None:
            clip, track_id = loudest
            found.setdefault(clip.clip_id, (step * STEP_SAMPLES, float(over_db[step]), clip, track_id))
    if not found:
        return None
    at_sample, by_db, clip, track_id = next(iter(found.values()))
    by_db = math.ceil(by_db / _STEP_DB) * _STEP_DB
    if len(found) == 1:

        def is_enough(more_db: float) -> bool:
            lowered = _lowered(mix, clip, tracks[track_id], by_db + more_db)
            likely = forecast(lowered, _readings(readings, lowered, between_db), spec, plan.layout, dialogue_lufs)
            return likely is not None and likely.is_reached

        # What comes down takes loudness with it, so that the rest needs more gain: tried, not reckoned.
        tries = np.arange(0.0, _MOST_MORE_DB, _STEP_DB).tolist()
        by_db += tries[min(len(tries) - 1, bisect_left(tries, True, key=is_enough))]
    return PeakCure(clip.clip_id, at_sample, by_db, len(found) - 1)


def _lowered(mix: MixSummary, clip: Clip, track_energy: FloatArray, by_db: float) -> MixSummary:
    """A mix with one clip of a track lowered, as energies tell it."""
    hops = slice(clip.start_sample * 100 // RATE_HZ, -(-(clip.start_sample + clip.length_samples) * 100 // RATE_HZ))
    own = np.zeros(len(mix.energy))
    n = min(len(own), len(track_energy))
    own[:n][hops] = track_energy[:n][hops]
    own = np.minimum(own, mix.energy)
    energy = mix.energy - own * (1.0 - 10.0 ** (-by_db / 10.0))
    kept = np.divide(energy, mix.energy, out=np.ones(len(energy)), where=mix.energy > 0.0)
    of_steps = np.ones(len(mix.peaks))
    repeated = np.sqrt(kept).repeat(STEPS_A_HOP)[: len(of_steps)]
    of_steps[: len(repeated)] = repeated
    return replace(mix, peaks=mix.peaks * of_steps, energy=energy)


def _readings(before: Readings, mix: MixSummary, between_db: float) -> Readings:
    """Readings of a mix that changed, as far as a forecast needs them."""
    peak_dbfs = 20.0 * math.log10(mix.peaks.max(initial=0.0) or 1e-9)
    loudness = integrated_lufs(gating_block_powers(mix.energy))
    return replace(before, integrated_lufs=loudness, sample_peak_dbfs=peak_dbfs, true_peak_dbtp=peak_dbfs + between_db)


def _loudest_clip(plan: Plan, tracks: Mapping[str, FloatArray], step: int) -> tuple[Clip, str] | None:
    hop, at_sample = step // STEPS_A_HOP, step * STEP_SAMPLES
    energies = {track_id: float(energy[hop]) for track_id, energy in tracks.items() if hop < len(energy)}
    if not energies:
        return None
    loudest = max(energies, key=energies.__getitem__)
    clips = next((track.clips for track in plan.tracks if track.track_id == loudest), ())
    # Where clips are crossfaded the one that begins later counts: its attack is what peaks.
    covering = [clip for clip in clips if not clip.is_out and 0 <= at_sample - clip.start_sample < clip.length_samples]
    return (max(covering, key=lambda clip: clip.start_sample), loudest) if covering else None
