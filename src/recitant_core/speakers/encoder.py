"""Voices as unit vectors: mel energies through a recurrent network whose weights a package carries.

Source of the method: Wan, Wang, Papir, Lopez Moreno, "Generalized End-to-End Loss for Speaker Verification" (ICASSP
2018); mel bands after Slaney, "Auditory Toolbox" (1998).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import numpy.typing as npt

Single = npt.NDArray[np.float32]
RATE_HZ: Final = 16_000
WINDOW_FRAMES: Final = 160
"""Frames of 10 ms that make one vector."""
_FFT, _HOP, _BANDS = 400, 160, 40
_LEVEL_DBFS: Final = -30.0
"""Quieter sound is raised to this level first."""
_AT_ONCE: Final = 256


@dataclass(frozen=True)
class Layer:
    """Weights of one recurrent layer of n units; rows are gates in the order input, forget, cell, output."""

    input_weights: Single
    """float32 (4 n, inputs)."""
    own_weights: Single
    """float32 (4 n, n)."""
    bias: Single
    """float32 (4 n,), both biases added."""


@dataclass(frozen=True)
class EncoderWeights:
    """Weights of the whole network."""

    layers: tuple[Layer, ...]
    out_weights: Single
    """float32 (vector, n)."""
    out_bias: Single


def mel_energies(audio: Single) -> Single:
    """Energies in 40 mel bands, float32 (frames of 10 ms, 40).

    Args:
        audio: float32 (samples,), 16 kHz, mono.
    """
    rms = float(np.sqrt(np.mean(audio.astype(np.float64) ** 2))) if audio.size else 0.0
    if rms > 0.0:
        audio = audio * np.float32(max(1.0, 10.0 ** (_LEVEL_DBFS / 20.0) / rms))
    padded = np.pad(audio, _FFT // 2)
    frames = np.lib.stride_tricks.sliding_window_view(padded, _FFT)[::_HOP]
    hann = 0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(_FFT) / _FFT)
    power = np.abs(np.fft.rfft(frames * hann, axis=1)) ** 2
    return np.asarray(power @ _mel_bands().T, dtype=np.float32)


def vectors_of(mel: Single, weights: EncoderWeights, starts: Sequence[int]) -> Single:
    """A unit vector of the voice for each window of 1.6 s, float32 (windows, vector).

    Args:
        mel: float32 (frames, 40); see mel_energies. Windows that reach over its end hold zeros there.
        starts: first frame of each window.
    """
    padded = np.pad(mel, ((0, WINDOW_FRAMES), (0, 0)))
    found = []
    for at in range(0, len(starts), _AT_ONCE):
        windows = np.stack([padded[start : start + WINDOW_FRAMES] for start in starts[at : at + _AT_ONCE]])
        found.append(_encoded(windows, weights))
    return np.concatenate(found) if found else np.zeros((0, len(weights.out_bias)), np.float32)


def _encoded(windows: Single, weights: EncoderWeights) -> Single:
    signal = windows.transpose(1, 0, 2)  # frames first
    for layer in weights.layers:
        n = layer.own_weights.shape[1]
        driven = signal @ layer.input_weights.T + layer.bias
        hidden = np.zeros((signal.shape[1], n), np.float32)
        cell = np.zeros_like(hidden)
        out = np.empty((signal.shape[0], signal.shape[1], n), np.float32)
        own = np.ascontiguousarray(layer.own_weights.T)
        for frame in range(signal.shape[0]):
            gates = driven[frame] + hidden @ own
            cell = _sigmoid(gates[:, n : 2 * n]) * cell + _sigmoid(gates[:, :n]) * np.tanh(gates[:, 2 * n : 3 * n])
            hidden = _sigmoid(gates[:, 3 * n :]) * np.tanh(cell)
            out[frame] = hidden
        signal = out
    raw = np.maximum(signal[-1] @ weights.out_weights.T + weights.out_bias, 0.0)
    return np.asarray(raw / np.maximum(np.linalg.norm(raw, axis=1, keepdims=True), 1e-9), dtype=np.float32)


def _sigmoid(x: Single) -> Single:
    return np.asarray(0.5 * np.tanh(0.5 * x) + 0.5, dtype=np.float32)


def _mel_bands() -> npt.NDArray[np.float64]:
    edges_hz = _hz_from_mel(np.linspace(0.0, _mel_from_hz(RATE_HZ / 2), _BANDS + 2))
    bins_hz = np.fft.rfftfreq(_FFT, 1.0 / RATE_HZ)
    rising = (bins_hz - edges_hz[:-2, None]) / np.diff(edges_hz)[:-1, None]
    falling = (edges_hz[2:, None] - bins_hz) / np.diff(edges_hz)[1:, None]
    bands = np.maximum(0.0, np.minimum(rising, falling))
    return np.asarray(bands * (2.0 / (edges_hz[2:] - edges_hz[:-2]))[:, None])


# Slaney: even steps of 200/3 Hz up to 1 kHz, logarithmic above, 27 steps for each factor of 6.4.
def _mel_from_hz(hz: float) -> float:
    return hz * 3.0 / 200.0 if hz < 1000.0 else 15.0 + 27.0 * float(np.log(hz / 1000.0)) / float(np.log(6.4))


def _hz_from_mel(mel: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    return np.where(mel < 15.0, mel * 200.0 / 3.0, 1000.0 * 6.4 ** ((mel - 15.0) / 27.0))
