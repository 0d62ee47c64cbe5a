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
from scipy.fft import irfft, next_fast_len, rfft

from recitant_core.ports import SampleSource
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, RATE_HZ, SampleSpan

SAME_BY_SOUND: Final = 0.45
SAME_BY_CLOCK: Final = 0.35
"""Similarity from which two recordings hold the same moment, found anywhere, and where their time of day has it."""
LEAST_S: Final = 10.0
"""So much must lie in both."""
CLOCKS_APART_S: Final = 3
"""Clocks of two devices differ by as much."""
_STEP_HOPS: Final = 2
_STEP_SAMPLES: Final = _STEP_HOPS * HOP_SAMPLES
_SMOOTHED_STEPS: Final = 3
_RISE_STEPS: Final = 2
_COARSE_STEPS: Final = 4
_MOST_COARSE: Final = 30 * 60 * RATE_HZ // (_COARSE_STEPS * _STEP_SAMPLES)
"""Beginnings are compared anywhere, half an hour of each; what began further apart is found by the time of day."""
_MOST_STEPS: Final = 3 * 3_600 * RATE_HZ // _STEP_SAMPLES
_MOST_PAIRS: Final = 300
_CANDIDATE: Final = 0.25
_SETTLED_SAMPLES: Final = 60 * RATE_HZ
_SETTLED_WITHIN_SAMPLES: Final = RATE_HZ // 10
_PHASE_SHARE: Final = 0.8

Indices = npt.NDArray[np.int64]


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


class _Rises:
    """Rises of level of a recording, step by step, without their mean."""

    def __init__(self, rises_db: FloatArray) -> None:
        self.values = rises_db - rises_db.mean() if rises_db.size else rises_db
        self._sums = np.concatenate([[0.0], np.cumsum(self.values**2)])

    def power(self, begin: Indices, end: Indices) -> FloatArray:
        """Sums of squares of stretches, float64 of the shape of what is asked."""
        found: FloatArray = self._sums[end] - self._sums[begin]
        return found


