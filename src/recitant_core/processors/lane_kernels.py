"""Compiled loops of a run of processors over N / 2 stereo signals side by side: filters, gains, band by band.

A piece goes through in blocks of BLOCK_FRAMES that stay in the nearest cache; within a block each operation of the run
is one loop with its state in registers. Levels are read, and gains computed, every CONTROL_SAMPLES frames. Numbers of
operations lie in flat rows of N doubles, one value of every lane a row; at_... are places in such rows.
Held to: tests/core/test_lanes.py, tests/conformance/test_dynamics.py
"""

from typing import Final

import numba
import numpy as np

from recitant_core.dsp.lanes import (
    absolute,
    add,
    every,
    exponent,
    larger,
    less,
    load,
    load_four_frames,
    mantissa,
    scaled,
    smaller,
    store,
    store_four_frames,
    swapped,
    times,
    times_plus,
    where_more,
)
from recitant_core.processors.dynamics_kernels import CONTROL_SAMPLES, FLOOR_DBFS

BLOCK_FRAMES: Final = 256
SECTIONS, GAIN_BY_LEVEL, GATE, BAND = 0, 1, 2, 3
"""What an operation does: filter; compress or expand; open and close; take off in one band."""
OPERATION_FIELDS: Final = 6
"""An operation: what it does, at_values, at_state, how many (sections; steps held), hears peaks, at_position."""
ROWS_A_SECTION = 5
_FAINT: Final = 1e-25  # under it a filter's tail is ended: denormal numbers take a processor a hundred times as long
_FAINT_POWER: Final = 1e-30
_ARRIVED_DB: Final = 1e-9
_LEAST_POWER: Final = 10.0 ** (FLOOR_DBFS / 10.0)
_DB_A_DOUBLING: Final = 10.0 * np.log10(2.0)
_DOUBLINGS_A_DB: Final = 1.0 / (2.0 * _DB_A_DOUBLING)
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
    # Of positive normal numbers.
    e = exponent(x)
    m = mantissa(x)
    root, one = every(_ROOT_OF_TWO, like), every(1.0, like)
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
    # Of numbers between -1000 and 1000; of 0 exactly 1.
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


@numba.njit(cache=True, nogil=True)
def _two(state, at, like):  # type: ignore[no-untyped-def]
    return load(state, at, like), load(state, at + len(like), like)


@numba.njit(cache=True, nogil=True)
def _keep_two(last, before, state, at, like):  # type: ignore[no-untyped-def]
    faint, none = every(_FAINT, like), every(0.0, like)
    store(state, at, where_more(absolute(last), faint, last, none))
    store(state, at + len(like), where_more(absolute(before), faint, before, none))


@numba.njit(cache=True, nogil=True)
def _read(audio, first, stride, n, block, like):  # type: ignore[no-untyped-def]
    # The highest value of all lanes tells whether anything sounds.
    w = len(like)
    top = every(0.0, like)
    for i in range(0, n, 4):
        x, y, u, v = load_four_frames(audio, 2 * (first + i), stride, like)
        top = larger(larger(top, absolute(x)), larger(absolute(y), larger(absolute(u), absolute(v))))
        store(block, i * w, x)
        store(block, (i + 1) * w, y)
        store(block, (i + 2) * w, u)
        store(block, (i + 3) * w, v)
    return top


@numba.njit(cache=True, nogil=True)
def _write(block, n, audio, first, stride, like):  # type: ignore[no-untyped-def]
    w = len(like)
    for i in range(0, n, 4):
        x, y = load(block, i * w, like), load(block, (i + 1) * w, like)
        u, v = load(block, (i + 2) * w, like), load(block, (i + 3) * w, like)
        store_four_frames(audio, 2 * (first + i), stride, (x, y, u, v))


@numba.njit(cache=True, nogil=True)
def _one_section(block, n, values, at, state, at_state, like):  # type: ignore[no-untyped-def]
    w = len(like)
    b0, b1, b2 = load(values, at, like), load(values, at + w, like), load(values, at + 2 * w, like)
    a1, a2 = load(values, at + 3 * w, like), load(values, at + 4 * w, like)
    x1, x2 = _two(state, at_state, like)
    y1, y2 = _two(state, at_state + 2 * w, like)
    for i in range(n):
        x = load(block, i * w, like)
        # What leaves last is added last: it is what the next frame waits for.
        y = times_plus(y1, a1, times_plus(y2, a2, times_plus(x2, b2, times_plus(x1, b1, times(x, b0)))))
        x2, x1, y2, y1 = x1, x, y1, y
        store(block, i * w, y)
    _keep_two(x1, x2, state, at_state, like)
    _keep_two(y1, y2, state, at_state + 2 * w, like)


