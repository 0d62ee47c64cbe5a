"""Compiled loops of lanes: levels of a block every CONTROL_SAMPLES frames, the gains they ask for, and those laid on.

Held to: tests/core/test_lanes.py, tests/conformance/test_dynamics.py
"""

from typing import Final

import numba
import numpy as np

from recitant_core.dsp.lanes import (
    absolute,
    add,
    every,
    larger,
    less,
    load,
    smaller,
    store,
    swapped,
    times,
    times_plus,
    where_more,
)
from recitant_core.processors.dynamics_kernels import CONTROL_SAMPLES, FLOOR_DBFS
from recitant_core.processors.lane_math import exp2_of, log2_of

_FAINT_POWER: Final = 1e-30
_ARRIVED_DB: Final = 1e-9
_LEAST_POWER: Final = 10.0 ** (FLOOR_DBFS / 10.0)
_DB_A_DOUBLING: Final = 10.0 * np.log10(2.0)
_DOUBLINGS_A_DB: Final = 1.0 / (2.0 * _DB_A_DOUBLING)


@numba.njit(cache=True, nogil=True)
def _power(block, n_steps, levels, like):  # type: ignore[no-untyped-def]
    # Sum of squares of each step, a lane by itself.
    w = len(like)
    none = every(0.0, like)
    for k in range(n_steps):
        first = k * CONTROL_SAMPLES * w
        even, odd = none, none
        for i in range(0, CONTROL_SAMPLES, 2):
            x, y = load(block, first + i * w, like), load(block, first + (i + 1) * w, like)
            even, odd = times_plus(x, x, even), times_plus(y, y, odd)
        store(levels, k * w, add(even, odd))


@numba.njit(cache=True, nogil=True)
def _peaks(block, n_steps, levels, like):  # type: ignore[no-untyped-def]
    # Square of the highest sample of each step, of both channels of a signal.
    w = len(like)
    for k in range(n_steps):
        first = k * CONTROL_SAMPLES * w
        top = every(0.0, like)
        for i in range(CONTROL_SAMPLES):
            top = larger(top, absolute(load(block, first + i * w, like)))
        top = larger(top, swapped(top))
        store(levels, k * w, times(top, top))


@numba.njit(cache=True, nogil=True)
def _smoothed_power(levels, n_steps, values, at, state, at_state, like):  # type: ignore[no-untyped-def]
    # Mean squares of both channels of a signal together, through one pole.
    w = len(like)
    pole, share = load(values, at, like), every(1.0 / (2 * CONTROL_SAMPLES), like)
    faint, none = every(_FAINT_POWER, like), every(0.0, like)
    power = load(state, at_state, like)
    for k in range(n_steps):
        total = load(levels, k * w, like)
        found = times(add(total, swapped(total)), share)
        power = times_plus(less(power, found), pole, found)
        power = where_more(power, faint, power, none)
        store(levels, k * w, power)
    store(state, at_state, power)


@numba.njit(cache=True, nogil=True)
def _in_dbfs(levels, n_steps, like):  # type: ignore[no-untyped-def]
    w = len(like)
    least, factor = every(_LEAST_POWER, like), every(_DB_A_DOUBLING, like)
    for k in range(n_steps):
        store(levels, k * w, times(log2_of(larger(load(levels, k * w, like), least), like), factor))


@numba.njit(cache=True, nogil=True)
def levels_of_block(block, n_steps, hears_peak, is_power_known, values, at, state, at_state, levels, like):  # type: ignore[no-untyped-def]
    """Write the level in dBFS of each control step of a block, by peak or by smoothed mean square."""
    # over eight parameters: a compiled loop takes arrays, not records
    if hears_peak:
        _peaks(block, n_steps, levels, like)
    else:
        if not is_power_known:
            _power(block, n_steps, levels, like)
        _smoothed_power(levels, n_steps, values, at, state, at_state, like)
    _in_dbfs(levels, n_steps, like)


@numba.njit(cache=True, nogil=True)
def held(levels, n_steps, n_held, state, at_ring, position, like):  # type: ignore[no-untyped-def]
    """Replace each level (steps lanes,) by the highest of it and the n_held before; the ring's next place returns."""
    # Highest of the last n_held steps and this one, by halves: the ring holds, up to here, this round's levels and,
    # from here on, the highest of the last round's from there to its end.
    w = len(like)
    size = n_held + 1
    highest = load(state, at_ring, like)
    ring = at_ring + w
    floor = every(FLOOR_DBFS, like)
    for k in range(n_steps):
        level = load(levels, k * w, like)
        store(state, ring + position * w, level)
        highest = larger(highest, level)
        position += 1
        if position == size:
            store(levels, k * w, highest)
            after = floor
            for j in range(size - 1, -1, -1):
                after = larger(after, load(state, ring + j * w, like))
                store(state, ring + j * w, after)
            highest = floor
            position = 0
        else:
            store(levels, k * w, larger(highest, load(state, ring + position * w, like)))
    store(state, at_ring, highest)
    return position


