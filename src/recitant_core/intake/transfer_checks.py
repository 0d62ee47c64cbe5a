"""Checks of what goes wrong on the way into a file: holes, clicks, peaks over full scale, sides apart; test signals.

Held to: tests/core/test_findings.py
"""

from typing import Final

import numpy as np
from scipy.signal import butter, correlate, get_window, sosfiltfilt

from recitant_core.intake.evidence import LOW_RATE_HZ, PIECE_SAMPLES, Evidence
from recitant_core.intake.findings import Facts, Finding, Remedy, Severity
from recitant_core.intake.piece_levels import FLOOR_POWER, clean_power, db_of_power, gathered, rounded
from recitant_core.ports import SampleSource
from recitant_core.units.channels import Routing
from recitant_core.units.clock import RATE_HZ, samples_from_s

LEAST_SHIFT_SAMPLES: Final = 6  # 0.13 ms
MOST_SHIFT_SAMPLES: Final = 240  # 5 ms: later than that is an echo
SHIFTED_CORRELATION: Final = 0.995  # of the sides brought together: two microphones hear less alike
SHIFT_GAINS: Final = 0.01  # by how much it passes the correlation of the sides as they came
LEAST_CLICKS: Final = 3
LEAST_SPEECH: Final = 0.25
TONE_SHARE: Final = 0.99
LOW_HZ: Final = 250.0
SQUARE_CREST_DB: Final = 0.5  # of a sine it is 3 dB
TONE_STEADY_DB: Final = 0.5
_SHORT_SAMPLES: Final = 2_048
_EDGE_SAMPLES: Final = 96


def shifted_sides(evidence: Evidence, source: SampleSource, facts: Facts) -> Finding | None:
    """One side a moment later than the other: in mono they comb."""
    window = 2 * evidence.pieces_per_second
    loud = np.convolve(clean_power(evidence).sum(axis=1), np.ones(window), mode="valid")
    if not loud.size:
        return None
    start = int(loud.argmax()) * PIECE_SAMPLES
    audio = source.read(start, min(2 * RATE_HZ, evidence.length_samples - start)).astype(np.float64)
    # An offset would correlate at every lag.
    audio -= audio.mean(axis=0)
    size = float(np.sqrt((audio[:, 0] ** 2).sum() * (audio[:, 1] ** 2).sum()))
    if size <= 0.0:
        return None
    # Correlation at every lag, by the loudest two seconds.
    crossed = correlate(audio[:, 0], audio[:, 1], mode="full", method="fft") / size
    middle = len(audio) - 1
    near = crossed[middle - MOST_SHIFT_SAMPLES : middle + MOST_SHIFT_SAMPLES + 1]
    lag = int(near.argmax()) - MOST_SHIFT_SAMPLES
    best, together = float(near.max()), float(crossed[middle])
    if abs(lag) < LEAST_SHIFT_SAMPLES or best < SHIFTED_CORRELATION or best - together < SHIFT_GAINS:
        return None
    facts = facts | {"lag_ms": rounded(1000.0 * abs(lag) / RATE_HZ, 2), "later": "left" if lag > 0 else "right"}
    first = Routing.SECOND if lag > 0 else Routing.FIRST
    remedy = Remedy("use-earlier", False, routing=first)
    return Finding("sides-shifted", Severity.ODD, facts, (), (remedy,))


def dropouts(evidence: Evidence) -> Finding | None:
    """Holes of 5 to 50 ms in sound that goes on on both sides."""
    if not len(evidence.holes):
        return None
    places = gathered(evidence.holes[:, 1], evidence.holes[:, 2], 0)
    facts: Facts = {
        "n_places": len(places),
        "first_s": rounded(places[0].start_sample / RATE_HZ, 2),
        "longest_ms": rounded(1000.0 * max(place.length_samples for place in places) / RATE_HZ),
    }
    return Finding("dropouts", Severity.FAULT, facts, tuple(places[:200]))


def clicks(evidence: Evidence, share_of_speech: float) -> Finding | None:
    """Clicks between words; in music, fire or rain they may be meant."""
    at = evidence.clicks[:, 1:2]
    # The edges of a hole click too; that is said once.
    from_sample, to_sample = evidence.holes[:, 1] - _EDGE_SAMPLES, evidence.holes[:, 1:].sum(axis=1) + _EDGE_SAMPLES
    lone = evidence.clicks[~((at >= from_sample) & (at <= to_sample)).any(axis=1)]
    places = gathered(lone[:, 1], lone[:, 2], samples_from_s(0.005))
    if share_of_speech < LEAST_SPEECH or len(places) < LEAST_CLICKS:
        return None
    facts: Facts = {"n_places": len(places), "first_s": rounded(places[0].start_sample / RATE_HZ, 2)}
    return Finding("clicks", Severity.ODD, facts, tuple(places[:200]))