@numba.njit(cache=True, nogil=True)
def _five_sections(block, n, values, at, state, at_state, like):  # type: ignore[no-untyped-def]
    # Five sections in one pass: chains of sums that the processor keeps under way at once.
    w = len(like)
    s = 5 * w
    a0, a1, a2 = load(values, at, like), load(values, at + w, like), load(values, at + 2 * w, like)
    a3, a4 = load(values, at + 3 * w, like), load(values, at + 4 * w, like)
    b0, b1, b2 = load(values, at + s, like), load(values, at + s + w, like), load(values, at + s + 2 * w, like)
    b3, b4 = load(values, at + s + 3 * w, like), load(values, at + s + 4 * w, like)
    at += 2 * s
    c0, c1, c2 = load(values, at, like), load(values, at + w, like), load(values, at + 2 * w, like)
    c3, c4 = load(values, at + 3 * w, like), load(values, at + 4 * w, like)
    d0, d1, d2 = load(values, at + s, like), load(values, at + s + w, like), load(values, at + s + 2 * w, like)
    d3, d4 = load(values, at + s + 3 * w, like), load(values, at + s + 4 * w, like)
    at += 2 * s
    e0, e1, e2 = load(values, at, like), load(values, at + w, like), load(values, at + 2 * w, like)
    e3, e4 = load(values, at + 3 * w, like), load(values, at + 4 * w, like)
    # What leaves a section is what enters the next: twelve rows are the state of all five.
    p1, p2 = _two(state, at_state, like)
    q1, q2 = _two(state, at_state + 2 * w, like)
    r1, r2 = _two(state, at_state + 4 * w, like)
    t1, t2 = _two(state, at_state + 6 * w, like)
    u1, u2 = _two(state, at_state + 8 * w, like)
    v1, v2 = _two(state, at_state + 10 * w, like)
    for i in range(n):
        x = load(block, i * w, like)
        y = times_plus(x, a0, times_plus(q1, a3, times_plus(q2, a4, times_plus(p2, a2, times(p1, a1)))))
        p2, p1 = p1, x
        x = times_plus(y, b0, times_plus(r1, b3, times_plus(r2, b4, times_plus(q2, b2, times(q1, b1)))))
        q2, q1 = q1, y
        y = times_plus(x, c0, times_plus(t1, c3, times_plus(t2, c4, times_plus(r2, c2, times(r1, c1)))))
        r2, r1 = r1, x
        x = times_plus(y, d0, times_plus(u1, d3, times_plus(u2, d4, times_plus(t2, d2, times(t1, d1)))))
        t2, t1 = t1, y
        y = times_plus(x, e0, times_plus(v1, e3, times_plus(v2, e4, times_plus(u2, e2, times(u1, e1)))))
        u2, u1 = u1, x
        v2, v1 = v1, y
        store(block, i * w, y)
    _keep_two(p1, p2, state, at_state, like)
    _keep_two(q1, q2, state, at_state + 2 * w, like)
    _keep_two(r1, r2, state, at_state + 4 * w, like)
    _keep_two(t1, t2, state, at_state + 6 * w, like)
    _keep_two(u1, u2, state, at_state + 8 * w, like)
    _keep_two(v1, v2, state, at_state + 10 * w, like)


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
def _held(levels, n_steps, n_held, state, at_ring, position, like):  # type: ignore[no-untyped-def]
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
def _bent(levels, n_steps, values, at, like):  # type: ignore[no-untyped-def]
    # Reduction in dB that each level asks for: straight beyond the knee, a parabola within it, none before.
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
def _opened(levels, n_steps, values, at, state, at_state, like):  # type: ignore[no-untyped-def]
    # No reduction for a number of steps from a level at or over the threshold on, else the whole range.
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
def _factors(levels, n_steps, values, at, state, at_state, told, at_told, like):  # type: ignore[no-untyped-def]
    # Reductions smoothed by a pole that branches; then the factor at the end of each step, make-up and mix in it.
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
def _ramped(block, n_steps, factors, state, at_state, like):  # type: ignore[no-untyped-def]
    # Factors go straight from the end of one step to the next; their place takes the sum of squares of what comes out.
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
def _band_of(block, band, n_steps, values, at, state, at_state, levels, like):  # type: ignore[no-untyped-def]
    # The band of a block, and the sum of its squares.
    w = len(like)
    b0, b1, b2 = load(values, at, like), load(values, at + w, like), load(values, at + 2 * w, like)
    a1, a2 = load(values, at + 3 * w, like), load(values, at + 4 * w, like)
    x1, x2 = _two(state, at_state, like)
    y1, y2 = _two(state, at_state + 2 * w, like)
    for k in range(n_steps):
        total = every(0.0, like)
        for i in range(k * CONTROL_SAMPLES * w, (k + 1) * CONTROL_SAMPLES * w, w):
            x = load(block, i, like)
            y = times_plus(y1, a1, times_plus(y2, a2, times_plus(x2, b2, times_plus(x1, b1, times(x, b0)))))
            x2, x1, y2, y1 = x1, x, y1, y
            total = times_plus(y, y, total)
            store(band, i, y)
        store(levels, k * w, total)
    _keep_two(x1, x2, state, at_state, like)
    _keep_two(y1, y2, state, at_state + 2 * w, like)


