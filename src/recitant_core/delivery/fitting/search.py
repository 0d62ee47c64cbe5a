"""The search for the gain that brings a mix to its target through a limiter: one for the fit and for its forecast.

Held to: tests/core/test_fit.py, tests/core/test_forecast.py
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, Generic, TypeVar

from recitant_core.delivery.specification.model import Spec
from recitant_core.timeline.model import Master

T = TypeVar("T")
REACH_LU: Final = 0.1  # the target counts as reached this near
AIM_LU: Final = 0.02  # and the search stops this near
MOST_LIMITING_DB: Final = 12.0  # above this gain reduction the fit refuses: TOO_MUCH_LIMITING
MOST_TRIALS: Final = 6
_LONGER_STEP: Final = 1.25  # limited, the loudness follows the gain by less than one for one


@dataclass(frozen=True)
class Attempt(Generic[T]):
    """One setting of the master and its measurements."""

    result: T
    """As ``run`` measured it."""
    reached_lufs: float | None
    true_peak_dbtp: float
    is_limited: bool


@dataclass(frozen=True)
class Search(Generic[T]):
    """The attempt nearest to the target, and what the target would take."""

    best: T | None
    """None: no attempt kept the ceiling and had a loudness."""
    needed_gain_db: float
    needed_reduction_db: float


def search(
    run: Callable[[Master, int], Attempt[T]],
    spec: Spec,
    target_lufs: float,
    now_lufs: float,
    true_peak_dbtp: float,
    start: Master | None = None,
) -> Search[T]:
    """Try settings of the master until the mix lies on its target, at most MOST_TRIALS times.

    Args:
        run: makes one attempt; gets the setting and its number from 1.
        target_lufs: of the file, in LUFS.
        now_lufs: of the mix as balanced, on what the specification measures.
        true_peak_dbtp: of the mix as balanced.
        start: the setting to try first.

    Returns:
        The best attempt. Its limiting stays within MOST_LIMITING_DB.
    """
    ceiling_dbtp = spec.fit_ceiling_dbtp
    if start is not None and start.ceiling_dbtp is not None:
        ceiling_dbtp = min(ceiling_dbtp, start.ceiling_dbtp)
    gain_db = needed_gain_db = target_lufs - now_lufs
    # Limiting lowers peaks by about what is over the ceiling: past the most allowed there is no use trying.
    most_gain_db = ceiling_dbtp + MOST_LIMITING_DB - true_peak_dbtp
    needed_reduction_db = max(0.0, true_peak_dbtp + gain_db - ceiling_dbtp)
    if start is not None:
        gain_db = start.gain_db
    best, best_miss_lu = None, math.inf
    for index in range(1, MOST_TRIALS + 1):
        gain_db = min(gain_db, most_gain_db)
        needs_limiter = true_peak_dbtp + gain_db > ceiling_dbtp
        attempt = run(Master(gain_db, ceiling_dbtp if needs_limiter else None), index)
        over_db = attempt.true_peak_dbtp - spec.max_true_peak_dbtp
        if over_db > 0.0:
            ceiling_dbtp -= over_db + 0.02
            continue
        if attempt.reached_lufs is None or not math.isfinite(attempt.reached_lufs):
            break
        miss = target_lufs - attempt.reached_lufs
        if abs(miss) < best_miss_lu:
            best, best_miss_lu = attempt.result, abs(miss)
        if abs(miss) <= AIM_LU or (gain_db >= most_gain_db and miss > 0.0):
            break
        gain_db += miss * (_LONGER_STEP if attempt.is_limited and miss > 0.0 else 1.0)
        needed_gain_db = max(needed_gain_db, gain_db)
        needed_reduction_db = max(0.0, true_peak_dbtp + needed_gain_db - ceiling_dbtp)
    return Search(best, needed_gain_db, needed_reduction_db)
