"""Recordings of the same moment, as a camera and a field recorder make them: which, and how far apart they began.

Rises in level are compared, which survive another microphone, room and noise. Limits are ours: spoken sentences beside
themselves, band-limited, with reverberation and noise as loud as speech, come to 0.51 and more; different ones to 0.24
at the most, music and effects among each other to 0.38.
Held to: tests/core/test_moments.py
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final

import numpy as np
import numpy.typing as npt
from scipy.fft import next_fast_len

from recitant_core.ports import SampleSource
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, RATE_HZ, SampleSpan

SAME_BY_SOUND: Final = 0.45
SAME_BY_CLOCK: Final = 0.35
"""Similarity from which two recordings hold the same moment, found anywhere, and where their time of day has it."""
LEAST_S: Final = 10.0
"""So much must lie in both."""
CLOCKS_APART_S: Final = 3.0
"""Clocks of two devices differ by as much."""
_STEP_HOPS: Final = 2
_SMOOTHED_STEPS: Final = 3
_RISE_STEPS: Final = 2
_STEP_SAMPLES: Final = _STEP_HOPS * HOP_SAMPLES
_MOST_STEPS: Final = 3 * 3_600 * RATE_HZ // _STEP_SAMPLES
_MOST_PAIRS: Final = 300
_SETTLED_SAMPLES: Final = 60 * RATE_HZ
_SETTLED_WITHIN_SAMPLES: Final = RATE_HZ // 10
_PHASE_SHARE: Final = 0.8


@dataclass(frozen=True)
class Recorded:
    """A recording by its level."""

    key: str
    energy: FloatArray
    """Float64 (hops, channels), 10 ms energies."""
    reference_samples: int | None = None
    """Time of day at which it begins; None where the file says none."""


@dataclass(frozen=True)
class Moment:
    """Two recordings of the same moment."""

    first_key: str
    """The one with more distance between its loud and its quiet stretches."""
    second_key: str
    offset_samples: int
    """Later than the first one's start, the second one begins; to 20 ms, see settled_offset."""
    similarity: float


@dataclass(frozen=True)
class _Steps:
    """Rises of level of a recording in steps of 20 ms, without their mean."""

    rises_db: FloatArray
    spread_db: float
    sums: FloatArray
    """Running sum of squares."""


def same_moments(recordings: Sequence[Recorded]) -> tuple[Moment, ...]:
    """Pairs of recordings that hold the same moment, the most alike first.

    Beyond some hundreds of pairs, only those are compared whose time of day suggests it.
    """
    known = {one.key: _steps_of(one.energy) for one in recordings}
    pairs = sorted(combinations(recordings, 2), key=lambda pair: _clock_overlap_s(*pair) < LEAST_S)
    n_by_clock = sum(_clock_overlap_s(*pair) >= LEAST_S for pair in pairs)
    compared = pairs[: max(n_by_clock, _MOST_PAIRS)]
    moments = [_moment(one, other, known[one.key], known[other.key]) for one, other in compared]
    return tuple(sorted((one for one in moments if one is not None), key=lambda moment: -moment.similarity))


def settled_offset(moment: Moment, sources: Mapping[str, SampleSource], lengths: Mapping[str, int]) -> int:
    """Offset of a moment to the sample, by the waveforms in the middle of what both hold.

    Args:
        lengths: of the recordings in samples.
    """
    offset = moment.offset_samples
    shared = SampleSpan(0, lengths[moment.first_key]).intersect(SampleSpan(offset, lengths[moment.second_key]))
    if shared is None:
        return offset
    length = min(shared.length_samples, _SETTLED_SAMPLES)
    middle = shared.start_sample + (shared.length_samples - length) // 2
    first = sources[moment.first_key].read(middle, length)
    second = sources[moment.second_key].read(middle - offset, length)
    size = next_fast_len(2 * length, real=True)
    spectra = np.fft.rfft([first.mean(axis=1), second.mean(axis=1)], size)
    crossed = spectra[0] * np.conj(spectra[1])
    # Mostly phase: a room and a microphone colour the level of every band and smear its time far less.
    crossed /= np.maximum(np.abs(crossed), 1e-12) ** _PHASE_SHARE
    alike = np.abs(np.fft.irfft(crossed, size))
    lags = np.arange(-_SETTLED_WITHIN_SAMPLES, _SETTLED_WITHIN_SAMPLES + 1)
    return offset + int(lags[alike[lags].argmax()])


