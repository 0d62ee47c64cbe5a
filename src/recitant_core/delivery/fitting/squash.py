"""Passes, but squashed: when the last limiter does the work that a compressor should have done before it, and on what.

Limits: docs/standards/fit.md (common practice). Held to: tests/core/test_forecast.py
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np

from recitant_core.units.arrays import FloatArray

SQUASHED_DB: Final = 6.0
SQUASHED_SHARE: Final = 0.10
BRIEF_SHARE: Final = 0.02
_NOTABLE_DB: Final = 1.0


def is_squashed(most_reduction_db: float, limited_share: float) -> bool:
    """Whether a last limiter is heard: at work for long, or deep for more than a moment."""
    if limited_share >= SQUASHED_SHARE:
        return True
    return most_reduction_db > SQUASHED_DB and limited_share >= BRIEF_SHARE


@dataclass(frozen=True)
class SquashCure:
    """Compressor to put before the limiter."""

    target_id: str
    """Of the track that makes most of what is limited."""
    by_db: float
    """By how much its peaks are to come down."""
    share: float
    """Of the energy where the limiter works, how much is the track's, 0 to 1."""


def squash_cure(reduction_db: FloatArray, tracks: Mapping[str, FloatArray]) -> SquashCure | None:
    """The track whose peaks the limiter works on most; None where it hardly works, or nothing is known of the tracks.

    Args:
        reduction_db: of each 10 ms, float64 (hops,).
        tracks: energies of each with its gains, by its id, float64 (hops,).
    """
    worked = np.flatnonzero(reduction_db > _NOTABLE_DB)
    if not worked.size or not tracks:
        return None
    weights = reduction_db[worked]
    made = {
        key: float((energy[worked[worked < len(energy)]] * weights[worked < len(energy)]).sum())
        for key, energy in tracks.items()
    }
    total = sum(made.values())
    if total <= 0.0:
        return None
    worst = max(made, key=made.__getitem__)
    by_db = float(np.quantile(weights, 0.95))
    return SquashCure(worst, round(max(1.0, by_db - _NOTABLE_DB), 1), made[worst] / total)
