"""Evening clips out: what it takes to bring clips to a goal, and a ride inside long clips.

Common practice: speech by its loudness while somebody speaks, not by its peak; an outlier is left out of the measure;
half the difference keeps a performance alive.
Held to: tests/core/test_evening.py
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from recitant_core.dsp.kweighting import HOPS_PER_SECOND
from recitant_core.gain.envelope import CurvePoint
from recitant_core.gain.thinning import THINNED_DB, thinned
from recitant_core.measure.clearance import HOP_SAMPLES, BoolArray
from recitant_core.measure.loudness import gating_block_powers, integrated_lufs
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Clip
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.level import lufs_from_power

_LEAST_RIDE_HOPS: Final = 8 * HOPS_PER_SECOND
_RIDE_WINDOW_HOPS: Final = 3 * HOPS_PER_SECOND
_RIDE_STEP_HOPS: Final = HOPS_PER_SECOND // 4


@dataclass(frozen=True)
class Evening:
    """What was chosen: to where, how far of the way, how much at the most, each clip by itself or all as one."""

    goal: float
    by: str = "loudness"
    """"loudness": goal in LUFS; "peak": goal in dBFS of the highest sample."""
    strength: float = 1.0
    most_change_db: float = 12.0
    is_group: bool = False


@dataclass(frozen=True)
class EvenInput:
    """A clip to even out, with its gains as they are."""

    clip: Clip
    level: float | None
    """Loudness or peak, whichever it goes by."""
    weight: float
    """How much it counts for a group: its length."""
    noise_lufs: float | None
    peak_db: float | None


@dataclass(frozen=True)
class EvenStep:
    """What evening does to one clip."""

    clip_id: str
    change_db: float
    gain_db: float
    noise_lufs: float | None
    """Noise floor after it."""
    peak_db: float | None
    """Highest sample after it."""
    held_by: str
    """"limit" or "range" where less was done than asked; empty where all was."""


def evened(clips: Sequence[EvenInput], chosen: Evening) -> list[EvenStep]:
    """The change of each clip that can be measured; those that cannot are left out.

    A strength of 1 makes all equal, a half leaves half of the differences: about their goal, so that a group keeps
    its middle where it was aimed.
    """
    known = [one for one in clips if one.level is not None and math.isfinite(one.level)]
    if not known:
        return []
    if chosen.is_group:
        if chosen.by == "peak":
            together = max(float(one.level or 0.0) for one in known)
        else:
            total = sum(one.weight for one in known)
            power = sum(one.weight * 10.0 ** (float(one.level or 0.0) / 10.0) for one in known) / total
            together = 10.0 * math.log10(power)
        wanted = {one.clip.clip_id: (chosen.goal - together) * chosen.strength for one in known}
    else:
        wanted = {one.clip.clip_id: (chosen.goal - float(one.level or 0.0)) * chosen.strength for one in known}
    steps = []
    for one in known:
        asked = wanted[one.clip.clip_id]
        change = min(chosen.most_change_db, max(-chosen.most_change_db, asked))
        gain = round(min(MOST_GAIN_DB, max(LEAST_GAIN_DB, one.clip.gain_db + change)), 2)
        held_by = "limit" if change != asked else "range" if abs(gain - one.clip.gain_db - change) > 0.01 else ""
        change = gain - one.clip.gain_db
        noise = None if one.noise_lufs is None else one.noise_lufs + change
        peak = None if one.peak_db is None else one.peak_db + change
        steps.append(EvenStep(one.clip.clip_id, round(change, 2), gain, noise, peak, held_by))
    return steps


def speaker_ride(
    energy: FloatArray, is_speech: BoolArray, *, strength: float, most_db: float, slope_db_per_s: float
) -> tuple[CurvePoint, ...]:
    """A slow gain curve that follows a speaker who moves off the microphone; empty where there is nothing to follow.

    Args:
        energy: 10 ms energies of the clip without its curve, float64 (hops,).
        is_speech: bool (hops,).
        strength: share of the way to its own mean.
        most_db: of change either way.
        slope_db_per_s: fastest change; in pauses the gain stands still.
    """
    if len(energy) < _LEAST_RIDE_HOPS or np.count_nonzero(is_speech) < _LEAST_RIDE_HOPS // 2:
        return ()
    whole = _integrated(energy[is_speech])
    if whole is None or not math.isfinite(whole):
        return ()
    spoken = np.where(is_speech, energy, 0.0)
    sums, counts = np.concatenate([[0.0], np.cumsum(spoken)]), np.concatenate([[0], np.cumsum(is_speech)])
    places = np.arange(0, len(energy), _RIDE_STEP_HOPS)
    first = np.maximum(0, places - _RIDE_WINDOW_HOPS // 2)
    last = np.minimum(len(energy), places + _RIDE_WINDOW_HOPS // 2)
    count = counts[last] - counts[first]
    power = (sums[last] - sums[first]) / np.maximum(count, 1) / HOP_SAMPLES
    enough = count >= _RIDE_WINDOW_HOPS // 4
    level = np.where(enough, -0.691 + 10.0 * np.log10(np.maximum(power, 1e-12)), np.nan)
    if np.count_nonzero(enough) < 3:
        return ()
    wanted = np.clip(strength * (whole - level), -most_db, most_db)
    # A pause keeps the gain that the words before it had; the first words' gain stands before them.
    held = np.empty(len(wanted))
    now = float(wanted[enough][0])
    for i in range(len(wanted)):
        now = float(wanted[i]) if enough[i] and is_speech[places[i] : places[i] + _RIDE_STEP_HOPS].any() else now
        held[i] = now
    step_db = slope_db_per_s * _RIDE_STEP_HOPS / HOPS_PER_SECOND
    for order in (range(1, len(held)), range(len(held) - 2, -1, -1)):
        for i in order:
            near = held[i - 1] if order.step > 0 else held[i + 1]
            held[i] = min(max(held[i], near - step_db), near + step_db)
    points = [(int(place) * HOP_SAMPLES, round(float(gain), 2)) for place, gain in zip(places, held, strict=True)]
    return tuple(CurvePoint(at, gain) for at, gain in thinned(points, THINNED_DB))


def _integrated(energy: FloatArray) -> float | None:
    blocks = gating_block_powers(energy)
    if blocks.size:
        return integrated_lufs(blocks)
    return lufs_from_power(float(energy.sum()) / (len(energy) * HOP_SAMPLES)) if len(energy) else None


assert RATE_HZ // HOPS_PER_SECOND == HOP_SAMPLES
