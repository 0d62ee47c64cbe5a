"""Logarithms and powers of two of lanes, by polynomials: the same bits on every machine.

Held to: tests/core/test_lanes.py
"""

from typing import Final

import numba

from recitant_core.dsp.lanes import (
    add,
    every,
    exponent,
    less,
    mantissa,
    scaled,
    times,
    times_plus,
    where_more,
)

_ROOT_OF_TWO: Final = 2.0**0.5
_ROUNDER: Final = 1.5 * 2.0**52
# log2(1 + t) / t between the roots of a half and of two, to 6e-11; (2^t - 1) / t between -0.5 and 0.5, to 2e-12:
# Chebyshev interpolation, in powers of t from the first on.
_LOG_0, _LOG_1, _LOG_2, _LOG_3 = 1.4426950409582358, -0.7213475248945005, 0.48089831108159875, -0.36067284535499067
_LOG_4, _LOG_5, _LOG_6, _LOG_7 = 0.2885414555813569, -0.24050279802573085, 0.20607164979519058, -0.17905123469087977
_LOG_8, _LOG_9, _LOG_10, _LOG_11 = 0.15931302255575577, -0.15722652759792816, 0.1534527846578474, -0.08433512203479342
_EXP_0, _EXP_1, _EXP_2, _EXP_3 = 0.6931471805568328, 0.24022650695888303, 0.05550410906324447, 0.009618129135254151
_EXP_4, _EXP_5, _EXP_6, _EXP_7 = (
    0.0013333478475115003,
    0.00015403475183986903,
    1.5303700304852823e-05,
    1.3250805103783595e-06,
)


@numba.njit(cache=True, nogil=True)
def log2_of(x, like):  # type: ignore[no-untyped-def]
    """Logarithm to base 2 of lanes of positive normal numbers."""
    e = exponent(x)
    m = mantissa(x)
    root, one = every(_ROOT_OF_TWO, like), every(1.0, like)
    # Mantissas around 1 need the fewest terms: from the root of a half to the root of two.
    e = where_more(m, root, add(e, one), e)
    t = less(where_more(m, root, times(m, every(0.5, like)), m), one)
    y = times_plus(every(_LOG_11, like), t, every(_LOG_10, like))
    y = times_plus(y, t, every(_LOG_9, like))
    y = times_plus(y, t, every(_LOG_8, like))
    y = times_plus(y, t, every(_LOG_7, like))
    y = times_plus(y, t, every(_LOG_6, like))
    y = times_plus(y, t, every(_LOG_5, like))
    y = times_plus(y, t, every(_LOG_4, like))
    y = times_plus(y, t, every(_LOG_3, like))
    y = times_plus(y, t, every(_LOG_2, like))
    y = times_plus(y, t, every(_LOG_1, like))
    y = times_plus(y, t, every(_LOG_0, like))
    return times_plus(y, t, e)


@numba.njit(cache=True, nogil=True)
def exp2_of(x, like):  # type: ignore[no-untyped-def]
    """Power of two of lanes of numbers between -1000 and 1000; of 0 exactly 1."""
    rounder = every(_ROUNDER, like)
    k = add(x, rounder)
    t = less(x, less(k, rounder))
    y = times_plus(every(_EXP_7, like), t, every(_EXP_6, like))
    y = times_plus(y, t, every(_EXP_5, like))
    y = times_plus(y, t, every(_EXP_4, like))
    y = times_plus(y, t, every(_EXP_3, like))
    y = times_plus(y, t, every(_EXP_2, like))
    y = times_plus(y, t, every(_EXP_1, like))
    y = times_plus(y, t, every(_EXP_0, like))
    return scaled(times_plus(y, t, every(1.0, like)), k)
