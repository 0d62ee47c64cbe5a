"""Gain over time: curves that are linear in dB, fades, and the factor of both at each sample.

Everything is a function of the absolute sample, so that any cut gives the same gains.
"""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from recitant_core.errors import RangeError
from recitant_core.units.arrays import FloatArray


@dataclass(frozen=True, order=True)
class CurvePoint:
    """A gain at a place."""

    at_sample: int
    gain_db: float


def curve_db(points: tuple[CurvePoint, ...], places: FloatArray) -> FloatArray:
    """Gain in dB at each place: straight lines between points, level before the first and after the last.

    Args:
        points: at least one.
        places: float64 (places,), samples on the same clock as the points.

    Raises:
        RangeError: points out of order, or two at one place.
    """
    at = np.array([point.at_sample for point in points], dtype=np.float64)
    if np.any(np.diff(at) <= 0.0):
        raise RangeError("curve_out_of_order")
    return np.interp(places, at, np.array([point.gain_db for point in points], dtype=np.float64))


class FadeShape(StrEnum):
    """Curve of a fade."""

    EQUAL_POWER = "equal-power"
    """Quarter of a sine: two unrelated sounds keep their power across a crossfade."""
    EQUAL_GAIN = "equal-gain"
    """Straight line: two related sounds keep their amplitude across a crossfade."""
    SMOOTH = "smooth"
    """Half a cosine: leaves and arrives gently; keeps the amplitude of related sounds."""
    EARLY = "early"
    """Up soon and then level, an upside-down parabola: a fade-out that holds and drops at its end."""
    LATE = "late"
    """Low for long and up at the end, a parabola: a fade-out that drops at once and lingers."""


def fade_factors(
    places: FloatArray,
    length_samples: int,
    fade_in_samples: int,
    fade_out_samples: int,
    fade_in_shape: FadeShape = FadeShape.EQUAL_POWER,
    fade_out_shape: FadeShape = FadeShape.EQUAL_POWER,
) -> FloatArray:
    """Fade factor at each place of a clip.

    Args:
        places: float64 (places,), samples from the clip's start.
        length_samples: of the clip.
        fade_in_samples: length of the rise from its start; 0 for none.
        fade_out_samples: length of the fall to its end.

    Source: equal power, cos^2 + sin^2 = 1; equal gain and smooth add up to 1 themselves.
    """
    factors = np.ones(len(places))
    # Most places of most clips lie between the fades, where they are 1.
    rising = places + 0.5 < fade_in_samples
    if rising.any():
        factors[rising] *= _rise((places[rising] + 0.5) / fade_in_samples, fade_in_shape)
    falling = length_samples - places - 0.5 < fade_out_samples
    if falling.any():
        factors[falling] *= _rise((length_samples - places[falling] - 0.5) / fade_out_samples, fade_out_shape)
    return factors


def _rise(share: FloatArray, shape: FadeShape) -> FloatArray:
    share = np.clip(share, 0.0, 1.0)
    match shape:
        case FadeShape.EQUAL_POWER:
            rise: FloatArray = np.sin(np.pi / 2.0 * share)
        case FadeShape.EQUAL_GAIN:
            rise = share
        case FadeShape.SMOOTH:
            rise = 0.5 - 0.5 * np.cos(np.pi * share)
        case FadeShape.EARLY:
            rise = 1.0 - (1.0 - share) ** 2
        case FadeShape.LATE:
            rise = share**2
    return rise
