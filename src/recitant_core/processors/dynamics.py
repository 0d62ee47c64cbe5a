"""Expander, gate, compressor, three bands of it, and de-esser: levels read every 16 samples, gains laid between.

Source of the static curve and of the smoothing: D. Giannoulis, M. Massberg, J. Reiss, JAES 60(6), 2012: gain computer
with a soft knee, reduction smoothed in dB by one pole that branches between attack and release (1 - 1/e in its time).
Held to: tests/conformance/test_dynamics.py
"""

import math
from collections.abc import Callable
from typing import Final

import numpy as np

from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES, limit
from recitant_core.processors import filters
from recitant_core.processors.dynamics_kernels import (
    CONTROL_SAMPLES,
    FLOOR_DBFS,
    add_band,
    apply_factors,
    bent,
    branching,
    sliding_max,
    smooth_power,
    step_levels,
    to_db,
)
from recitant_core.processors.model import Processor, samples_of_ms
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ

RMS_MS: Final = 5.0
DYNAMICS_KINDS: Final = ("expander", "gate", "compressor", "three-band", "de-esser", "limiter")
_DECAY_TIMES: Final = 12.0  # 20 dB of reduction are 0.0001 dB after so many time constants
_NO_LIMIT_DB: Final = 1e9
Watch = Callable[[FloatArray], None]
"""Told the gain in dB, negative, of every CONTROL_SAMPLES samples."""


def compressed_db(level_dbfs: FloatArray, threshold_dbfs, ratio, knee_db: float) -> FloatArray:  # type: ignore[no-untyped-def]
    """Reduction in dB, 0 or more, that a level asks for above a threshold; float64, same shape.

    Args:
        threshold_dbfs, ratio: one number or one for each level.
        knee_db: width of the bend around the threshold.

    Source: Giannoulis et al. 2012, equation 4.
    """
    return _bent_along(_row(level_dbfs), _row(threshold_dbfs), _row(1.0 - 1.0 / ratio), knee_db, _NO_LIMIT_DB)


def expanded_db(level_dbfs: FloatArray, threshold_dbfs, ratio, knee_db: float, range_db: float) -> FloatArray:  # type: ignore[no-untyped-def]
    """Reduction in dB, 0 or more, that a level asks for under a threshold; float64, same shape.

    Source: the mirror of compressed_db, limited to ``range_db``.
    """
    return _bent_along(-_row(level_dbfs), -_row(threshold_dbfs), _row(ratio - 1.0), knee_db, range_db)


