"""What benchmarks share: rows of the page, sound of any length, the best of several runs."""

import gc
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile
import soxr

from recitant_core.units.arrays import Audio
from recitant_core.units.channels import ChannelLayout, layout_from_count
from recitant_core.units.clock import RATE_HZ

ROOT = Path(__file__).resolve().parents[2]
_VOICES = ROOT / "demo" / "voices"


@dataclass(frozen=True)
class Row:
    """One figure: what was asked, what was reached."""

    name: str
    asked: str
    reached: str
    is_met: bool


class Loop:
    """A recording of any length that repeats a minute held in memory; implements SampleSource."""

    def __init__(self, key: str, audio: Audio, length_samples: int) -> None:
        self.key = key
        self.layout: ChannelLayout = layout_from_count(audio.shape[1])
        self.length_samples = length_samples
        self._audio = audio

    def read(self, start_sample: int, length_samples: int) -> Audio:
        """Samples, float32 (length_samples, channels): the audio over and over."""
        start = start_sample % len(self._audio)
        if start + length_samples <= len(self._audio):
            return self._audio[start : start + length_samples]
        parts = [self._audio[start : start + length_samples]]
        length_samples -= len(parts[0])
        while length_samples > 0:
            parts.append(self._audio[:length_samples])
            length_samples -= len(parts[-1])
        return np.concatenate(parts)


def long_programme(seconds: int, seed: int = 1, n_channels: int = 2) -> Audio:
    """Speech over a bed of noise, float32 (frames, channels), each minute from another place."""
    rng = np.random.default_rng(seed)
    n = 60 * RATE_HZ
    spectrum = np.fft.rfft(rng.standard_normal((n, n_channels)), axis=0)
    freq_hz = np.fft.rfftfreq(n, 1 / RATE_HZ)[:, None]
    noise = np.fft.irfft(spectrum / np.sqrt(1 + (freq_hz / 400) ** 2) * (freq_hz < 18_000), n, axis=0)
    knots = np.arange(0, n + RATE_HZ, RATE_HZ)
    level_db = np.interp(np.arange(n), knots, rng.uniform(-28.0, -8.0, len(knots)))
    minute = noise / np.abs(noise).max() * 10 ** (level_db / 20)[:, None]
    takes = [soundfile.read(path, dtype="float32") for path in sorted(_VOICES.glob("*.flac"))]
    speech = np.concatenate([soxr.resample(take, rate_hz, RATE_HZ) for take, rate_hz in takes])[:n]
    minute[: len(speech)] += speech[:, None]
    minute = (minute / np.abs(minute).max() * 0.7).astype(np.float32)
    turns = [np.roll(minute, int(rng.integers(0, n)), axis=0) for _ in range(-(-seconds // 60))]
    return np.concatenate(turns)[: seconds * RATE_HZ]


def best_s(work: Callable[[], object], tries: int = 3) -> float:
    """Shortest time of several tries, in seconds."""
    times = []
    for _ in range(tries):
        gc.collect()
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return min(times)