@numba.njit(cache=True, nogil=True)
def bent_levels(levels, n_steps, values, at, like):  # type: ignore[no-untyped-def]
    """Replace each level by its reduction in dB, 0 or more: a straight line beyond the knee, a parabola within."""
    w = len(like)
    sign, threshold = load(values, at, like), load(values, at + w, like)
    slope, half_knee = load(values, at + 2 * w, like), load(values, at + 3 * w, like)
    by_knee, most = load(values, at + 4 * w, like), load(values, at + 5 * w, like)
    none = every(0.0, like)
    below = less(none, half_knee)
    for k in range(n_steps):
        beyond = times(less(load(levels, k * w, like), threshold), sign)
        within = add(beyond, half_knee)
        bend = where_more(beyond, below, times(times(within, within), times(slope, by_knee)), none)
        wanted = where_more(half_knee, beyond, bend, times(slope, beyond))
        store(levels, k * w, smaller(wanted, most))


@numba.njit(cache=True, nogil=True)
def opened(levels, n_steps, values, at, state, at_state, like):  # type: ignore[no-untyped-def]
    """Replace each level by a gate's reduction: none for n_held steps from a level over the threshold on, else all."""
    w = len(like)
    threshold, range_db, n_held = load(values, at, like), load(values, at + w, like), load(values, at + 2 * w, like)
    none, one = every(0.0, like), every(1.0, like)
    since = load(state, at_state, like)
    for k in range(n_steps):
        level = load(levels, k * w, like)
        since = where_more(threshold, level, smaller(add(since, one), add(n_held, one)), none)
        store(levels, k * w, where_more(since, n_held, range_db, none))
    store(state, at_state, since)


@numba.njit(cache=True, nogil=True)
def factors_of(levels, n_steps, values, at, state, at_state, told, at_told, like):  # type: ignore[no-untyped-def]
    """Replace reductions in dB by gain factors: smoothed by a pole that branches, with make-up and mix."""
    # over eight parameters: a compiled loop takes arrays, not records
    w = len(like)
    rising, falling = load(values, at, like), load(values, at + w, like)
    dry, wet = load(values, at + 2 * w, like), load(values, at + 3 * w, like)
    arrived, per_db = every(_ARRIVED_DB, like), every(-_DOUBLINGS_A_DB, like)
    now = load(state, at_state, like)
    for k in range(n_steps):
        wanted = load(levels, k * w, like)
        apart = less(now, wanted)
        apart = where_more(absolute(apart), arrived, apart, every(0.0, like))
        now = times_plus(apart, where_more(wanted, now, rising, falling), wanted)
        store(levels, k * w, now)
        if len(told) > 0:
            store(told, at_told + k * w, now)
    store(state, at_state, now)
    for k in range(n_steps):
        store(levels, k * w, times_plus(exp2_of(times(load(levels, k * w, like), per_db), like), wet, dry))


@numba.njit(cache=True, nogil=True)
def ramped(block, n_steps, factors, state, at_state, like):  # type: ignore[no-untyped-def]
    """Multiply a block in place by factors, straight between steps; each factor is replaced by the sum of squares."""
    w = len(like)
    part, none = every(1.0 / CONTROL_SAMPLES, like), every(0.0, like)
    before = load(state, at_state, like)
    for k in range(n_steps):
        now = load(factors, k * w, like)
        step = times(less(now, before), part)
        first = k * CONTROL_SAMPLES * w
        even, odd = none, none
        for i in range(0, CONTROL_SAMPLES, 2):
            at = first + i * w
            x = times(load(block, at, like), times_plus(step, every(i + 1.0, like), before))
            y = times(load(block, at + w, like), times_plus(step, every(i + 2.0, like), before))
            even, odd = times_plus(x, x, even), times_plus(y, y, odd)
            store(block, at, x)
            store(block, at + w, y)
        store(factors, k * w, add(even, odd))
        before = now
    store(state, at_state, before)


@numba.njit(cache=True, nogil=True)
def band_ramped(block, band, n_steps, factors, state, at_state, like):  # type: ignore[no-untyped-def]
    """Add (factor - 1) times a band to a block in place, straight between steps."""
    w = len(like)
    part, one = every(1.0 / CONTROL_SAMPLES, like), every(1.0, like)
    before = load(state, at_state, like)
    for k in range(n_steps):
        now = less(load(factors, k * w, like), one)
        step = times(less(now, before), part)
        first = k * CONTROL_SAMPLES * w
        for i in range(CONTROL_SAMPLES):
            share = times_plus(step, every(i + 1.0, like), before)
            at = first + i * w
            store(block, at, times_plus(load(band, at, like), share, load(block, at, like)))
        before = now
    store(state, at_state, before)