@numba.njit(cache=True, nogil=True)
def _band_ramped(block, band, n_steps, factors, state, at_state, like):  # type: ignore[no-untyped-def]
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


@numba.njit(cache=True, nogil=True)
def _through_block(operations, n, block, band, levels, values, state, told, at_told, n_told, like):  # type: ignore[no-untyped-def]  # noqa: E501
    # over eight parameters: a compiled loop takes arrays, not records
    w = len(like)
    n_steps = n // CONTROL_SAMPLES
    is_power_known = False
    for o in range(len(operations)):
        what, at, at_state, many, hears_peak, position = operations[o]
        if what == SECTIONS:
            if many == 5:
                _five_sections(block, n, values, at, state, at_state, like)
            else:
                _one_section(block, n, values, at, state, at_state, like)
            is_power_known = False
            continue
        if what == BAND:
            _band_of(block, band, n_steps, values, at, state, at_state, levels, like)
            at += ROWS_A_SECTION * w
            at_state += 4 * w
        elif hears_peak > 0:
            _peaks(block, n_steps, levels, like)
        elif not is_power_known:
            _power(block, n_steps, levels, like)
        if hears_peak == 0:
            _smoothed_power(levels, n_steps, values, at, state, at_state, like)
        _in_dbfs(levels, n_steps, like)
        at += w
        if what == GATE:
            _opened(levels, n_steps, values, at, state, at_state + 3 * w, like)
            at += 3 * w
        else:
            if many > 0:
                operations[o, 5] = _held(levels, n_steps, many, state, at_state + 3 * w, position, like)
            _bent(levels, n_steps, values, at, like)
            at += 6 * w
        _factors(levels, n_steps, values, at, state, at_state + w, told, at_told, like)
        at_told += n_told
        is_power_known = what != BAND
        if what == BAND:
            _band_ramped(block, band, n_steps, levels, state, at_state + 2 * w, like)
        else:
            _ramped(block, n_steps, levels, state, at_state + 2 * w, like)


@numba.njit(cache=True, nogil=True)
def through_operations(audio, first, stride, n_frames, operations, values, state, told, work, like):  # type: ignore[no-untyped-def]  # noqa: E501
    """Take a piece of N / 2 stereo signals through a run of operations, in its own place.

    Args:
        audio: flat float32, a signal's frames one after another, the next signal's ``stride`` values later.
        first, n_frames: of the piece, a multiple of CONTROL_SAMPLES.
        operations: int64 (operations, OPERATION_FIELDS).
        values, state: flat float64 in rows of N; state is read and left for the next piece.
        told: flat float64 (gaining operations, steps, N), reductions in dB; empty where nobody asks.
        work: flat float64, 2 * BLOCK_FRAMES * N + BLOCK_FRAMES / CONTROL_SAMPLES * N + 2 + state's length.
    """
    # over eight parameters: a compiled loop takes arrays, not records
    w = len(like)
    band_at = BLOCK_FRAMES * w
    levels_at = 2 * band_at
    flags_at = levels_at + band_at // CONTROL_SAMPLES
    block, band = work[:band_at], work[band_at:levels_at]
    levels, flags = work[levels_at:flags_at], work[flags_at : flags_at + 2]
    before = work[flags_at + 2 :]
    n_told = n_frames // CONTROL_SAMPLES * w
    done = 0
    while done < n_frames:
        # Blocks lie on the stretch's own grid, however it is cut into pieces: tails end at its lines.
        n = min(BLOCK_FRAMES - int(flags[0]) % BLOCK_FRAMES, n_frames - done)
        top = _read(audio, first + done, stride, n, block, like)
        store(levels, 0, top)
        is_silent = not levels[:w].any()
        if not (is_silent and flags[1] > 0.0 and len(told) == 0):
            if is_silent:
                before[:] = state
            at_told = done // CONTROL_SAMPLES * w
            _through_block(operations, n, block, band, levels, values, state, told, at_told, n_told, like)
            _write(block, n, audio, first + done, stride, like)
            # At rest in silence, and from then on: nothing changes until something sounds.
            flags[1] = 1.0 if is_silent and not block[: n * w].any() and (before == state).all() else 0.0
        flags[0] += n
        done += n
