"""Signals made from figures and seeds; all float32 (frames, channels) at 48 kHz."""

import numpy as np

from recitant_core.units.arrays import Audio
from recitant_core.units.channels import LAYOUTS, ChannelLayout

RATE_HZ = 48_000


def sine(
    level_dbfs: float, seconds: float, freq_hz: float = 1_000.0, n_channels: int = 2, rate_hz: int = RATE_HZ
) -> Audio:
    """A sine of this peak level, in phase on all channels."""
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    wave = 10 ** (level_dbfs / 20) * np.sin(2 * np.pi * freq_hz * t)
    return np.repeat(wave.astype(np.float32)[:, None], n_channels, axis=1)


def steps(*parts: tuple[float, float], n_channels: int = 2) -> Audio:
    """Sines of (level, seconds) one after the other, without a jump in phase."""
    n = sum(round(seconds * RATE_HZ) for _, seconds in parts)
    wave = np.sin(2 * np.pi * 1_000.0 * np.arange(n) / RATE_HZ)
    levels = np.concatenate([np.full(round(seconds * RATE_HZ), 10 ** (level / 20)) for level, seconds in parts])
    return np.repeat((wave * levels).astype(np.float32)[:, None], n_channels, axis=1)


def programme(seed: int, seconds: float, n_channels: int = 2) -> Audio:
    """Something like a programme: noise under 18 kHz whose level wanders over 30 dB, with a few sharp peaks."""
    rng = np.random.default_rng(seed)
    n = round(seconds * RATE_HZ)
    spectrum = np.fft.rfft(rng.standard_normal((n, n_channels)), axis=0)
    freq_hz = np.fft.rfftfreq(n, 1 / RATE_HZ)[:, None]
    spectrum *= (freq_hz < 18_000) / np.sqrt(1 + (freq_hz / 300) ** 2)
    noise = np.fft.irfft(spectrum, n, axis=0)
    knots = np.arange(0, n + 24_000, 24_000)
    level_db = np.interp(np.arange(n), knots, rng.uniform(-34, -4, len(knots)))
    noise *= 10 ** (level_db / 20)[:, None] * 0.25 / np.abs(noise).max()
    for at in rng.integers(0, n, 5):
        noise[at : at + 40] *= 3.0
    return noise.astype(np.float32)


class MemorySource:
    """A recording in memory; implements SampleSource."""

    def __init__(self, key: str, audio: Audio) -> None:
        self.key = key
        self.audio = audio
        self.layout: ChannelLayout = LAYOUTS[audio.shape[1]]
        self.length_samples = len(audio)

    def read(self, start_sample: int, length_samples: int) -> Audio:
        assert start_sample >= 0 and start_sample + length_samples <= self.length_samples
        return self.audio[start_sample : start_sample + length_samples]
