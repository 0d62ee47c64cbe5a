"""Sound taken apart into overlapping spectra, weighed bin by bin, and put together again.

Frames of 2,048 samples every 512 of the programme's own grid, squared Hann windows: with weights of 1 the sound is
as it was.
Held to: tests/conformance/test_noise_reduction.py
"""

from collections.abc import Callable
from typing import Final

import numpy as np
import scipy.fft

from recitant_core.units.arrays import Audio, FloatArray

FRAME_SAMPLES: Final = 2_048
STFT_STEP_SAMPLES: Final = 512
N_BINS: Final = FRAME_SAMPLES // 2 + 1
_WINDOWS_ADD_TO: Final = 1.5  # squared Hann windows a quarter apart
GainsOf = Callable[[FloatArray, FloatArray], Audio]
"""Power of each frame and bin, the mean of all channels, float64 (frames, bins), and the place of each frame's middle
in samples, float64 (frames,), to the gain of each, float32 (frames, bins)."""


def weighed(audio: Audio, start_sample: int, gains_of: GainsOf) -> Audio:
    """Audio with every frame and bin of its spectra weighed, from rest; float32 (frames, channels).

    Args:
        audio: float32 (frames, channels).
        start_sample: of the first frame, on the grid of STFT_STEP_SAMPLES.
        gains_of: the same gains for all channels.
    """
    n_frames = -(-len(audio) // STFT_STEP_SAMPLES) + 3
    padded = np.zeros(((n_frames + 3) * STFT_STEP_SAMPLES, audio.shape[1]), np.float32)
    first = FRAME_SAMPLES - STFT_STEP_SAMPLES
    padded[first : first + len(audio)] = audio
    window = hann_window()
    starts = np.arange(n_frames) * STFT_STEP_SAMPLES
    places = (start_sample - first + starts + FRAME_SAMPLES // 2).astype(np.float64)
    spectra = [
        scipy.fft.rfft(np.lib.stride_tricks.sliding_window_view(padded[:, c], FRAME_SAMPLES)[starts] * window, axis=1)
        for c in range(audio.shape[1])
    ]
    power = np.mean([np.abs(spectrum) ** 2 for spectrum in spectra], axis=0).astype(np.float64)
    gains = gains_of(power, places)
    out = np.zeros_like(padded)
    for c, spectrum in enumerate(spectra):
        frames = scipy.fft.irfft(spectrum * gains, FRAME_SAMPLES, axis=1) * window
        # Four frames lie over every sample: added in a fixed order, one quarter at a time.
        for quarter in range(4):
            part = frames[:, quarter * STFT_STEP_SAMPLES : (quarter + 1) * STFT_STEP_SAMPLES].reshape(-1)
            out[quarter * STFT_STEP_SAMPLES : quarter * STFT_STEP_SAMPLES + len(part), c] += part
    return out[first : first + len(audio)] * np.float32(1.0 / _WINDOWS_ADD_TO)


def hann_window() -> Audio:
    """Window of a frame, float32 (FRAME_SAMPLES,)."""
    return (0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(FRAME_SAMPLES) / FRAME_SAMPLES)).astype(np.float32)
