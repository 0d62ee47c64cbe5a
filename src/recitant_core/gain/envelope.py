"""Gain over time: curves that are linear in dB, fades, and the factor of both at each sample.

Everything is a function of the absolute sample, so that any cut gives the same gains.
"""

from dataclasses import dataclass

import numpy as np

from recitant_core.errors import RangeError
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan


@dataclass(frozen=True, order=True)
class CurvePoint:
    """A gain at a place."""

    at_sample: int
    gain_db: float


def curve_db(points: tuple[CurvePoint, ...], span: SampleSpan) -> FloatArray:
    """Gain in dB at each sample of a span: straight lines between points, level before the first and after the last.

    Raises:
        RangeError: points out of order, or two at one place.
    """
    places = np.array([point.at_sample for point in points], dtype=np.float64)
    if np.any(np.diff(places) <= 0.0):
        raise RangeError("curve_out_of_order")
    gains = np.array([point.gain_db for point in points], dtype=np.float64)
    return np.interp(np.arange(span.start_sample, span.end_sample, dtype=np.float64), places, gains)


def fade_factors(span: SampleSpan, whole: SampleSpan, fade_in_samples: int, fade_out_samples: int) -> FloatArray:
    """Fade factor at each sample of a span inside a clip: the quarter of a sine, which keeps power in a crossfade.

    Args:
        span: the samples wanted, inside ``whole``.
        whole: where the clip lies.
        fade_in_samples: length of the rise from its start; 0 for none.
        fade_out_samples: length of the fall to its end.

    Source: equal power, cos^2 + sin^2 = 1.
    """
    place = np.arange(span.start_sample, span.end_sample, dtype=np.float64)
    factors = np.ones(span.length_samples)
    if fade_in_samples > 0:
        share = (place - whole.start_sample + 0.5) / fade_in_samples
        factors *= np.sin(np.pi / 2.0 * np.clip(share, 0.0, 1.0))
    if fade_out_samples > 0:
        share = (whole.end_sample - place - 0.5) / fade_out_samples
        factors *= np.sin(np.pi / 2.0 * np.clip(share, 0.0, 1.0))
    return factors
