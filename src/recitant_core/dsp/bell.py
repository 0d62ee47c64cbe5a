"""A bell in the spectrum whose depth follows a curve: x less a share of a band of x.

The band is a second-order band-pass (R. Bristow-Johnson, Cookbook formulae for audio EQ biquad filter coefficients,
constant 0 dB peak gain), so that the whole is a peaking equaliser of that depth at any moment. It begins anew with
every block of the programme's own grid, REACH samples before it, so that any stretch has the bits of the whole.
Held to: tests/core/test_ducking_render.py
"""

from typing import Final

import numba
import numpy as np
import scipy.fft

from recitant_core.errors import RangeError
from recitant_core.ports import SampleSource
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, RATE_HZ, SampleSpan

REACH_SAMPLES: Final = 8_192
"""In which a band of a fifth of an octave at 100 Hz settles to within 65 dB."""
BLOCK_SAMPLES: Final = 24_576
_FRAME_SAMPLES: Final = 2_048
_FRAME_HOPS: Final = 10
_FRAMES_AT_ONCE: Final = 64


def bell_window(span: SampleSpan) -> SampleSpan:
    """The stretch that a span's bell is made from, on the grid of its blocks and with the reach before it.

    Args:
        span: of the programme; any span gives the samples that the whole gives there.
    """
    first = span.start_sample // BLOCK_SAMPLES * BLOCK_SAMPLES - REACH_SAMPLES
    return SampleSpan(first, span.end_sample - first)


def bell_db(freq_hz: FloatArray, centre_hz: float, width_octaves: float, depth_db: float) -> FloatArray:
    """Gain of the bell at each frequency, float64 (frequencies,).

    Args:
        freq_hz: float64 (frequencies,).
        centre_hz: where the gain is depth_db.
        width_octaves: between the frequencies of half the depth's power.
        depth_db: negative.

    >>> bell_db(np.array([2_000.0]), 2_000.0, 2.0, -6.0).round(3).tolist()
    [-6.0]
    """
    share = 1.0 - 10.0 ** (depth_db / 20.0)
    power = _band_power(freq_hz, centre_hz, width_octaves)
    # Of a band-pass whose peak is 1, the real part of the response is its power.
    found: FloatArray = 10.0 * np.log10(1.0 - (2.0 * share - share**2) * power)
    return found


def with_bell(
    audio: FloatArray, span: SampleSpan, depth_db: FloatArray, centre_hz: float, width_octaves: float
) -> FloatArray:
    """A span of a signal with the bell in it, float64 (frames, channels).

    Args:
        audio: float64 (frames, channels) of bell_window(span).
        span: the wanted stretch.
        depth_db: float64 (frames of the span,), 0 or negative; where it is 0 the signal is untouched.
        centre_hz, width_octaves: of the bell; the width is between the half-power points of its band.

    Raises:
        RangeError: the signal is not of that window.
    """
    window = bell_window(span)
    if len(audio) != window.length_samples or len(depth_db) != span.length_samples:
        raise RangeError("bell_window", expected=window.length_samples, found=len(audio))
    out = audio[span.start_sample - window.start_sample :].copy()
    for first in range(window.start_sample + REACH_SAMPLES, span.end_sample, BLOCK_SAMPLES):
        part = SampleSpan(first, BLOCK_SAMPLES).intersect(span)
        if part is None:
            continue
        inside = slice(part.start_sample - span.start_sample, part.end_sample - span.start_sample)
        if depth_db[inside].any():
            heard = audio[first - REACH_SAMPLES - window.start_sample : part.end_sample - window.start_sample]
            _lower(out[inside], heard, depth_db[inside], _coefficients(centre_hz, width_octaves))
    return out


def band_hop_energies(source: SampleSource, centre_hz: float, width_octaves: float) -> FloatArray:
    """Energy of a recording inside the bell's band, all channels together, by 10 ms: float64 (hops, 1).

    Read from 43 ms in every 100: that tells levels of words and of music, not of single hops.
    """
    freq_hz: FloatArray = np.fft.rfftfreq(_FRAME_SAMPLES, 1 / RATE_HZ).astype(np.float64)
    window = np.hanning(_FRAME_SAMPLES).astype(np.float32)
    # Mean square of a frame from its spectrum (Parseval), times the samples of a hop.
    weights = _band_power(freq_hz, centre_hz, width_octaves) * 2.0 * HOP_SAMPLES
    weights = (weights / (_FRAME_SAMPLES * float((window.astype(np.float64) ** 2).sum()))).astype(np.float32)
    n_hops = -(-source.length_samples // HOP_SAMPLES)
    step = _FRAME_HOPS * HOP_SAMPLES
    n_frames = -(-n_hops // _FRAME_HOPS)
    power = np.zeros(n_frames)
    for first in range(0, n_frames, _FRAMES_AT_ONCE):
        n = min(_FRAMES_AT_ONCE, n_frames - first)
        audio = source.read(first * step, min(n * step, source.length_samples - first * step))
        if len(audio) < n * step:
            audio = np.concatenate([audio, np.zeros((n * step - len(audio), audio.shape[1]), np.float32)])
        middles = audio.reshape(n, step, -1)[:, (step - _FRAME_SAMPLES) // 2 :][:, :_FRAME_SAMPLES]
        spectra = scipy.fft.rfft(np.ascontiguousarray(middles.transpose(2, 0, 1)) * window, axis=2)
        power[first : first + n] = ((spectra.real**2 + spectra.imag**2) @ weights).sum(axis=0)
    return np.repeat(power, _FRAME_HOPS)[:n_hops, None]


def _coefficients(centre_hz: float, width_octaves: float) -> tuple[float, float, float]:
    # b0 of a band-pass with b1 = 0 and b2 = -b0, and both of its feedback.
    turn = 2.0 * np.pi * centre_hz / RATE_HZ
    alpha = np.sin(turn) * np.sinh(np.log(2.0) / 2.0 * width_octaves * turn / np.sin(turn))
    a0 = 1.0 + alpha
    return float(alpha / a0), float(-2.0 * np.cos(turn) / a0), float((1.0 - alpha) / a0)


def _band_power(freq_hz: FloatArray, centre_hz: float, width_octaves: float) -> FloatArray:
    b0, a1, a2 = _coefficients(centre_hz, width_octaves)
    back = np.exp(-2j * np.pi * np.asarray(freq_hz) / RATE_HZ)
    found: FloatArray = np.abs(b0 * (1.0 - back**2) / (1.0 + a1 * back + a2 * back**2)) ** 2
    return found


@numba.njit(cache=True, nogil=True)
def _lower(out, heard, depth_db, coefficients):  # type: ignore[no-untyped-def]
    # Transposed direct form II; what is heard begins at rest, before the frames that go out.
    b0, a1, a2 = coefficients
    scale = np.log(10.0) / 20.0
    lead = len(heard) - len(out)
    for channel in range(heard.shape[1]):
        first = second = 0.0
        last_db, share = 0.0, 0.0
        for i in range(len(heard)):
            x = heard[i, channel]
            y = b0 * x + first
            first = second - a1 * y
            second = -b0 * x - a2 * y
            if i >= lead:
                # An exponential a sample would cost more than the filter.
                if depth_db[i - lead] != last_db:
                    last_db = depth_db[i - lead]
                    share = 1.0 - np.exp(last_db * scale)
                out[i - lead, channel] = x - share * y
