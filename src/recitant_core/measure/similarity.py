"""How alike two stretches of sound are: in step, shifted, or as places where one may be joined to another.

Held to: tests/core/test_similarity.py
"""

from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np
from scipy.signal import correlate

from recitant_core.ports import SampleSource
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ, SampleSpan

RELATED: Final = 0.5
_ONSET_SAMPLES: Final = RATE_HZ // 1_000  # 1 ms steps
_NEAR_MS: Final = 60
_FEATURE_SAMPLES: Final = RATE_HZ // 20  # 50 ms steps
_CONTEXT: Final = 30  # 1.5 s on either side of a join
_N_BANDS: Final = 24
_REFINE_SAMPLES: Final = RATE_HZ // 40


def correlation(first: Audio, second: Audio) -> float:
    """Correlation of two stretches in step, -1 to 1; 0 where one is silent.

    Args:
        first, second: float32 (frames, channels), of the same length; channels are added up.
    """
    a = first.sum(axis=1, dtype=np.float64)
    b = second.sum(axis=1, dtype=np.float64)
    power = float(np.sqrt((a * a).sum() * (b * b).sum()))
    return float((a * b).sum() / power) if power > 0.0 else 0.0


@dataclass(frozen=True)
class Alignment:
    """Offset of one recording against another, in samples, with its confidence."""

    offset_samples: int
    """Later than the first one's start is positive: laid there, the second sounds in step with the first."""
    confidence: float
    """0 to 1: how far the best place stands before the next best."""


def align(first: Audio, second: Audio) -> Alignment:
    """Offset of the second recording, from the first one's start, at which both sound in step.

    Onsets are compared first, which survives other microphones, rooms and polarities; the waveform then settles it to
    the sample. Confidence 0: nothing in common.

    Args:
        first, second: float32 (frames, channels), at least 0.1 s each.
    """
    a, b = _onsets(first), _onsets(second)
    if a.size < 100 or b.size < 100 or not a.any() or not b.any():
        return Alignment(0, 0.0)
    crossed = correlate(a, b, mode="full", method="fft")
    best = int(crossed.argmax())
    rest = crossed.copy()
    rest[max(0, best - _NEAR_MS) : best + _NEAR_MS + 1] = 0.0
    second_best = float(rest.max(initial=0.0))
    top = float(crossed[best])
    similarity = top / float(np.sqrt((a * a).sum() * (b * b).sum()))
    confidence = max(0.0, 1.0 - second_best / top) * min(1.0, similarity / 0.3) if top > 0.0 else 0.0
    coarse = (best - (b.size - 1)) * _ONSET_SAMPLES
    offset, waveform_similarity = _settled(first, second, coarse)
    return Alignment(offset, round(min(1.0, max(1.25 * confidence, waveform_similarity)), 3))


def _onsets(audio: Audio) -> FloatArray:
    mono = np.abs(np.diff(audio.mean(axis=1, dtype=np.float64), prepend=0.0))
    whole = len(mono) // _ONSET_SAMPLES * _ONSET_SAMPLES
    level = np.log10(mono[:whole].reshape(-1, _ONSET_SAMPLES).mean(axis=1) + 1e-5)
    if level.size < 5:
        return np.zeros(0)
    smooth = np.convolve(level, np.ones(5) / 5.0, mode="valid")
    rise = np.maximum(np.diff(smooth, prepend=smooth[:1]), 0.0)
    onsets: FloatArray = rise - rise.mean()
    return onsets


