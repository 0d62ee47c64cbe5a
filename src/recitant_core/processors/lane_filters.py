"""Compiled loops of lanes: signals in and out of a block, sections of filters in it.

Held to: tests/core/test_lanes.py
"""

from typing import Final

import numba

from recitant_core.dsp.lanes import (
    absolute,
    every,
    larger,
    load,
    load_four_frames,
    store,
    store_four_frames,
    times,
    times_plus,
    where_more,
)
from recitant_core.processors.dynamics_kernels import CONTROL_SAMPLES

FAINT: Final = 1e-25  # under it a filter's tail is ended: denormal numbers take a processor a hundred times as long


@numba.njit(cache=True, nogil=True)
def _two(state, at, like):  # type: ignore[no-untyped-def]
    return load(state, at, like), load(state, at + len(like), like)


@numba.njit(cache=True, nogil=True)
def _keep_two(last, before, faint_from, state, at, like):  # type: ignore[no-untyped-def]
    # Under it a tail is ended; 0 ends none.
    faint, none = every(faint_from, like), every(0.0, like)
    store(state, at, where_more(absolute(last), faint, last, none))
    store(state, at + len(like), where_more(absolute(before), faint, before, none))


@numba.njit(cache=True, nogil=True)
def read_block(audio, first, stride, n, block, like):  # type: ignore[no-untyped-def]
    """Write n stereo frames of each signal into a block (n lanes,); the highest magnitude of each lane comes back."""
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
def write_block(block, n, audio, first, stride, like):  # type: ignore[no-untyped-def]
    """Write n frames of a block back into the stereo signals."""
    w = len(like)
    for i in range(0, n, 4):
        x, y = load(block, i * w, like), load(block, (i + 1) * w, like)
        u, v = load(block, (i + 2) * w, like), load(block, (i + 3) * w, like)
        store_four_frames(audio, 2 * (first + i), stride, (x, y, u, v))


@numba.njit(cache=True, nogil=True)
def one_section(block, n, values, at, state, at_state, faint_from, like):  # type: ignore[no-untyped-def]
    """Filter a block in place by one second-order section: values b0 b1 b2 -a1 -a2, state of four a lane."""
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
    _keep_two(x1, x2, faint_from, state, at_state, like)
    _keep_two(y1, y2, faint_from, state, at_state + 2 * w, like)


@numba.njit(cache=True, nogil=True)
def five_sections(block, n, values, at, state, at_state, faint_from, like):  # type: ignore[no-untyped-def]
    """Filter a block in place by five second-order sections in one pass; layout as one_section, five times."""
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
    _keep_two(p1, p2, faint_from, state, at_state, like)
    _keep_two(q1, q2, faint_from, state, at_state + 2 * w, like)
    _keep_two(r1, r2, faint_from, state, at_state + 4 * w, like)
    _keep_two(t1, t2, faint_from, state, at_state + 6 * w, like)
    _keep_two(u1, u2, faint_from, state, at_state + 8 * w, like)
    _keep_two(v1, v2, faint_from, state, at_state + 10 * w, like)


@numba.njit(cache=True, nogil=True)
def band_of(block, band, n_steps, values, at, state, at_state, levels, faint_from, like):  # type: ignore[no-untyped-def]
    """Write the band of a block, and its sum of squares each control step, by one second-order section."""
    # over eight parameters: a compiled loop takes arrays, not records
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
    _keep_two(x1, x2, faint_from, state, at_state, like)
    _keep_two(y1, y2, faint_from, state, at_state + 2 * w, like)
