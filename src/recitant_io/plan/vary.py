"""A recording at another speed or pitch, through Signalsmith Stretch (MIT) or plain resampling.

With pitch kept, time is stretched; without, it is played faster or slower as a tape would be.
"""

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import numpy as np
import python_stretch
import soxr

from recitant_core.errors import EditRefused
from recitant_core.measure.meter import Readings
from recitant_core.ports import Progress, SampleSource
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ
from recitant_io.store.conform import conform_blocks

LEAST_SPEED: Final = 0.25
MOST_SPEED: Final = 4.0
MOST_SEMITONES: Final = 24.0
_VERSION: Final = 1
_BLOCK: Final = 10 * RATE_HZ


@dataclass(frozen=True)
class Variation:
    """Change of speed and pitch of a recording.

    Raises:
        EditRefused: speed or pitch out of range.
    """

    speed: float
    keeps_pitch: bool
    semitones: float

    def __post_init__(self) -> None:
        if not (LEAST_SPEED <= self.speed <= MOST_SPEED and abs(self.semitones) <= MOST_SEMITONES):
            raise EditRefused("no_variation")

    @property
    def is_none(self) -> bool:
        """Whether nothing changes."""
        return self.speed == 1.0 and self.semitones == 0.0

    def key(self, source_key: str) -> str:
        """Key of the changed recording: the same change of the same recording has the same key."""
        text = f"{source_key} vary {_VERSION} {self.speed:.6f} {self.keeps_pitch} {self.semitones:.4f}"
        return hashlib.sha256(text.encode()).hexdigest()

    def at(self, samples: int) -> int:
        """Place in the changed recording of a place in the original, in samples."""
        return round(samples / self.speed)


def vary(source: SampleSource, variation: Variation, folder: Path, progress: Progress) -> tuple[int, Readings]:
    """Write the changed recording as a conformed one into a folder; its length in samples and readings."""
    wanted = variation.at(source.length_samples)
    blocks = _varied(source, variation, wanted)
    return conform_blocks(blocks, source.layout, folder, lambda done: progress(min(1.0, done / max(1, wanted))))


def _varied(source: SampleSource, variation: Variation, wanted: int) -> Iterator[Audio]:
    n_channels = source.layout.n_channels
    speed, semitones = variation.speed, variation.semitones
    audio = source.read(0, source.length_samples)
    if not variation.keeps_pitch and speed != 1.0:
        # As a tape: fewer samples of the same wave. What the stretcher then does is pitch alone.
        audio = soxr.resample(audio, speed * RATE_HZ, RATE_HZ, "VHQ").astype(np.float32)
        speed = 1.0
    if speed != 1.0 or semitones != 0.0:
        stretch: Any = python_stretch.Signalsmith.Stretch()
        stretch.preset(n_channels, float(RATE_HZ))
        stretch.setTransposeSemitones(semitones)
        stretch.timeFactor = speed
        # One call over the whole recording comes back without latency (tests/io/test_vary.py holds it to that).
        audio = stretch.process(np.array(audio.T, order="C")).T
    audio = audio[:wanted]
    missing = wanted - len(audio)
    if missing > 0:
        audio = np.concatenate([audio, np.zeros((missing, n_channels), np.float32)])
    for start in range(0, wanted, _BLOCK):
        yield np.ascontiguousarray(audio[start : start + _BLOCK], dtype=np.float32)
