"""What a delivery came to."""

from dataclasses import dataclass
from typing import Any

from recitant_core.delivery.fitting.fit import Fit
from recitant_core.delivery.fitting.history import History
from recitant_core.delivery.judging.judge import Verdict
from recitant_core.delivery.judging.quality import QualityCheck
from recitant_core.delivery.playback.platforms import PlatformResult
from recitant_core.errors import RecitantError
from recitant_core.measure.meter import Readings
from recitant_core.units.clock import RATE_HZ


@dataclass(frozen=True)
class WrittenFile:
    """One file of a delivery."""

    kind: str
    file: str
    bit_depth: int | None
    """None where the codec has none."""
    role: str | None = None
    codec: str = "wav"
    sha256: str = ""
    size_bytes: int = 0
    rate_hz: int = RATE_HZ
    decoded: dict[str, Any] | None = None
    """Of a copy of the mix: its figures as it plays back, and what it took to keep the ceiling."""


@dataclass(frozen=True)
class MissedFile:
    """A file that could not be made while the others were."""

    name: str
    """Of the wanted file: its kind or its codec."""
    file: str
    error: RecitantError


@dataclass(frozen=True)
class Delivered:
    """Result for one specification: judged on the samples in the file."""

    fit: Fit
    verdict: Verdict
    readings: Readings
    files: tuple[WrittenFile, ...]
    quality_checks: tuple[QualityCheck, ...] = ()
    """What was looked at in the files as they lie on disk."""
    missed: tuple[MissedFile, ...] = ()
    history: History | None = None
    heard: tuple[PlatformResult, ...] = ()
    """What viewers hear of it on each of PLATFORMS."""
    heard_as_balanced: tuple[PlatformResult, ...] = ()
    """The same of the mix before its master."""