def _settled(first: Audio, second: Audio, coarse: int) -> tuple[int, float]:
    # The loudest second that both share, shifted by up to 25 ms.
    a, b = first.mean(axis=1, dtype=np.float64), second.mean(axis=1, dtype=np.float64)
    begin, end = max(0, coarse), min(len(a), coarse + len(b))
    if end - begin < _REFINE_SAMPLES * 8:
        return coarse, 0.0
    power = np.add.reduceat(a[begin:end] ** 2, np.arange(0, end - begin, RATE_HZ // 4))
    centre = begin + int(power.argmax()) * (RATE_HZ // 4)
    low = max(begin + _REFINE_SAMPLES, centre - RATE_HZ // 2)
    high = min(end - _REFINE_SAMPLES, centre + RATE_HZ // 2)
    piece = b[low - coarse : high - coarse]
    wide_low, wide_high = max(0, low - _REFINE_SAMPLES), min(len(a), high + _REFINE_SAMPLES)
    crossed = np.abs(correlate(a[wide_low:wide_high], piece, mode="valid", method="fft"))
    at = wide_low + int(crossed.argmax())
    found = a[at : at + len(piece)]
    norm = float(np.sqrt((found * found).sum() * (piece * piece).sum()))
    return at - (low - coarse), float(crossed.max()) / norm if norm > 0.0 else 0.0


@dataclass(frozen=True)
class Join:
    """Two places of a recording that may follow each other."""

    leave_sample: int
    """Leave the recording here ..."""
    enter_sample: int
    """... and go on from here."""
    similarity: float
    """0 to 1: how alike what surrounds both places is."""


def best_join(source: SampleSource, span: SampleSpan, least_loop_samples: int) -> Join | None:
    """The two places inside a stretch between which a loop is heard least; None where it is too short for one.

    What surrounds the places is compared in 24 bands over 3 s: the same chord, the same beat, the same loudness. The
    waveform then settles the beat to the sample.

    Args:
        span: of the recording, where both places may lie.
        least_loop_samples: the loop is at least this long.
    """
    audio = source.read(span.start_sample, span.length_samples)
    features = _band_features(audio)
    n = len(features)
    least = -(-least_loop_samples // _FEATURE_SAMPLES)
    if n < least + 2 * _CONTEXT + 1:
        return None
    unit = features - features.mean(axis=0)
    norms = np.linalg.norm(unit, axis=1, keepdims=True)
    unit = unit / np.maximum(norms, 1e-9)
    best: tuple[float, int, int] | None = None
    kernel = np.ones(2 * _CONTEXT + 1) / (2 * _CONTEXT + 1)
    for lag in range(least, n - 2 * _CONTEXT):
        alike = (unit[:-lag] * unit[lag:]).sum(axis=1)
        around = np.convolve(alike, kernel, mode="valid")
        at = int(around.argmax())
        # A longer loop repeats itself less often: worth a little.
        value = float(around[at]) + 0.05 * lag / n
        if best is None or value > best[0]:
            best = (value, at + _CONTEXT, lag)
    if best is None:
        return None
    value, enter, lag = best
    enter_sample = enter * _FEATURE_SAMPLES
    leave_sample = (enter + lag) * _FEATURE_SAMPLES
    half = RATE_HZ // 4
    a = audio[enter_sample - half : enter_sample + half].mean(axis=1, dtype=np.float64)
    wide = audio[max(0, leave_sample - half - _REFINE_SAMPLES) : leave_sample + half + _REFINE_SAMPLES]
    crossed = correlate(wide.mean(axis=1, dtype=np.float64), a, mode="valid", method="fft")
    shift = int(crossed.argmax()) - min(_REFINE_SAMPLES, leave_sample - half) if crossed.size else 0
    leave_sample = min(span.length_samples, leave_sample + shift)
    similarity = round(min(1.0, max(0.0, value)), 3)
    return Join(span.start_sample + leave_sample, span.start_sample + enter_sample, similarity)


def _band_features(audio: Audio) -> FloatArray:
    mono = audio.mean(axis=1, dtype=np.float64)
    whole = len(mono) // _FEATURE_SAMPLES * _FEATURE_SAMPLES
    frames = mono[:whole].reshape(-1, _FEATURE_SAMPLES) * np.hanning(_FEATURE_SAMPLES)
    power = np.abs(np.fft.rfft(frames, axis=1)) ** 2
    freq_hz = np.fft.rfftfreq(_FEATURE_SAMPLES, 1.0 / RATE_HZ)
    edges = np.geomspace(60.0, 8_000.0, _N_BANDS + 1)
    bands = np.stack(
        [power[:, (freq_hz >= low) & (freq_hz < max(high, low + 21.0))].sum(axis=1) for low, high in pairwise(edges)],
        axis=1,
    )
    features: FloatArray = np.log10(bands + 1e-6)
    return features


def quietest_stretch(hop_energy: FloatArray, length_hops: int, avoid: list[SampleSpan]) -> int | None:
    """First hop of the quietest stretch that sounds at all; None where none is free.

    Args:
        hop_energy: float64 (hops,), 10 ms energies of the recording.
        length_hops: of the stretch.
        avoid: spans of the recording that may not be part of it, such as speech.
    """
    if length_hops < 1 or len(hop_energy) < length_hops:
        return None
    # Digital silence is no room tone.
    free = (hop_energy > 1e-14).astype(np.float64)
    for span in avoid:
        free[span.start_sample // 480 : -(-span.end_sample // 480)] = 0.0
    window = np.ones(length_hops)
    is_free = np.convolve(free, window, mode="valid") >= length_hops - 0.5
    loud = np.convolve(hop_energy, window, mode="valid")
    if not is_free.any():
        return None
    return int(np.where(is_free, loud, np.inf).argmin())
