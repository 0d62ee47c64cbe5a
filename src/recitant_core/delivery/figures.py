"""Figures of deliveries as JSON data, and what a delivery came to."""

from dataclasses import asdict, dataclass
from typing import Any

from recitant_core.delivery.fit import Fit
from recitant_core.delivery.judge import Verdict
from recitant_core.measure.meter import Readings
from recitant_core.units.level import finite


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


def verdict_data(verdict: Verdict) -> list[dict[str, Any]]:
    """Every finding of a verdict as JSON data."""
    return [
        {**asdict(finding), "measured": finite(finding.measured), "miss": finite(finding.miss)}
        for finding in verdict.findings
    ]


def readings_data(readings: Readings) -> dict[str, float | None]:
    """Readings as JSON data: null for silence and for what is too short to say."""
    return {name: finite(value) for name, value in asdict(readings).items()}
