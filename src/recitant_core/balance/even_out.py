"""Clips evened out: what it takes to bring clips to a goal.

Common practice: speech by its loudness while somebody speaks, not by its peak; an outlier is left out of the measure;
half the difference keeps a performance alive.
Held to: tests/core/test_even_out.py
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Clip


@dataclass(frozen=True)
class EvenOut:
    """Settings of evening out: goal, share of the way, limit, each clip by itself or all by one gain."""

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
class EvenOutStep:
    """Gain that evening out gives one clip."""

    clip_id: str
    change_db: float
    gain_db: float
    noise_lufs: float | None
    """Noise floor after it."""
    peak_db: float | None
    """Highest sample after it."""
    held_by: str
    """"limit" or "range" where less was done than asked; empty where all was."""


def evened(clips: Sequence[EvenInput], chosen: EvenOut) -> list[EvenOutStep]:
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
        steps.append(EvenOutStep(one.clip.clip_id, round(change, 2), gain, noise, peak, held_by))
    return steps
