"""Levels of the 20 ms pieces that evidence holds: of sound, of speech, of the noise between.

Held to: tests/core/test_findings.py
"""

from typing import Final

import numpy as np
import numpy.typing as npt

from recitant_core.intake.evidence import PIECE_SAMPLES, Evidence
from recitant_core.speech.activity import SpeechSpan
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan

FLOOR_POWER: Final = 1e-12
BoolArray = npt.NDArray[np.bool_]
ACTIVE_DBFS: Final = -60.0
LEAST_FLOOR_S: Final = 1.5


def rounded(value: float, digits: int = 1) -> float:
    """A figure as findings carry it."""
    return round(float(value), digits)


def db_of_power(power: float) -> float:
    """Level in dBFS of a mean square; -120 at the least."""
    return float(10.0 * np.log10(max(power, FLOOR_POWER)))


def clean_power(evidence: Evidence) -> FloatArray:
    """Mean square of each piece without its constant part, float64 (pieces, channels)."""
    # Without what is constant: a DC offset is a finding of its own and no level.
    steady = evidence.mean.mean(axis=0)
    clean: FloatArray = np.maximum(evidence.power - 2.0 * evidence.mean * steady + steady**2, 0.0)
    return clean


def active_power(evidence: Evidence) -> BoolArray:
    """Mask of the pieces that sound, bool (pieces,): over -60 dBFS and within 30 dB of the loud ones."""
    loudest = clean_power(evidence).max(axis=1)
    threshold = max(10 ** (ACTIVE_DBFS / 10), np.percentile(loudest, 95) * 1e-3)
    active: BoolArray = loudest > threshold
    return active


def spoken_pieces(evidence: Evidence, speech: list[SpeechSpan]) -> BoolArray:
    """Mask of the pieces that lie in speech, bool (pieces,)."""
    spoken = np.zeros(len(evidence.power), dtype=bool)
    for span in speech:
        spoken[span.start_sample // PIECE_SAMPLES : -(-span.span.end_sample // PIECE_SAMPLES)] = True
    return spoken


def noise_floor_db(evidence: Evidence, speech: list[SpeechSpan], channel: int) -> float:
    """Noise floor of a channel in dBFS: the lower quarter of the pieces between speech."""
    power = clean_power(evidence)[:, channel]
    quiet, percentile = power[~spoken_pieces(evidence, speech)], 25
    if len(quiet) < evidence.pieces_per_second // 4:
        # Hardly a pause: the quietest moments between words stand in.
        quiet, percentile = power, 5
    sounding = quiet[quiet > FLOOR_POWER]
    if len(sounding) < len(quiet) / 2:
        # Pauses of digital silence: what sounds in them is the end of words and no floor.
        return db_of_power(0.0)
    return db_of_power(float(np.percentile(sounding, percentile))) if sounding.size else db_of_power(0.0)


def speech_db(evidence: Evidence, speech: list[SpeechSpan], channel: int) -> float:
    """Level of the speech on a channel in dBFS, without what lies 10 dB under its mean."""
    power = clean_power(evidence)[spoken_pieces(evidence, speech), channel]
    loud = power[power >= power.mean() * 0.1] if power.size else power
    return db_of_power(float(loud.mean())) if loud.size else db_of_power(0.0)


def speech_to_noise(evidence: Evidence, speech: list[SpeechSpan]) -> tuple[float, float] | None:
    """Level of the speech and noise floor in its pauses, dBFS (mean square, louder channel).

    None without speech, and where a recording of a second has no pause: words alone have no floor.
    """
    n_free = len(evidence.power) - int(spoken_pieces(evidence, speech).sum())
    is_short = len(evidence.power) < LEAST_FLOOR_S * evidence.pieces_per_second
    if not speech or (is_short and n_free < evidence.pieces_per_second // 4):
        return None
    channel = int(evidence.power.mean(axis=0).argmax())
    return speech_db(evidence, speech, channel), noise_floor_db(evidence, speech, channel)


def gathered(starts: FloatArray, lengths: FloatArray, gap_samples: int) -> list[SampleSpan]:
    """Places in order, those that lie no further apart than the gap joined.

    Args:
        starts, lengths: in samples, float64 (places,) each.
    """
    places: list[SampleSpan] = []
    for at in np.argsort(starts):
        start, length = int(starts[at]), int(lengths[at])
        if places and start - places[-1].end_sample <= gap_samples:
            first = places[-1].start_sample
            places[-1] = SampleSpan(first, max(places[-1].end_sample, start + length) - first)
        else:
            places.append(SampleSpan(start, length))
    return places
