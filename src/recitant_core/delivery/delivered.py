"""What a delivery came to."""

from dataclasses import dataclass

from recitant_core.delivery.fit import Fit
from recitant_core.delivery.judge import Verdict
from recitant_core.measure.meter import Readings


@dataclass(frozen=True)
class WrittenFile:
    """One file of a delivery."""

    kind: str
    file: str
    bit_depth: int
    role: str | None = None


@dataclass(frozen=True)
class Delivered:
    """What one specification came to: judged on the samples in the file."""

    fit: Fit
    verdict: Verdict
    readings: Readings
    files: tuple[WrittenFile, ...]
