"""A bell in the spectrum whose depth follows a curve, without turning phases: x less a share of a band of x.

The band is a linear-phase filter of fixed length, run in blocks that lie on the programme's own grid, so that any
stretch has the bits of the whole.
Held to: tests/core/test_ducking_render.py
"""

from functools import lru_cache
from typing import Final

import numpy as np
import numpy.typing as npt

from recitant_core.errors import RangeError
from recitant_core.ports import SampleSource
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, RATE_HZ, SampleSpan

REACH_SAMPLES: Final = 2_048
BLOCK_SAMPLES: Final = 12_288
_FFT_SAMPLES: Final = 16_384


def bell_window(span: SampleSpan) -> SampleSpan:
    """The stretch that a span's bell is made from: whole blocks of the grid and the filter's reach around them."""
    first = span.start_sample // BLOCK_SAMPLES * BLOCK_SAMPLES
    last = -(-span.end_sample // BLOCK_SAMPLES) * BLOCK_SAMPLES
    return SampleSpan(first, last - first).widen(REACH_SAMPLES, REACH_SAMPLES)


def bell_db(freq_hz: FloatArray, centre_hz: float, width_octaves: float, depth_db: float) -> FloatArray:
    """Gain of the bell at each frequency for a depth in dB (negative), float64 (frequencies,)."""
    shape = _shape(freq_hz, centre_hz, width_octaves)
    found: FloatArray = 20.0 * np.log10(1.0 - (1.0 - 10.0 ** (depth_db / 20.0)) * shape)
    return found


def with_bell(
    audio: FloatArray, span: SampleSpan, depth_db: FloatArray, centre_hz: float, width_octaves: float
) -> FloatArray:
    """A span of a signal with the bell in it, float64 (frames, channels).

    Args:
        audio: float64 (frames, channels) of bell_window(span).
        span: the wanted stretch.
        depth_db: float64 (frames of the span,), 0 or negative; where it is 0 the signal is untouched.
        centre_hz, width_octaves: of the bell; the width is between its half-way points.

    Raises:
        RangeError: the signal is not of that window.
    """
    window = bell_window(span)
    if len(audio) != window.length_samples or len(depth_db) != span.length_samples:
        raise RangeError("bell_window", expected=window.length_samples, found=len(audio))
    spectrum = _band(centre_hz, width_octaves)
    begin = span.start_sample - window.start_sample
    out = audio[begin : begin + span.length_samples].copy()
    for block in range(0, window.length_samples - 2 * REACH_SAMPLES, BLOCK_SAMPLES):
        at = window.start_sample + REACH_SAMPLES + block
        part = SampleSpan(at, BLOCK_SAMPLES).intersect(span)
        if part is None:
            continue
        inside = slice(part.start_sample - span.start_sample, part.end_sample - span.start_sample)
        if not depth_db[inside].any():
            continue
        stretch = np.zeros((_FFT_SAMPLES, audio.shape[1]))
        stretch[: BLOCK_SAMPLES + 2 * REACH_SAMPLES] = audio[block : block + BLOCK_SAMPLES + 2 * REACH_SAMPLES]
        band = np.fft.irfft(np.fft.rfft(stretch, axis=0) * spectrum[:, None], _FFT_SAMPLES, axis=0)
        # The kernel's middle lies at REACH: its delay is taken out here.
        first = 2 * REACH_SAMPLES + part.start_sample - at
        share = 1.0 - 10.0 ** (depth_db[inside] / 20.0)
        out[inside] -= share[:, None] * band[first : first + part.length_samples]
    return out


def band_hop_energies(source: SampleSource, centre_hz: float, width_octaves: float) -> FloatArray:
    """Energy of a recording inside the bell's band, all channels together, by 10 ms: float64 (hops, 1)."""
    spectrum = _band(centre_hz, width_octaves)
    parts = []
    for start in range(0, source.length_samples, BLOCK_SAMPLES):
        first, last = max(0, start - REACH_SAMPLES), min(source.length_samples, start + BLOCK_SAMPLES + REACH_SAMPLES)
        stretch = np.zeros((_FFT_SAMPLES, source.layout.n_channels))
        at = first - (start - REACH_SAMPLES)
        stretch[at : at + last - first] = source.read(first, last - first)
        band = np.fft.irfft(np.fft.rfft(stretch, axis=0) * spectrum[:, None], _FFT_SAMPLES, axis=0)
        count = min(BLOCK_SAMPLES, source.length_samples - start)
        parts.append((band[2 * REACH_SAMPLES : 2 * REACH_SAMPLES + count] ** 2).sum(axis=1))
    power = np.concatenate(parts)
    power = np.pad(power, (0, -len(power) % HOP_SAMPLES))
    energies: FloatArray = power.reshape(-1, HOP_SAMPLES).sum(axis=1)[:, None]
    return energies


@lru_cache(maxsize=16)
def _band(centre_hz: float, width_octaves: float) -> npt.NDArray[np.complex128]:
    freq_hz: FloatArray = np.fft.rfftfreq(_FFT_SAMPLES, 1 / RATE_HZ).astype(np.float64)
    shape = _shape(freq_hz, centre_hz, width_octaves)
    kernel = np.roll(np.fft.irfft(shape), REACH_SAMPLES)[: 2 * REACH_SAMPLES + 1]
    kernel *= np.hanning(2 * REACH_SAMPLES + 1)
    return np.fft.rfft(kernel, _FFT_SAMPLES)


def _shape(freq_hz: FloatArray, centre_hz: float, width_octaves: float) -> FloatArray:
    # A normal curve over octaves; 2.355 standard deviations lie between its half-way points.
    shape: FloatArray = np.exp(-0.5 * (np.log2(np.maximum(freq_hz, 1.0) / centre_hz) * 2.355 / width_octaves) ** 2)
    return shape