def levels(audio: Audio) -> tuple[FloatArray, FloatArray]:
    """Highest sample of all channels, and their mean square, of each CONTROL_SAMPLES; float64 (steps,) each.

    Args:
        audio: float32 (frames, channels); the last step may be shorter.
    """
    steps = -(-len(audio) // CONTROL_SAMPLES)
    peak, power = np.zeros(steps), np.zeros(steps)
    step_levels(audio, peak, power)
    return peak, power


def level_dbfs(audio: Audio, hears: str, power: FloatArray | None = None) -> FloatArray:
    """Detector level every CONTROL_SAMPLES samples, in dBFS; a sine at full scale is -3 by rms, 0 by peak.

    Args:
        power: float64 (1,), mean square before the first sample, and after it that of the last; None from rest.
    """
    peak, found = levels(audio)
    if hears == "peak":
        return _db_of(peak, 20.0)
    smooth_power(found, pole_of(RMS_MS), np.zeros(1) if power is None else power)
    return _db_of(found, 10.0)


def dynamic(processor: Processor, audio: Audio, start_sample: int, watch: Watch | None = None) -> Audio:
    """Audio through a processor of dynamics, from rest, written over what came in; float32 (frames, channels).

    Args:
        start_sample: of the first frame, on the grid of CONTROL_SAMPLES; counts for curves.
        watch: told the gain it gives.
    """
    match processor.kind:
        case "de-esser":
            return _de_essed(processor, audio, start_sample, watch)
        case "three-band":
            return _in_three_bands(processor, audio, start_sample, watch)
        case "limiter":
            return _limited(processor, audio, start_sample, watch)
        case _:
            gain_db = gains_db(processor, level_dbfs(audio, _hears(processor)), start_sample)
            if watch is not None:
                watch(gain_db)
            factors = _factors(gain_db)
            if processor.kind == "compressor":
                made_up = _along(processor, "make_up_db", start_sample, len(gain_db))
                # Dry and processed are added up as factors: both have the same phase.
                share = _along(processor, "mix_percent", start_sample, len(gain_db)) / 100.0
                factors = (1.0 - share) + share * factors * _factors(made_up)
            return _with_factors(audio, np.ascontiguousarray(np.broadcast_to(factors, gain_db.shape)))


def gains_db(processor: Processor, level: FloatArray, start_sample: int) -> FloatArray:
    """Gain in dB, 0 or less, that an expander, gate or compressor gives at each step; float64 (steps,).

    Args:
        level: see level_dbfs, of the whole stretch.
        start_sample: of the first step; counts for curves.
    """
    n = len(level)

    def along(name: str) -> FloatArray:
        return _along(processor, name, start_sample, n)

    attack, release = _poles(along("attack_ms")), _poles(along("release_ms"))
    if processor.kind == "compressor":
        ahead = samples_of_ms(processor.number("lookahead_ms")) // CONTROL_SAMPLES
        if ahead:
            level = np.concatenate([level[ahead:], np.full(min(ahead, n), FLOOR_DBFS)])
        wanted = compressed_db(level, along("threshold_dbfs"), along("ratio"), processor.number("knee_db"))
        return -_smoothed(wanted, attack, release)
    hold = samples_of_ms(processor.number("hold_ms")) // CONTROL_SAMPLES
    held = _highest_of_last(level, hold) if hold else level
    range_db = processor.number("range_db")
    if processor.kind == "gate":
        wanted = np.where(held >= along("threshold_dbfs"), 0.0, range_db)
    else:
        wanted = expanded_db(held, along("threshold_dbfs"), along("ratio"), processor.number("knee_db"), range_db)
    # Its attack opens: less reduction.
    return -_smoothed(wanted, release, attack)


def dynamics_reach(processor: Processor) -> tuple[int, int]:
    """Samples before a stretch until which any earlier state has decayed, and samples after it.

    Args:
        processor: compressor, limiter, expander, gate or de-esser; the slowest value of its curves counts.
    """
    if processor.kind == "limiter":
        return BEFORE_SAMPLES, AFTER_SAMPLES
    slowest_ms = max(_largest(processor, "release_ms"), _largest(processor, "attack_ms"))
    before = samples_of_ms(_DECAY_TIMES * (slowest_ms + RMS_MS))
    if processor.kind in ("expander", "gate"):
        before += samples_of_ms(processor.number("hold_ms"))
    after = samples_of_ms(processor.number("lookahead_ms")) if processor.kind == "compressor" else 0
    return before, after


def reduction_curve(processor: Processor, level: FloatArray) -> FloatArray:
    """Static gain in dB at each level of the detector, without make-up; float64 (levels,).

    Of a de-esser and of three bands (the middle one) it is that of the band.
    """
    number = processor.number
    match processor.kind:
        case "gate":
            return np.where(level >= number("threshold_dbfs"), 0.0, -number("range_db"))
        case "expander":
            return -expanded_db(level, number("threshold_dbfs"), number("ratio"), number("knee_db"), number("range_db"))
        case "de-esser":
            wanted = compressed_db(level, number("threshold_dbfs"), number("ratio"), 0.0)
            return -np.minimum(wanted, number("range_db"))
        case "three-band":
            return -compressed_db(level, number("middle_threshold_dbfs"), number("middle_ratio"), number("knee_db"))
        case "limiter":
            return -np.maximum(level + number("gain_db") - number("ceiling_db"), 0.0)
        case _:
            return -compressed_db(level, number("threshold_dbfs"), number("ratio"), number("knee_db"))


def _hears(processor: Processor) -> str:
    return str(processor.value("hears")) if processor.kind == "compressor" else "rms"


def _largest(processor: Processor, name: str) -> float:
    return max([processor.number(name), *(point.value for point in processor.points(name))])


def _along(processor: Processor, name: str, start_sample: int, n_steps: int) -> FloatArray:
    if not processor.points(name):
        return np.array([processor.number(name)])
    places = start_sample + CONTROL_SAMPLES * np.arange(n_steps, dtype=np.float64)
    return np.asarray(processor.along(name, places))


def pole_of(time_ms: float) -> float:
    """Pole of a smoothing that covers 1 - 1/e of its way in a time, a step of CONTROL_SAMPLES at a time.

    >>> steps = round(RATE_HZ * 0.1 / CONTROL_SAMPLES)
    >>> round(pole_of(100.0) ** steps, 3)  # what is left of the way after 100 ms
    0.368
    """
    return math.exp(-CONTROL_SAMPLES / (RATE_HZ * time_ms / 1000.0))


def _poles(time_ms: FloatArray) -> FloatArray:
    return np.exp(-CONTROL_SAMPLES / (RATE_HZ * time_ms / 1000.0))


def _factors(gain_db: FloatArray) -> FloatArray:
    found: FloatArray = np.exp(gain_db * (math.log(10.0) / 20.0))
    return found


def _de_essed(processor: Processor, audio: Audio, start_sample: int, watch: Watch | None) -> Audio:
    if not (processor.points("freq_hz") or processor.points("q")):
        sections = np.array([filters.band_pass(processor.number("freq_hz"), processor.number("q"))])
        band = filters.filtered(audio, sections)
    else:
        places = start_sample + filters.MOVE_SAMPLES * np.arange(-(-len(audio) // filters.MOVE_SAMPLES))
        freq = np.broadcast_to(processor.along("freq_hz", places.astype(np.float64)), places.shape)
        width = np.broadcast_to(processor.along("q", places.astype(np.float64)), places.shape)
        moves = np.array([[filters.band_pass(f, q)] for f, q in zip(freq, width, strict=True)])
        band = filters.filtered_moving(audio, moves)
    # The level of the band alone decides, and the band alone is lowered.
    level = level_dbfs(band, "rms")

    def along(name: str) -> FloatArray:
        return _along(processor, name, start_sample, len(level))

    wanted = np.minimum(compressed_db(level, along("threshold_dbfs"), along("ratio"), 0.0), along("range_db"))
    gain_db = -_smoothed(wanted, _poles(along("attack_ms")), _poles(along("release_ms")))
    if watch is not None:
        watch(gain_db)
    add_band(audio, band, _factors(gain_db) - 1.0, np.zeros(1))
    return audio


def _in_three_bands(processor: Processor, audio: Audio, start_sample: int, watch: Watch | None) -> Audio:
    low_hz, high_hz = processor.number("low_hz"), processor.number("high_hz")
    # Fourth-order crossovers (two Butterworth filters each) whose sums turn phases but keep every level.
    low_of, above_of = _crossover(low_hz)
    middle_of, high_of = _crossover(high_hz)
    above = filters.filtered(audio, above_of)
    low = filters.filtered(audio, low_of)
    low = filters.filtered(low, middle_of) + filters.filtered(low, high_of)
    bands = {"low": low, "middle": filters.filtered(above, middle_of), "high": filters.filtered(above, high_of)}
    total = np.zeros(audio.shape)
    deepest: FloatArray | None = None
    for name, band in bands.items():
        if processor.band_alone not in ("", name):
            continue
        level = level_dbfs(band, "rms")
        n = len(level)
        threshold = _along(processor, f"{name}_threshold_dbfs", start_sample, n)
        ratio = _along(processor, f"{name}_ratio", start_sample, n)
        wanted = compressed_db(level, threshold, ratio, processor.number("knee_db"))
        attack = _poles(_along(processor, "attack_ms", start_sample, n))
        release = _poles(_along(processor, "release_ms", start_sample, n))
        gain_db = -_smoothed(wanted, attack, release)
        deepest = gain_db if deepest is None else np.minimum(deepest, gain_db)
        made_up = _factors(_along(processor, f"{name}_gain_db", start_sample, n))
        total += _with_factors(band, _factors(gain_db) * made_up)
    if watch is not None and deepest is not None:
        watch(deepest)
    return total.astype(np.float32)


def _crossover(freq_hz: float) -> tuple[FloatArray, FloatArray]:
    low = filters.butterworth(freq_hz, 12, is_high=False)
    high = filters.butterworth(freq_hz, 12, is_high=True)
    return np.concatenate([low, low]), np.concatenate([high, high])


def _limited(processor: Processor, audio: Audio, start_sample: int, watch: Watch | None) -> Audio:
    gain: Audio | np.float32 = np.float32(10.0 ** (processor.number("gain_db") / 20.0))
    ceiling_db: float | FloatArray = processor.number("ceiling_db")
    if processor.points("ceiling_db") or processor.points("gain_db"):
        places = start_sample + np.arange(len(audio), dtype=np.float64)
        gain_db = np.broadcast_to(processor.along("gain_db", places), places.shape)
        ceiling_db = np.broadcast_to(processor.along("ceiling_db", places), places.shape)
        gain = _factors(gain_db - ceiling_db)[:, None].astype(np.float32)
    around = np.pad(audio * gain, ((BEFORE_SAMPLES, AFTER_SAMPLES), (0, 0)))
    hears_between = processor.value("hears") == "true-peak"
    out, factor = limit(around, ceiling_db if isinstance(ceiling_db, float) else 0.0, hears_between=hears_between)
    if watch is not None:
        watch(20.0 * np.log10(np.maximum(factor[::CONTROL_SAMPLES, 0].astype(np.float64), 1e-9)))
    return out if isinstance(ceiling_db, float) else out * _factors(ceiling_db)[:, None].astype(np.float32)


def _with_factors(audio: Audio, factors: FloatArray) -> Audio:
    before = np.array([factors[0] if len(factors) else 1.0])
    apply_factors(audio, factors, before, audio)
    return audio


def _row(values) -> FloatArray:  # type: ignore[no-untyped-def]
    return np.atleast_1d(np.asarray(values, dtype=np.float64))


def _bent_along(
    level: FloatArray, threshold: FloatArray, slope: FloatArray, knee_db: float, most_db: float
) -> FloatArray:
    out = np.empty(len(level))
    bent(level, threshold, slope, knee_db, most_db, out)
    return out


def _db_of(values: FloatArray, times: float) -> FloatArray:
    out = np.empty(len(values))
    to_db(values, times, out)
    return out


def _smoothed(wanted: FloatArray, rising: FloatArray, falling: FloatArray) -> FloatArray:
    out = np.empty(len(wanted))
    branching(wanted, rising, falling, np.array([wanted[0] if len(wanted) else 0.0]), out)
    return out


def _highest_of_last(level: FloatArray, count: int) -> FloatArray:
    out = np.empty(len(level))
    sliding_max(level, count, out)
    return out
