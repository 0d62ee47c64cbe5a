"""The limiter's law in steps of 5 ms, over a whole programme at once: what a forecast and a platform's limiter take.

Need is held over the steps beside it and released on a straight line in dB, as ``gain.limiter`` does for each sample.
Held to: tests/core/test_forecast.py
"""

from typing import Final

import numba
import numpy as np

from recitant_core.gain.limiter import DETECTOR_MARGIN_DB, LOOKAHEAD_SAMPLES, RELEASE_DB_PER_S
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ

STEP_SAMPLES: Final = LOOKAHEAD_SAMPLES
"""5 ms: the limiter holds a need for as long to either side."""
STEPS_A_HOP: Final = RATE_HZ // 100 // STEP_SAMPLES
_RELEASE_DB_A_STEP: Final = RELEASE_DB_PER_S * STEP_SAMPLES / RATE_HZ


def limiting_db(peaks_dbtp: FloatArray, ceiling_dbtp: float, gain_db: float = 0.0) -> FloatArray:
    """Gain reduction of the limiter in each step of 5 ms, float64 (steps,).

    Args:
        peaks_dbtp: highest level of each step, float64 (steps,).
        ceiling_dbtp: under which they are held.
        gain_db: of the master before it.
    """
    found: FloatArray = _limited(peaks_dbtp - (ceiling_dbtp - DETECTOR_MARGIN_DB), gain_db, _RELEASE_DB_A_STEP)
    return found


def limited_energy(energy: FloatArray, reduction_db: FloatArray) -> FloatArray:
    """10 ms energies behind a limiter, float64 (hops,).

    Args:
        energy: before it, float64 (hops,).
        reduction_db: of each 5 ms, 0 or more, float64 (steps,); missing ones count as 0.
    """
    found: FloatArray = energy * hop_power_factors(reduction_db, len(energy))
    return found


def hop_power_factors(reduction_db: FloatArray, n_hops: int) -> FloatArray:
    """Mean power factor of each 10 ms, float64 (hops,).

    Args:
        reduction_db: of each 5 ms, 0 or more, float64 (steps,); missing ones count as 0.

    >>> hop_power_factors(np.array([10.0, 10.0, 0.0]), 2).tolist()
    [0.1, 1.0]
    """
    factors = np.ones(n_hops * STEPS_A_HOP)
    n = min(len(factors), len(reduction_db))
    factors[:n] = 10.0 ** (-reduction_db[:n] / 10.0)
    found: FloatArray = factors.reshape(n_hops, STEPS_A_HOP).mean(axis=1)
    return found


@numba.njit(cache=True, nogil=True)
def _limited(over_db, gain_db, release_db):  # type: ignore[no-untyped-def]
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
