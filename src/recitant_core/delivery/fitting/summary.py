"""The summary of a mix: what its peaks and its loudness are along the programme, small enough to keep.

Held to: tests/core/test_forecast.py
"""

from dataclasses import dataclass

import numpy as np

from recitant_core.gain.limiter_steps import STEP_SAMPLES
from recitant_core.units.arrays import Audio, FloatArray


@dataclass(frozen=True)
class MixSummary:
    """Peaks and energies of a mix as balanced, its programme gain in them."""

    peaks: FloatArray
    """Highest sample of each 5 ms on any channel, full scale 1.0, float64 (steps,)."""
    energy: FloatArray
    """10 ms K-weighted energies, float64 (hops,)."""
    speech_blocks: FloatArray
    """Powers of the gating blocks of narration and dialogue together, float64 (blocks,)."""


class PeakSummary:
    """Collects the peaks of a mix while its segments pass by."""

    def __init__(self) -> None:
        self._parts: list[FloatArray] = []

    def feed(self, audio: Audio) -> None:
        """Count one more stretch, float32 (frames, channels); all but the last are whole steps."""
        highest = np.abs(audio).max(axis=1, initial=0.0)
        short = -len(highest) % STEP_SAMPLES
        padded = np.concatenate([highest, np.zeros(short, highest.dtype)]) if short else highest
        self._parts.append(padded.reshape(-1, STEP_SAMPLES).max(axis=1).astype(np.float64))

    def peaks(self) -> FloatArray:
        """Of each 5 ms, float64 (steps,)."""
        return np.concatenate([np.zeros(0), *self._parts])