class _Level:
    """Course of the level of a recording in steps of 20 and of 80 ms."""

    def __init__(self, energy: FloatArray) -> None:
        whole = min(len(energy) // _STEP_HOPS, _MOST_STEPS) // _COARSE_STEPS * _COARSE_STEPS
        channels = energy[:, :2] if energy.shape[1] == 3 else energy
        power = channels[: whole * _STEP_HOPS].sum(axis=1).reshape(whole, _STEP_HOPS).sum(axis=1)
        level_db = np.zeros(0)
        if whole > _SMOOTHED_STEPS + _RISE_STEPS:
            smooth = np.convolve(power, np.ones(_SMOOTHED_STEPS) / _SMOOTHED_STEPS, mode="same")
            level_db = 10.0 * np.log10(smooth + 1e-4 * power.mean() + 1e-12)
        rises_db = np.zeros(len(level_db))
        rises_db[_RISE_STEPS:] = np.maximum(level_db[_RISE_STEPS:] - level_db[:-_RISE_STEPS], 0.0)
        self.fine = _Rises(rises_db)
        self.coarse = _Rises(rises_db.reshape(-1, _COARSE_STEPS).mean(axis=1))
        low_db, high_db = np.percentile(level_db, (10, 90)) if level_db.size else (0.0, 0.0)
        self.spread_db = float(high_db - low_db)


def same_moments(recordings: Sequence[Recorded]) -> tuple[Moment, ...]:
    """Pairs of recordings that hold the same moment, the most alike first.

    Beyond some hundreds of pairs, only those are compared whose time of day suggests it.
    """
    known = {one.key: _Level(one.energy) for one in recordings}
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
    spectra = rfft([first.mean(axis=1), second.mean(axis=1)], size)
    crossed = spectra[0] * np.conj(spectra[1])
    # Mostly phase: a room and a microphone colour the level of every band and smear its time far less.
    crossed /= np.maximum(np.abs(crossed), 1e-12) ** _PHASE_SHARE
    alike = np.abs(irfft(crossed, size))
    lags = np.arange(-_SETTLED_WITHIN_SAMPLES, _SETTLED_WITHIN_SAMPLES + 1)
    return offset + int(lags[alike[lags].argmax()])


def _clock_overlap_s(one: Recorded, other: Recorded) -> float:
    if one.reference_samples is None or other.reference_samples is None:
        return 0.0
    first = SampleSpan(one.reference_samples, max(1, len(one.energy) * HOP_SAMPLES))
    shared = first.intersect(SampleSpan(other.reference_samples, max(1, len(other.energy) * HOP_SAMPLES)))
    return 0.0 if shared is None else shared.length_samples / RATE_HZ


def _moment(one: Recorded, other: Recorded, a: _Level, b: _Level) -> Moment | None:
    found = _settled(a, b, _anywhere(a.coarse, b.coarse), SAME_BY_SOUND)
    if found is None and one.reference_samples is not None and other.reference_samples is not None:
        step = _COARSE_STEPS * _STEP_SAMPLES
        at = round((other.reference_samples - one.reference_samples) / step)
        reach = CLOCKS_APART_S * RATE_HZ // step
        around = np.arange(at - reach, at + reach + 1)
        found = _settled(a, b, _best_of(a.coarse, b.coarse, around, step)[0], SAME_BY_CLOCK)
    if found is None:
        return None
    offset, similarity = found
    if b.spread_db > a.spread_db:
        return Moment(other.key, one.key, -offset, similarity)
    return Moment(one.key, other.key, offset, similarity)


def _anywhere(a: _Rises, b: _Rises) -> int | None:
    """Coarse steps by which the second one begins later where both are most alike; None where that is nowhere."""
    first, second = a.values[:_MOST_COARSE], b.values[:_MOST_COARSE]
    n_a, n_b, least = len(first), len(second), _least(_COARSE_STEPS * _STEP_SAMPLES)
    if min(n_a, n_b) < least:
        return None
    size = next_fast_len(n_a + n_b, real=True)
    crossed = irfft(rfft(first, size) * np.conj(rfft(second, size)), size)
    lags = np.arange(-(n_b - least), n_a - least + 1)
    begin, end = np.maximum(0, lags), np.minimum(n_a, lags + n_b)
    power = a.power(begin, end) * b.power(begin - lags, end - lags)
    alike = np.where(power > 0.0, crossed[lags] / np.sqrt(np.maximum(power, 1e-12)), 0.0)
    best = int(alike.argmax())
    return int(lags[best]) if alike[best] >= _CANDIDATE else None


def _settled(a: _Level, b: _Level, coarse: int | None, least_similarity: float) -> tuple[int, float] | None:
    """Offset in samples and similarity around a coarse one; None where they are less alike than asked."""
    if coarse is None:
        return None
    around = coarse * _COARSE_STEPS + np.arange(-2 * _COARSE_STEPS, 2 * _COARSE_STEPS + 1)
    lag, similarity = _best_of(a.fine, b.fine, around, _STEP_SAMPLES)
    if lag is None or similarity < least_similarity:
        return None
    return lag * _STEP_SAMPLES, round(similarity, 3)


def _best_of(a: _Rises, b: _Rises, lags: Indices, step_samples: int) -> tuple[int | None, float]:
    """The lag at which both are most alike, and how alike, -1 to 1; None where they share too little at each."""
    best, best_similarity = None, 0.0
    for lag in lags.tolist():
        begin, end = max(0, lag), min(len(a.values), lag + len(b.values))
        if end - begin < _least(step_samples):
            continue
        edges = np.array([begin, end, begin - lag, end - lag])
        power = float(a.power(edges[0], edges[1]) * b.power(edges[2], edges[3]))
        crossed = float(np.dot(a.values[begin:end], b.values[begin - lag : end - lag]))
        similarity = crossed / power**0.5 if power > 0.0 else 0.0
        if similarity > best_similarity:
            best, best_similarity = lag, similarity
    return best, best_similarity


def _least(step_samples: int) -> int:
    return int(LEAST_S * RATE_HZ) // step_samples
