"""Compiled loops of the dynamics processors: levels, smoothing, applied gains.

Held to: tests/conformance/test_dynamics.py
"""

import math
from typing import Final

import numba
import numpy as np

CONTROL_SAMPLES: Final = 16
FLOOR_DBFS: Final = -140.0


@numba.njit(cache=True, nogil=True)
def step_levels(x, peak, power):  # type: ignore[no-untyped-def]
    """Write highest magnitude and mean square of each control step of x, float32 (frames, channels), into (steps,)."""
    channels = x.shape[1]
    for k in range(len(peak)):
        top = np.float32(0.0)
        total = np.float32(0.0)
        for i in range(k * CONTROL_SAMPLES, min((k + 1) * CONTROL_SAMPLES, len(x))):
            for c in range(channels):
                top = max(top, abs(x[i, c]))
                total += x[i, c] * x[i, c]
        peak[k] = top
        power[k] = total / (channels * CONTROL_SAMPLES)


@numba.njit(cache=True, nogil=True)
def bent(level, threshold, slope, knee, most, out):  # type: ignore[no-untyped-def]
    """Write the reduction in dB, 0 or more, that each level of (steps,) asks for: a straight line with a soft knee."""
    for i in range(len(level)):
        over = level[i] - threshold[i if len(threshold) > 1 else 0]
        by = slope[i if len(slope) > 1 else 0]
        if 2.0 * over >= knee:
            wanted = by * over
        elif 2.0 * over > -knee:
            wanted = by * (over + knee / 2.0) ** 2 / (2.0 * knee)
        else:
            wanted = 0.0
        out[i] = min(wanted, most)


@numba.njit(cache=True, nogil=True)
def smooth_power(power, pole, state):  # type: ignore[no-untyped-def]
    """Smooth powers (steps,) in place by a one-pole filter; state (1,)."""
    now = state[0]
    for i in range(len(power)):
        now = power[i] + (now - power[i]) * pole
        power[i] = now
    state[0] = now if now > 1e-30 else 0.0


@numba.njit(cache=True, nogil=True)
def to_db(values, times, out):  # type: ignore[no-untyped-def]
    """Write levels in dB of values (steps,), FLOOR_DBFS at the least; times is 20 for magnitudes, 10 for powers."""
    least = 10.0 ** (FLOOR_DBFS / times)
    for i in range(len(values)):
        out[i] = times * math.log10(max(values[i], least))


@numba.njit(cache=True, nogil=True)
def branching(wanted, rising, falling, state, out):  # type: ignore[no-untyped-def]
    """Write reductions in dB (steps,), smoothed by one pole where they rise and by another where they fall."""
    now = state[0]
    for i in range(len(wanted)):
        up = rising[i if len(rising) > 1 else 0]
        down = falling[i if len(falling) > 1 else 0]
        pole = up if wanted[i] > now else down
        now = wanted[i] + (now - wanted[i]) * pole
        if abs(now) < 1e-9:
            now = 0.0
        out[i] = now
    state[0] = now


@numba.njit(cache=True, nogil=True)
def sliding_max(values, count, out):  # type: ignore[no-untyped-def]
    """Write the highest of each value (steps,) and the count before it."""
    queue = np.empty(len(values), np.int64)
    head = 0
    tail = 0
    for i in range(len(values)):
        while tail > head and values[queue[tail - 1]] <= values[i]:
            tail -= 1
        queue[tail] = i
        tail += 1
        if queue[head] < i - count:
            head += 1
        out[i] = values[queue[head]]


@numba.njit(cache=True, nogil=True)
def apply_factors(x, factors, state, out):  # type: ignore[no-untyped-def]
    """Write x, float32 (frames, channels), times factors (steps,), on straight lines between the ends of steps."""
    before = np.float32(state[0])
    for k in range(len(factors)):
        now = np.float32(factors[k])
        step = (now - before) * np.float32(1.0 / CONTROL_SAMPLES)
        first = k * CONTROL_SAMPLES
        for j in range(min(CONTROL_SAMPLES, len(x) - first)):
            for c in range(x.shape[1]):
                out[first + j, c] = x[first + j, c] * (before + step * np.float32(j + 1))
        before = now
    state[0] = before


@numba.njit(cache=True, nogil=True)
def add_band(x, band, shares, state):  # type: ignore[no-untyped-def]
    """Add shares (steps,) of a band, float32 (frames, channels), to x in place, on straight lines between steps."""
    before = np.float32(state[0])
    for k in range(len(shares)):
        now = np.float32(shares[k])
        step = (now - before) * np.float32(1.0 / CONTROL_SAMPLES)
        first = k * CONTROL_SAMPLES
        if before != 0.0 or now != 0.0:
            for j in range(min(CONTROL_SAMPLES, len(x) - first)):
                share = before + step * np.float32(j + 1)
                for c in range(x.shape[1]):
                    x[first + j, c] += band[first + j, c] * share
        before = now
    state[0] = before