def over_full_scale(evidence: Evidence, coding: str) -> Finding | None:
    """Peaks that only a file of floating point can hold."""
    peak = float(evidence.peak.max(initial=0.0))
    # Whole numbers cannot hold it: what stands over full scale there comes from reading at another rate.
    if peak <= 1.0 or not any(word in coding.upper() for word in ("FLOAT", "DOUBLE")):
        return None
    peak_dbfs = 20.0 * float(np.log10(peak))
    over = np.flatnonzero(evidence.peak.max(axis=1) > 1.0)
    places = gathered(
        (over * PIECE_SAMPLES).astype(np.float64), np.full(len(over), float(PIECE_SAMPLES)), samples_from_s(0.25)
    )
    facts: Facts = {"peak_dbfs": rounded(peak_dbfs), "n_places": len(places)}
    lower = Remedy("lower", True, gain_change_db=rounded(-1.0 - peak_dbfs))
    return Finding("over-full-scale", Severity.ODD, facts, tuple(places[:200]), (lower,))


def line_up_signal(evidence: Evidence, source: SampleSource) -> Finding | None:
    """A test tone, or a sweep of one: one line at every moment, at one level."""
    power = clean_power(evidence).max(axis=1)
    sounding = power[power > power.max(initial=0.0) * 1e-3]
    if len(sounding) < 2 * evidence.pieces_per_second or float(np.std(10.0 * np.log10(sounding))) > TONE_STEADY_DB:
        return None
    level_dbfs = rounded(db_of_power(2.0 * float(np.median(sounding))))
    if is_square_wave(evidence):
        exact_hz = _line_hz(evidence, source, 0.4, RATE_HZ, with_harmonics=True)
        return Finding("test-tone", Severity.NOTE, {"tone_hz": round(exact_hz), "peak_dbfs": level_dbfs})
    # A tone has one frequency at three places; a sweep has three.
    tones_hz = [_line_hz(evidence, source, share, _SHORT_SAMPLES) for share in (0.2, 0.5, 0.8)]
    if 0.0 in tones_hz:
        return None
    if max(tones_hz) - min(tones_hz) <= max(25.0, 0.02 * max(tones_hz)):
        exact_hz = _line_hz(evidence, source, 0.4, RATE_HZ)
        return Finding("test-tone", Severity.NOTE, {"tone_hz": round(exact_hz), "peak_dbfs": level_dbfs})
    facts: Facts = {"low_hz": round(min(tones_hz)), "high_hz": round(max(tones_hz)), "peak_dbfs": level_dbfs}
    return Finding("sweep", Severity.NOTE, facts)


def is_square_wave(evidence: Evidence) -> bool:
    """Whether a recording is as loud as its peaks all the way: what is flat in it is no fault."""
    peak, power = evidence.peak.max(axis=1), evidence.power.max(axis=1)
    sounding = power > power.max(initial=0.0) * 1e-3
    if not sounding.any():
        return False
    crest_db = 20.0 * np.log10(peak[sounding]) - 10.0 * np.log10(power[sounding])
    return bool(np.quantile(crest_db, 0.95) < SQUARE_CREST_DB)


def _line_hz(
    evidence: Evidence, source: SampleSource, share: float, n_samples: int, *, with_harmonics: bool = False
) -> float:
    """Frequency of the one line that there is at a place of a recording; 0 where there is more than one."""
    start = int(evidence.length_samples * share)
    audio = source.read(start, min(n_samples, evidence.length_samples - start)).astype(np.float64)
    channel = audio[:, int((audio**2).sum(axis=0).argmax())]
    spectrum = np.abs(np.fft.rfft(channel * get_window("hann", len(channel)))) ** 2
    at = int(spectrum.argmax())
    wide = max(4, at // 12)  # a sweep moves meanwhile
    if not with_harmonics and spectrum[max(0, at - wide) : at + wide + 1].sum() < TONE_SHARE * spectrum.sum():
        return 0.0
    return at * RATE_HZ / len(channel)


def low_correlation(evidence: Evidence) -> float:
    """Correlation of both sides under 250 Hz; 0 where there is nothing."""
    low = evidence.low.astype(np.float64)
    if len(low) < LOW_RATE_HZ:
        return 0.0
    below = sosfiltfilt(butter(4, LOW_HZ, fs=LOW_RATE_HZ, output="sos"), low - low.mean(axis=0), axis=0)
    powers = (below**2).mean(axis=0)
    if powers.min() < FLOOR_POWER:
        return 0.0
    return float((below[:, 0] * below[:, 1]).mean() / np.sqrt(powers[0] * powers[1]))
