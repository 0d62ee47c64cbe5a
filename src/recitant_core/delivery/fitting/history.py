"""How loud a delivery is as it goes on, and where its last limiter works: what a report draws.

Held to: tests/core/test_history.py
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from recitant_core.measure.loudness import short_term_contour_lufs
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.level import db_from_factor, finite

MOST_POINTS: Final = 600
LEAST_STEP_S: Final = 0.1


@dataclass(frozen=True)
class History:
    """A curve over the whole programme, a value for each step."""

    step_s: float
    short_term_lufs: tuple[float | None, ...]
    """Around the middle of each step; None for silence."""
    limited_db: tuple[float, ...]
    """Deepest reduction of the last limiter in each second."""


class LimiterHistory:
    """The deepest reduction of each second, while segments pass by."""

    def __init__(self) -> None:
        self._least: list[float] = []
        self._at_sample = 0

    def feed(self, factor: Audio) -> None:
        """Look at the next stretch of the limiter's gain, float32 (frames, 1)."""
        done = 0
        while done < len(factor):
            second, inside = divmod(self._at_sample, RATE_HZ)
            n = min(RATE_HZ - inside, len(factor) - done)
            if second == len(self._least):
                self._least.append(1.0)
            self._least[second] = min(self._least[second], float(factor[done : done + n].min()))
            self._at_sample += n
            done += n

    def reduction_db(self) -> tuple[float, ...]:
        """Of each second."""
        return tuple(round(-db_from_factor(least), 2) for least in self._least)


def history(energies: FloatArray, limited_db: Sequence[float]) -> History:
    """The curve of a delivery.

    Args:
        energies: 10 ms energies, float64 (hops,).
        limited_db: see LimiterHistory.
    """
    length_s = len(energies) / 100
    step_s = max(LEAST_STEP_S, length_s / MOST_POINTS)
    middles = (np.arange(int(length_s / step_s), dtype=np.float64) + 0.5) * (step_s * 100.0)
    levels = short_term_contour_lufs(energies, middles) if len(middles) else np.zeros(0)
    values = tuple(None if (level := finite(float(one))) is None else round(level, 2) for one in levels)
    return History(step_s, values, tuple(limited_db))
