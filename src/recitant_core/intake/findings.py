"""What a check found: what, how bad, where, how much, and the setting of a clip that mends it.

Words for people are made in recitant_text.sentences; here are codes and figures.
"""

from dataclasses import dataclass, field
from enum import StrEnum

from recitant_core.units.channels import Routing
from recitant_core.units.clock import SampleSpan

Facts = dict[str, float | int | str | list[float]]
"""Figures of a finding by name, with units in the names."""


class Severity(StrEnum):
    """Weight of a finding."""

    FAULT = "fault"
    """Spoils the programme if nothing is done."""
    ODD = "odd"
    """Worth a look."""
    NOTE = "note"
    """Good to know."""


@dataclass(frozen=True)
class Remedy:
    """Settings of a clip that mend a finding without touching the file; None leaves a setting as it is."""

    code: str
    is_safe: bool
    """Whether it may be applied without anybody listening first."""
    routing: Routing | None = None
    reversed_channels: tuple[int, ...] | None = None
    dc_offset: tuple[float, ...] | None = None
    gain_change_db: float | None = None
    keep: SampleSpan | None = None
    """The stretch of the recording that stays when silence or an outlier at an end is trimmed."""
    left_out: tuple[SampleSpan, ...] | None = None


@dataclass(frozen=True)
class Finding:
    """One thing found in a recording."""

    code: str
    severity: Severity
    facts: Facts = field(default_factory=dict)
    places: tuple[SampleSpan, ...] = ()
    """Where in the recording, in its own time at 48 kHz; empty for all of it."""
    remedies: tuple[Remedy, ...] = ()
