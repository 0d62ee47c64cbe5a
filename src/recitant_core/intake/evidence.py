"""One pass over a recording that gathers what the checks look at: levels piece by piece, and flat-topped runs.

Held to: tests/core/test_findings.py
"""

from dataclasses import dataclass
from typing import Final

import numba
import numpy as np
from scipy.signal import decimate

from recitant_core.intake.short_events import ShortEvents
from recitant_core.ports import Progress, SampleSource, no_progress
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ

PIECE_SAMPLES: Final = 960  # 20 ms
_CHUNK_PIECES: Final = 500
LOW_RATE_HZ: Final = 2_000  # what hum is looked for in
_DECIMATION: Final = RATE_HZ // LOW_RATE_HZ
# A flat top: four samples or more within 0.3 % of one value, entered and left by steps of three times that. An
# unclipped wave that is as flat turns far more gently.
_FLAT_SAMPLES: Final = 4
_FLAT_SHARE: Final = 0.003
_EDGE_SHARE: Final = 0.009
_LEAST_CEILING: Final = 0.05
_MOST_RUNS: Final = 20_000


@dataclass(frozen=True)
class Evidence:
    """Figures gathered in one pass over a recording."""

    length_samples: int
    n_channels: int
    mean: FloatArray
    """float64 (pieces, channels): mean of each 20 ms."""
    power: FloatArray
    """float64 (pieces, channels): mean square."""
    peak: FloatArray
    """float64 (pieces, channels): highest sample, without its sign."""
    cross: FloatArray
    """float64 (pieces,): mean of left times right; zeros unless there are two channels."""
    runs: FloatArray
    """float64 (runs, 4): channel, first sample, samples, value of each flat-topped run."""
    holes: FloatArray
    """float64 (holes, 3): channel, first sample, samples of each hole."""
    clicks: FloatArray
    """float64 (clicks, 3): channel, first sample, samples of each click."""
    low: Audio
    """Decimated to 2 kHz for the detection of mains hum, float32 (frames, channels)."""

    @property
    def pieces_per_second(self) -> int:
        """Number of pieces in a second."""
        return RATE_HZ // PIECE_SAMPLES


def gather(source: SampleSource, progress: Progress = no_progress) -> Evidence:
    """Read a recording once and keep what the checks need."""
    n_channels = source.layout.n_channels
    n_pieces = -(-source.length_samples // PIECE_SAMPLES)
    mean, power, peak = (np.zeros((n_pieces, n_channels)) for _ in range(3))
    cross = np.zeros(n_pieces)
    runs = np.zeros((_MOST_RUNS, 4))
    n_runs = 0
    events = ShortEvents(n_channels)
    low: list[Audio] = []
    step = _CHUNK_PIECES * PIECE_SAMPLES
    for start in range(0, source.length_samples, step):
        count = min(step, source.length_samples - start)
        audio = source.read(start, count)
        first = start // PIECE_SAMPLES
        pieces = slice(first, first + -(-count // PIECE_SAMPLES))
        _pieces(audio, mean[pieces], power[pieces], peak[pieces], cross[pieces])
        n_runs = _flat_runs(audio, start, runs, n_runs)
        events.feed(audio, start)
        # A filter of this length needs some frames; a last chunk shorter than that holds no hum to find.
        if count >= 10 * _DECIMATION:
            low.append(decimate(audio, _DECIMATION, ftype="fir", axis=0).astype(np.float32))
        progress(min(1.0, (start + count) / source.length_samples))
    joined = np.concatenate(low) if low else np.zeros((0, n_channels), np.float32)
    return Evidence(
        source.length_samples,
        n_channels,
        mean,
        power,
        peak,
        cross,
        runs[:n_runs].copy(),
        events.holes,
        events.clicks,
        joined,
    )


@numba.njit(cache=True, nogil=True)
def _pieces(audio, mean, power, peak, cross):  # type: ignore[no-untyped-def]
    n, channels = audio.shape
    for piece in range(len(mean)):
        first = piece * PIECE_SAMPLES
        last = min(n, first + PIECE_SAMPLES)
        for channel in range(channels):
            total = 0.0
            squares = 0.0
            high = 0.0
            for i in range(first, last):
                value = audio[i, channel]
                total += value
                squares += value * value
                high = max(high, abs(value))
            mean[piece, channel] = total / (last - first)
            power[piece, channel] = squares / (last - first)
            peak[piece, channel] = high
        # Left times right: with the powers of both sides it gives their correlation.
        if channels == 2:
            both = 0.0
            for i in range(first, last):
                both += audio[i, 0] * audio[i, 1]
            cross[piece] = both / (last - first)


@numba.njit(cache=True, nogil=True)
def _flat_runs(audio, start_sample, runs, n_runs):  # type: ignore[no-untyped-def]
    n, channels = audio.shape
    for channel in range(channels):
        i = 1
        while i < n - _FLAT_SAMPLES:
            value = audio[i, channel]
            size = abs(value)
            # Only a sample that is not lower than the one before can begin a top.
            if size < _LEAST_CEILING or abs(audio[i - 1, channel]) > size:
                i += 1
                continue
            tolerance = size * _FLAT_SHARE
            end = i + 1
            while end < n and abs(audio[end, channel] - value) <= tolerance:
                end += 1
            if end - i >= _FLAT_SAMPLES and end < n and n_runs < len(runs):
                edge = size * _EDGE_SHARE
                # The sample beside a top may lie on its way down already: the steeper of two steps counts.
                entry = size - abs(audio[i - 1, channel]) if value * audio[i - 1, channel] > 0.0 else size
                leave = size - abs(audio[end, channel]) if value * audio[end, channel] > 0.0 else size
                if entry >= edge and leave >= edge:
                    runs[n_runs, 0] = channel
                    runs[n_runs, 1] = start_sample + i
                    runs[n_runs, 2] = end - i
                    runs[n_runs, 3] = value
                    n_runs += 1
            i = end if end - i > 1 else i + 1
    return n_runs
