"""High-pass, low-pass, equaliser and hum filter: from a processor's values to sections, and over audio."""

import math
from typing import Final

import numpy as np

from recitant_core.processors import filters
from recitant_core.processors.kinds import N_BANDS
from recitant_core.processors.model import Processor
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ

TONE_KINDS: Final = ("high-pass", "low-pass", "equaliser", "hum")


def sections_at(processor: Processor, at_sample: float) -> FloatArray:
    """Sections of a filter at a place, float64 (sections, 5); as many at every place."""

    def number(name: str) -> float:
        value = processor.along(name, np.array([at_sample]))
        return float(value[0]) if isinstance(value, np.ndarray) else value

    match processor.kind:
        case "high-pass" | "low-pass":
            slope = int(str(processor.value("slope_db_per_octave")))
            return filters.butterworth(number("freq_hz"), slope, is_high=processor.kind == "high-pass")
        case "hum":
            return _hum(number("mains_hz"), round(number("multiples")), number("depth_db"), number("width_hz"))
        case _:
            bands = [i for i in range(1, N_BANDS + 1) if processor.value(f"band{i}_shape") != "off"]
            return np.array([_band(processor, i, number) for i in bands]).reshape(-1, 5)


def _band(processor, i, number):  # type: ignore[no-untyped-def]
    freq_hz, gain_db, q = number(f"band{i}_freq_hz"), number(f"band{i}_gain_db"), number(f"band{i}_q")
    match processor.value(f"band{i}_shape"):
        case "bell":
            return filters.bell(freq_hz, gain_db, q)
        case "low-shelf":
            return filters.low_shelf(freq_hz, gain_db, q)
        case "high-shelf":
            return filters.high_shelf(freq_hz, gain_db, q)
        case _:
            return filters.notch(freq_hz, q)


def _hum(mains_hz: float, multiples: int, depth_db: float, width_hz: float) -> FloatArray:
    places = [mains_hz * n for n in range(1, multiples + 1) if mains_hz * n < 0.45 * RATE_HZ]
    if depth_db == 0.0:
        return np.zeros((0, 5))
    # Width is where half of the depth in dB is left; a cookbook bell of this Q has it there.
    return np.array([filters.bell(freq, -depth_db, freq / width_hz) for freq in places])


def toned(processor: Processor, audio: Audio, start_sample: int) -> Audio:
    """Audio through a filter, from rest, in its own place where the filter stands still; float32 (frames, channels).

    Args:
        audio: float32 (frames, channels).
        start_sample: of its first frame, on the clock of the filter's curves.
    """
    if not any(points for _, points in processor.curves):
        return filters.filtered(audio, sections_at(processor, 0.0), audio)
    step = filters.MOVE_SAMPLES
    places = range(start_sample, start_sample + len(audio), step)
    known: dict[tuple[float, ...], FloatArray] = {}
    names = [name for name, _ in processor.curves]
    moves = np.stack([np.asarray(processor.along(name, np.array(places, dtype=np.float64))) for name in names], axis=1)
    steps = []
    for place, values in zip(places, moves, strict=True):
        key = tuple(values)
        if key not in known:
            known[key] = sections_at(processor, float(place))
        steps.append(known[key])
    if not steps or not len(steps[0]):
        return audio
    return filters.filtered_moving(audio, np.array(steps))


def tone_settling_samples(processor: Processor) -> int:
    """Samples after which the impulse response has decayed below -120 dB, for every value that the curves take."""
    places = {0.0} | {float(point.at_sample) for _, points in processor.curves for point in points}
    return max(filters.settling_samples(sections_at(processor, place)) for place in places)


def tone_response_db(processor: Processor, freq_hz: FloatArray, at_sample: float = 0.0) -> FloatArray:
    """Gain of a filter at each frequency, float64 (frequencies,).

    Args:
        freq_hz: float64 (frequencies,).
        at_sample: place at which its curves are read.
    """
    sections = sections_at(processor, at_sample)
    return filters.response_db(sections, freq_hz) if len(sections) else np.zeros(len(freq_hz))


def log_frequencies(n_points: int, least_hz: float = 20.0, most_hz: float = 20000.0) -> FloatArray:
    """Frequencies evenly spread over octaves, float64 (points,).

    >>> log_frequencies(3, 100.0, 10_000.0).round(6).tolist()
    [100.0, 1000.0, 10000.0]
    """
    return np.exp(np.linspace(math.log(least_hz), math.log(most_hz), n_points))
