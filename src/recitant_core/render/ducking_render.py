"""A track or stem that gives way to speech: its curve, its live key and the room it makes, over any span.

Held to: tests/core/test_render.py, tests/core/test_ducking_render.py
"""

from collections.abc import Callable

import numba
import numpy as np

from recitant_core.dsp.bell import bell_window, with_bell
from recitant_core.gain.duck_rule import DuckKind
from recitant_core.gain.ducking import Points, points_db
from recitant_core.gain.envelope import CurvePoint
from recitant_core.gain.sidechain import key_window, keyed_factors
from recitant_core.timeline.model import Duck
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import SampleSpan

Signal = Callable[[SampleSpan], FloatArray]
"""The samples of any span: float64 (frames, channels), fresh."""
KeySignal = Callable[[SampleSpan], Audio]
"""What a live key hears in any span: float32 (frames, channels)."""


def ducked(signal: Signal, span: SampleSpan, duck: Duck, key: KeySignal) -> FloatArray:
    """A span of a signal as it gives way, float64 (frames, channels).

    Args:
        signal: what gives way.
        key: the dialogue that a live key listens to.
    """
    room = duck.rule.room
    if room.is_on and _is_open(duck.room_points, span):
        places = np.arange(span.start_sample, span.end_sample, dtype=np.float64)
        depth_db = points_db(duck.room_points, places)
        out = with_bell(signal(bell_window(span)), span, depth_db, room.centre_hz, room.width_octaves)
    else:
        out = signal(span)
    if duck.rule.kind is DuckKind.LIVE:
        window = key_window(span, duck.rule.live)
        return out * keyed_factors(key(window), span, duck.rule.live, duck.rule.floor_db)[:, None]
    GainOverTime(level_points(duck)).apply(out, span.start_sample)
    return out


class GainOverTime:
    """A gain that is straight in dB between its points, ready to be laid on any stretch."""

    def __init__(self, points: Points | tuple[CurvePoint, ...]) -> None:
        """Points in order; none is no gain."""
        self._at = np.array([point.at_sample for point in points], dtype=np.float64)
        self._gains_db = np.array([point.gain_db for point in points])

    def apply(self, audio: FloatArray, start_sample: int) -> None:
        """Multiply audio, float64 (frames, channels), in its place."""
        if len(self._at):
            _apply_points(audio, start_sample, self._at, self._gains_db)


def ridden(audio: FloatArray, start_sample: int, points: Points | tuple[CurvePoint, ...]) -> None:
    """Multiply audio, in place, by a gain over time that is straight in dB between its points.

    Args:
        audio: float64 (frames, channels).
        points: at least one, in order.
    """
    GainOverTime(points).apply(audio, start_sample)


def hears_around(duck: Duck) -> bool:
    """Whether what a duck does to a sample depends on samples around it."""
    return duck.rule.kind is DuckKind.LIVE or duck.rule.room.is_on


def level_points(duck: Duck) -> Points:
    """The gain over time of a duck that is a curve; empty where it moves no level."""
    return duck.points if duck.rule.uses_level and duck.rule.kind is not DuckKind.LIVE else ()


def _is_open(points: Points, span: SampleSpan) -> bool:
    if not points:
        return False
    edges = points_db(points, np.array([span.start_sample, span.end_sample - 1], dtype=np.float64))
    inside = any(p.gain_db < 0.0 for p in points if span.start_sample <= p.at_sample < span.end_sample)
    return inside or bool((edges < 0.0).any())


@numba.njit(cache=True, nogil=True)
def _apply_points(audio, start_sample, at, gains_db):  # type: ignore[no-untyped-def]
    # Each factor is a function of its own place alone, so any cut gives the same bits.
    scale = np.log(10.0) / 20.0
    n_points = len(at)
    segment = np.searchsorted(at, float(start_sample), side="right")
    steady_db = 1e9
    steady = 1.0
    for i in range(len(audio)):
        place = float(start_sample + i)
        while segment < n_points and at[segment] <= place:
            segment += 1
        if segment == 0:
            low = high = gains_db[0]
        elif segment == n_points:
            low = high = gains_db[n_points - 1]
        else:
            low, high = gains_db[segment - 1], gains_db[segment]
        if low == high:
            if low != steady_db:
                steady_db = low
                steady = np.exp(low * scale) if low != 0.0 else 1.0
            factor = steady
        else:
            share = (place - at[segment - 1]) / (at[segment] - at[segment - 1])
            factor = np.exp((low + (high - low) * share) * scale)
        for c in range(audio.shape[1]):
            audio[i, c] *= factor
