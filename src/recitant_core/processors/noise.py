"""Noise reduction: a spectral gate against a learned profile; and learning it.

Each bin is weighed by how far it stands over the noise (Wiener's rule), with the signal-to-noise ratio followed from
frame to frame: Y. Ephraim and D. Malah, IEEE ASSP 32(6), 1984 (the decision-directed estimate).
Held to: tests/conformance/test_noise_reduction.py
"""

import math
from collections.abc import Sequence
from typing import Final

import numba
import numpy as np
import scipy.fft

from recitant_core.errors import EditRefused
from recitant_core.ports import SampleSource
from recitant_core.processors.kinds import PROFILE_BANDS
from recitant_core.processors.model import Processor
from recitant_core.processors.stft import FRAME_SAMPLES, N_BINS, STFT_STEP_SAMPLES, hann_window, weighed
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ, SampleSpan

LEAST_LEARNING_SAMPLES: Final = RATE_HZ // 5
SILENT_PROFILE_DBFS: Final = -110.0
_LEAST_DB: Final = -160.0
_MOST_LEARNED_SAMPLES: Final = 60 * RATE_HZ


def learned_profile(source: SampleSource, spans: Sequence[SampleSpan]) -> tuple[float, ...]:
    """Level of the noise in each band over stretches that hold nothing else, in dBFS.

    Raises:
        EditRefused: too little to learn from (under a fifth of a second), or digital silence.
    """
    pieces = []
    left = _MOST_LEARNED_SAMPLES
    for span in spans:
        length = min(span.length_samples, left)
        if length >= FRAME_SAMPLES:
            pieces.append(source.read(span.start_sample, length))
            left -= length
    if sum(map(len, pieces)) < LEAST_LEARNING_SAMPLES:
        raise EditRefused("noise_too_short")
    powers = np.concatenate([_frame_powers(piece) for piece in pieces])
    # The middle frame, not the mean: a rustle in a pause is not the noise. Of noise the mean lies 1.6 dB over it.
    typical = np.median(powers, axis=0) / math.log(2.0)
    profile = tuple(round(float(level), 2) for level in _bands_db(typical))
    if max(profile) < SILENT_PROFILE_DBFS:
        raise EditRefused("noise_is_silence")
    return profile


def denoised(processor: Processor, audio: Audio, start_sample: int) -> Audio:
    """Audio with the noise of the profile lowered, from rest; float32 (frames, channels). Untouched without a profile.

    Args:
        start_sample: of the first frame, on the grid of STFT_STEP_SAMPLES.
    """
    if not processor.profile_db or not len(audio):
        return audio.copy()

    def gains(power: FloatArray, places: FloatArray) -> Audio:
        amount_db, over_db, smoothing_ms = (
            np.broadcast_to(processor.along(name, places), places.shape)
            for name in ("amount_db", "over_db", "smoothing_ms")
        )
        keep = np.exp(-1000.0 * STFT_STEP_SAMPLES / RATE_HZ / smoothing_ms)
        found = np.empty(power.shape, np.float32)
        floor = 10.0 ** (-amount_db / 20.0)
        _wiener(power, _profile_power(processor.profile_db), keep, 10.0 ** (over_db / 10.0), floor, found)
        return found

    return weighed(audio, start_sample, gains)


def noise_reach(processor: Processor) -> tuple[int, int]:
    """Samples before and after a stretch that its output depends on."""
    slowest_ms = max([processor.number("smoothing_ms"), *(p.value for p in processor.points("smoothing_ms"))])
    return FRAME_SAMPLES + round(14.0 * slowest_ms * RATE_HZ / 1000.0), FRAME_SAMPLES


def _frame_powers(audio: Audio) -> FloatArray:
    # Mean over channels of |X|^2 of every other frame; float64 (frames, bins).
    starts = np.arange(0, len(audio) - FRAME_SAMPLES + 1, STFT_STEP_SAMPLES * 2)
    total = np.zeros((len(starts), N_BINS))
    for c in range(audio.shape[1]):
        frames = np.lib.stride_tricks.sliding_window_view(audio[:, c], FRAME_SAMPLES)[starts]
        total += np.abs(scipy.fft.rfft(frames * hann_window(), axis=1)) ** 2
    mean: FloatArray = total / audio.shape[1]
    return mean


def _band_of_bins() -> FloatArray:
    freq_hz = np.maximum(np.arange(N_BINS) * RATE_HZ / FRAME_SAMPLES, 30.0)
    # As a place between the middles of bands, so that the profile runs smoothly through the bins.
    found: FloatArray = np.log(freq_hz / 30.0) / math.log(24_000.0 / 30.0) * PROFILE_BANDS - 0.5
    return found


def _bands_db(bin_power: FloatArray) -> FloatArray:
    # Level of one bin in each band, as a sine of that power would read: dBFS.
    place = _band_of_bins()
    found = np.full(PROFILE_BANDS, _LEAST_DB)
    full_scale = (0.5 * FRAME_SAMPLES) ** 2 / 4.0
    for band in range(PROFILE_BANDS):
        weight = np.maximum(0.0, 1.0 - np.abs(place - band))
        if not weight.sum():
            weight = (np.abs(place - band) == np.abs(place - band).min()).astype(np.float64)
        mean = float((bin_power * weight).sum() / weight.sum())
        found[band] = max(_LEAST_DB, 10.0 * math.log10(max(mean / full_scale, 1e-16)))
    return found


def _profile_power(profile_db: tuple[float, ...]) -> FloatArray:
    full_scale = (0.5 * FRAME_SAMPLES) ** 2 / 4.0
    db = np.interp(_band_of_bins(), np.arange(PROFILE_BANDS), np.array(profile_db))
    found: FloatArray = full_scale * 10.0 ** (db / 10.0)
    return found


@numba.njit(cache=True, nogil=True)
def _wiener(power, noise, keep, over, floor, gains):  # type: ignore[no-untyped-def]
    n_frames, n_bins = power.shape
    clean = np.zeros(n_bins)
    smooth = np.zeros(n_bins)
    for f in range(n_frames):
        for b in range(n_bins):
            level = noise[b] * over[f]
            found = power[f, b] / level
            share = keep[f]
            # What stood out in the frame before, and what stands out now.
            ratio = share * clean[b] + (1.0 - share) * max(found - 1.0, 0.0)
            gain = ratio / (1.0 + ratio)
            clean[b] = gain * gain * found
            smooth[b] = gain
        for b in range(n_bins):
            low = smooth[max(0, b - 1)]
            high = smooth[min(n_bins - 1, b + 1)]
            gain = 0.25 * low + 0.5 * smooth[b] + 0.25 * high
            gains[f, b] = max(floor[f], gain)
