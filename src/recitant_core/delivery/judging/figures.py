"""Figures as JSON data."""

from dataclasses import asdict
from typing import Any

from recitant_core.delivery.judging.judge import Verdict
from recitant_core.measure.meter import Readings
from recitant_core.units.level import finite


def verdict_data(verdict: Verdict) -> list[dict[str, Any]]:
    """Every check of a verdict as JSON data."""
    return [
        {**asdict(check), "measured": finite(check.measured), "miss": finite(check.miss)} for check in verdict.checks
    ]


def readings_data(readings: Readings) -> dict[str, float | None]:
    """Readings as JSON data: null for silence and for what is too short to say."""
    return {name: finite(value) for name, value in asdict(readings).items()}