def _steps_of(energy: FloatArray) -> _Steps:
    whole = min(len(energy) // _STEP_HOPS, _MOST_STEPS)
    channels = energy[:, :2] if energy.shape[1] == 3 else energy
    power = channels[: whole * _STEP_HOPS].sum(axis=1).reshape(whole, _STEP_HOPS).sum(axis=1)
    if whole < _RISE_STEPS + _SMOOTHED_STEPS:
        return _Steps(np.zeros(0), 0.0, np.zeros(1))
    smooth = np.convolve(power, np.ones(_SMOOTHED_STEPS) / _SMOOTHED_STEPS, mode="same")
    level_db = 10.0 * np.log10(smooth + 1e-4 * power.mean() + 1e-12)
    rises_db = np.zeros(whole)
    rises_db[_RISE_STEPS:] = np.maximum(level_db[_RISE_STEPS:] - level_db[:-_RISE_STEPS], 0.0)
    rises_db -= rises_db.mean()
    low_db, high_db = np.percentile(level_db, (10, 90))
    return _Steps(rises_db, float(high_db - low_db), np.concatenate([[0.0], np.cumsum(rises_db**2)]))


def _clock_overlap_s(one: Recorded, other: Recorded) -> float:
    if one.reference_samples is None or other.reference_samples is None:
        return 0.0
    first = SampleSpan(one.reference_samples, max(1, len(one.energy) * HOP_SAMPLES))
    shared = first.intersect(SampleSpan(other.reference_samples, max(1, len(other.energy) * HOP_SAMPLES)))
    return 0.0 if shared is None else shared.length_samples / RATE_HZ


def _moment(one: Recorded, other: Recorded, a: _Steps, b: _Steps) -> Moment | None:
    least = int(LEAST_S * RATE_HZ) // _STEP_SAMPLES
    if min(len(a.rises_db), len(b.rises_db)) < least:
        return None
    lags, alike = _similarities(a, b, least)
    best = int(alike.argmax())
    if alike[best] < SAME_BY_SOUND:
        if one.reference_samples is None or other.reference_samples is None:
            return None
        by_clock = (other.reference_samples - one.reference_samples) / _STEP_SAMPLES
        near = np.abs(lags - by_clock) <= CLOCKS_APART_S * RATE_HZ / _STEP_SAMPLES
        best = int(np.where(near, alike, -1.0).argmax())
        if not near[best] or alike[best] < SAME_BY_CLOCK:
            return None
    offset, similarity = int(lags[best]) * _STEP_SAMPLES, round(float(alike[best]), 3)
    if b.spread_db > a.spread_db:
        return Moment(other.key, one.key, -offset, similarity)
    return Moment(one.key, other.key, offset, similarity)


def _similarities(a: _Steps, b: _Steps, least: int) -> tuple[npt.NDArray[np.int64], FloatArray]:
    """Correlation of two recordings where both sound, by how many steps later the second one begins.

    Args:
        least: steps that both must share; others count as 0.

    Returns:
        Lags, int64 (lags,), and correlations of -1 to 1, float64 (lags,).
    """
    n_a, n_b = len(a.rises_db), len(b.rises_db)
    size = next_fast_len(n_a + n_b, real=True)
    crossed = np.fft.irfft(np.fft.rfft(a.rises_db, size) * np.conj(np.fft.rfft(b.rises_db, size)), size)
    lags = np.arange(-(n_b - least), n_a - least + 1)
    begin, end = np.maximum(0, lags), np.minimum(n_a, lags + n_b)
    power = (a.sums[end] - a.sums[begin]) * (b.sums[end - lags] - b.sums[begin - lags])
    return lags, np.where(power > 0.0, crossed[lags] / np.sqrt(np.maximum(power, 1e-12)), 0.0)
