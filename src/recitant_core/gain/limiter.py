"""A lookahead limiter that hears between samples, and forgets exactly.

Its gain at a sample depends on a bounded window only: the needed reduction is held over the lookahead, released on
a straight line in dB, and smoothed by two running means, all in whole numbers. So a stretch rendered alone equals
the same stretch of one continuous pass to the last bit, wherever the cut lies.
Held to: tests/core/test_limiter.py, tests/core/test_render.py
"""

import math
from functools import partial
from typing import Final

import numba
import numpy as np

from recitant_core.dsp.interpolation import TAPS, interpolate, interpolator, reach_factor
from recitant_core.errors import RangeError
from recitant_core.measure.true_peak import highest_magnitude
from recitant_core.units.arrays import Audio, require_audio
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.level import factor_from_db
from recitant_core.units.threads import at_once

OVERSAMPLING: Final = 8
LOOKAHEAD_SAMPLES: Final = 240  # 5 ms: the gain starts down 10 ms before a peak, too slowly to colour it
RELEASE_DB_PER_S: Final = 20.0
MOST_REDUCTION_DB: Final = 36.0
DETECTOR_MARGIN_DB: Final = 0.05  # an 8-times grid reads a 20 kHz sine up to 0.12 dB low
STEPS_PER_DB: Final = 1 << 24
_RELEASE_STEPS: Final = round(RELEASE_DB_PER_S * STEPS_PER_DB / RATE_HZ)
_MOST_STEPS: Final = round(MOST_REDUCTION_DB * STEPS_PER_DB)
_TILE: Final = 480
AFTER_SAMPLES: Final = 2 * LOOKAHEAD_SAMPLES + TAPS
BEFORE_SAMPLES: Final = -(-_MOST_STEPS // _RELEASE_STEPS) + 2 * LOOKAHEAD_SAMPLES + TAPS
"""How much of the signal around a stretch its limited form depends on (about 1.8 s before, 11 ms after)."""


def limit(audio: Audio, ceiling_dbtp: float, *, hears_between: bool = True) -> tuple[Audio, Audio]:
    """The middle of a signal, held under a true-peak ceiling, and the gain that did it.

    Args:
        audio: float32 (frames, channels): the wanted stretch with BEFORE_SAMPLES before and AFTER_SAMPLES after it.
        ceiling_dbtp: highest true peak of the result. Read at 16 times oversampling it is passed by at most 0.1 dB.
        hears_between: whether it hears between samples; if not, no sample passes the ceiling and true peaks may.

    Returns:
        float32 (frames - BEFORE_SAMPLES - AFTER_SAMPLES, channels), and the gain factor, float32 (frames, 1), equal
        on all channels. Where no reduction is needed near by, the gain is exactly 1.

    Raises:
        ShapeError: not audio. RangeError: shorter than its surroundings.
    """
    require_audio(audio)
    n_out = len(audio) - BEFORE_SAMPLES - AFTER_SAMPLES
    if n_out < 0:
        raise RangeError("limiter_needs_surroundings", frames=len(audio))
    phases = interpolator(OVERSAMPLING)
    ceiling = factor_from_db(ceiling_dbtp - (DETECTOR_MARGIN_DB if hears_between else 0.0))
    needs = np.zeros((audio.shape[1], len(audio)), np.int64)

    def hear(channel: int) -> None:
        samples = np.ascontiguousarray(audio[:, channel])
        if hears_between:
            _add_need(samples, phases, reach_factor(phases), ceiling, needs[channel])
        else:
            _add_need_of_samples(samples, ceiling, needs[channel])

    at_once(partial(hear, channel) for channel in range(len(needs)))
    factor = np.ones((n_out, 1), np.float32)
    if not needs.any():
        return audio[BEFORE_SAMPLES : BEFORE_SAMPLES + n_out].copy(), factor
    _gain_from_need(needs, factor[:, 0])
    held = np.empty((n_out, audio.shape[1]), np.float32)
    _hold(audio[BEFORE_SAMPLES : BEFORE_SAMPLES + n_out], factor[:, 0], np.float32(ceiling), held)
    return held, factor


@numba.njit(cache=True, nogil=True)
def _add_need(samples, phases, reach, ceiling, need):  # type: ignore[no-untyped-def]
    # Reduction in steps of 2^-24 dB that each sample, and the gap after it, asks for.
    n = len(samples) - TAPS
    n_phases = phases.shape[0] + 1
    out = np.empty((n_phases, _TILE), np.float32)
    bits, sample_bits = out.view(np.int32), samples.view(np.int32)
    top_bits = np.empty(_TILE, np.int32)
    tops = top_bits.view(np.float32)
    for start in range(0, n, _TILE):
        count = min(_TILE, n - start)
        # Most of a programme stays under the ceiling: it is not interpolated.
        if highest_magnitude(sample_bits[start : start + count + TAPS]) * reach <= ceiling:
            continue
        interpolate(samples[start:], phases, count, out)
        top_bits[:] = 0
        for p in range(n_phases):
            row = bits[p]
            for i in range(count):
                top_bits[i] = max(top_bits[i], row[i] & np.int32(0x7FFFFFFF))
        for i in range(count):
            if tops[i] > ceiling:
                steps = min(_MOST_STEPS, np.int64(math.ceil(20.0 * math.log10(tops[i] / ceiling) * STEPS_PER_DB)))
                # A peak between two samples needs both of them lowered.
                at = start + i + 15
                need[at] = max(need[at], steps)
                need[at + 1] = max(need[at + 1], steps)


@numba.njit(cache=True, nogil=True)
def _add_need_of_samples(samples, ceiling, need):  # type: ignore[no-untyped-def]
    for i in range(len(samples)):
        top = abs(samples[i])
        if top > ceiling:
            steps = min(_MOST_STEPS, np.int64(math.ceil(20.0 * math.log10(top / ceiling) * STEPS_PER_DB)))
            need[i] = max(need[i], steps)


@numba.njit(cache=True, nogil=True)
def _hold(audio, factor, ceiling, out):  # type: ignore[no-untyped-def]
    # Deeper than MOST_REDUCTION_DB the gain stays where it is, and only the samples themselves are held.
    for i in range(len(audio)):
        for channel in range(audio.shape[1]):
            out[i, channel] = min(max(audio[i, channel] * factor[i], -ceiling), ceiling)


@numba.njit(cache=True, nogil=True)
def _highest_around(values, reach):  # type: ignore[no-untyped-def]
    # The highest of the values up to ``reach`` before and after each: of one, two, four and so on, side by side.
    n = len(values)
    window = 2 * reach + 1
    highest, wider = np.zeros(n + window, np.int32), np.empty(n + window, np.int32)
    for i in range(n):
        highest[reach + i] = values[i]
    width = 1
    n_left = n + window
    while 2 * width <= window:
        n_left -= width
        one, other, both = highest[:n_left], highest[width : width + n_left], wider[:n_left]
        for i in range(n_left):
            both[i] = max(one[i], other[i])
        highest, wider = wider, highest
        width *= 2
    found = np.empty(n, np.int64)
    # Two windows of the last width, one from each end, cover the whole window.
    last = highest[window - width :]
    for i in range(n):
        found[i] = max(highest[i], last[i])
    return found


@numba.njit(cache=True, nogil=True)
def _gain_from_need(needs, factor):  # type: ignore[no-untyped-def]
    n = needs.shape[1]
    need = needs[0].copy()
    for channel in range(1, len(needs)):
        other = needs[channel]
        for i in range(n):
            need[i] = max(need[i], other[i])
    held = _highest_around(need, LOOKAHEAD_SAMPLES)
    # Release on a straight line in dB.
    released = np.int64(0)
    for i in range(n):
        released = max(held[i], released - _RELEASE_STEPS)
        held[i] = released
    # Two running means over half the lookahead to either side: at the peak itself every value in reach is the need.
    half = LOOKAHEAD_SAMPLES // 2
    width = 2 * half + 1
    for _ in range(2):
        total = np.int64(0)
        smooth = np.zeros(n, np.int64)
        for i in range(n):
            total += held[i]
            if i >= width:
                total -= held[i - width]
            if i >= half:
                smooth[i - half] = total
        held = smooth
    # 10^(-dB/20) is e^x, its eighth root by its series (x / 8 stays over -0.52), to the last bit of a float32: the
    # compiler works on several places at once, which it does not with the library's.
    eighth = -math.log(10.0) / 20.0 / STEPS_PER_DB / (width * width) / 8.0
    for i in range(len(factor)):
        x = held[i + BEFORE_SAMPLES] * eighth
        root = 1.0 + x * (1.0 / 7.0) * (1.0 + x * (1.0 / 8.0) * (1.0 + x * (1.0 / 9.0)))
        root = 1.0 + x * (1.0 / 4.0) * (1.0 + x * (1.0 / 5.0) * (1.0 + x * (1.0 / 6.0) * root))
        root = 1.0 + x * (1.0 + x * (1.0 / 2.0) * (1.0 + x * (1.0 / 3.0) * root))
        square = root * root
        factor[i] = square * square * (square * square)
