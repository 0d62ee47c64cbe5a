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
    need = needs.max(axis=0)
    factor = np.ones((n_out, 1), np.float32)
    if not need.any():
        return audio[BEFORE_SAMPLES : BEFORE_SAMPLES + n_out].copy(), factor
    _gain_from_need(need, factor[:, 0])
    middle = audio[BEFORE_SAMPLES : BEFORE_SAMPLES + n_out]
    # Deeper than MOST_REDUCTION_DB the gain stays where it is, and only the samples themselves are held.
    return np.clip(middle * factor, -ceiling, ceiling).astype(np.float32), factor


@numba.njit(cache=True, nogil=True)
def _add_need(samples, phases, reach, ceiling, need):  # type: ignore[no-untyped-def]
    # Reduction in steps of 2^-24 dB that each sample, and the gap after it, asks for.
    n = len(samples) - TAPS
    n_phases = phases.shape[0] + 1
    out = np.empty((n_phases, _TILE), np.float32)
    tops = np.empty(_TILE, np.float32)
    for start in range(0, n, _TILE):
        count = min(_TILE, n - start)
        top = np.float32(0.0)
        for i in range(start, start + count + TAPS):
            top = max(top, abs(samples[i]))
        if top * reach <= ceiling:
            continue
        interpolate(samples[start:], phases, count, out)
        for i in range(count):
            tops[i] = 0.0
        for p in range(n_phases):
            for i in range(count):
                tops[i] = max(tops[i], abs(out[p, i]))
        for i in range(count):
            if tops[i] > ceiling:
                steps = min(_MOST_STEPS, np.int64(math.ceil(20.0 * math.log10(tops[i] / ceiling) * STEPS_PER_DB)))
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
def _gain_from_need(need, factor):  # type: ignore[no-untyped-def]
    n = len(need)
    reach = LOOKAHEAD_SAMPLES
    # Highest need within the lookahead on either side: a queue of candidates, highest first.
    held = np.zeros(n, np.int64)
    queue = np.empty(n, np.int64)
    head = 0
    tail = 0
    for i in range(n + reach):
        if i < n:
            while tail > head and need[queue[tail - 1]] <= need[i]:
                tail -= 1
            queue[tail] = i
            tail += 1
        at = i - reach
        if at >= 0:
            while queue[head] < at - reach:
                head += 1
            held[at] = need[queue[head]]
    # Release on a straight line in dB.
    for i in range(1, n):
        held[i] = max(held[i], held[i - 1] - _RELEASE_STEPS)
    # Two running means over half the lookahead to either side: at the peak itself every value in reach is the need.
    half = reach // 2
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
    scale = math.log(10.0) / 20.0 / STEPS_PER_DB / (width * width)
    for i in range(len(factor)):
        steps = held[i + BEFORE_SAMPLES]
        factor[i] = math.exp(-steps * scale) if steps > 0 else 1.0
