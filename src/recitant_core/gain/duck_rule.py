"""How a stem or a track gives way to speech: the rule, and rules to begin from."""

from dataclasses import dataclass, field
from enum import StrEnum
from typing import Final


class DuckKind(StrEnum):
    """How a stem gives way."""

    CURVE = "curve"
    """By a drawn curve of few points, made from where speech is."""
    LIVE = "live"
    """By a compressor that listens to the dialogue while it plays."""


class DuckAim(StrEnum):
    """What decides how deep."""

    DEPTH = "depth"
    CLEARANCE = "clearance"


@dataclass(frozen=True)
class Room:
    """A wide dip in the voice's range that opens only while speech sounds."""

    is_on: bool = False
    centre_hz: float = 800.0  # common practice: a wide bell around 800 Hz
    width_octaves: float = 2.0
    most_db: float = 6.0
    """The deepest it may go."""


@dataclass(frozen=True)
class LiveKey:
    """A compressor keyed by the dialogue. Levels are mean squares of 10 ms and of both sides, in dBFS."""

    threshold_dbfs: float = -45.0
    ratio: float = 3.0
    attack_ms: float = 80.0
    hold_ms: float = 400.0
    release_ms: float = 900.0
    """From the deepest reduction allowed back to none, on a straight line in dB."""


@dataclass(frozen=True)
class DuckRule:
    """How a stem or track gives way to speech. Defaults: talk over a bed."""

    kind: DuckKind = DuckKind.CURVE
    aim: DuckAim = DuckAim.CLEARANCE
    keys: tuple[str, ...] = ()
    """Ids of the tracks whose speech counts; empty for all dialogue."""
    depth_db: float = 10.0
    clearance_lu: float | None = None
    """None for what the programme asks for, and over_lu more."""
    over_lu: float = 0.0
    lead_in_s: float = 0.3
    hold_s: float = 0.3
    recovery_s: float = 1.2
    bridge_s: float = 2.5
    floor_db: float = -30.0
    least_change_db: float = 1.0
    slope_db_per_s: float = 40.0
    uses_phrases: bool = True
    uses_level: bool = True
    """False: only room in the spectrum is made."""
    room: Room = field(default_factory=Room)
    live: LiveKey = field(default_factory=LiveKey)
    is_frozen: bool = False


STARTING_POINTS: Final[dict[str, DuckRule]] = {
    "talk-over-bed": DuckRule(),
    "documentary": DuckRule(lead_in_s=0.6, hold_s=0.5, recovery_s=2.0, bridge_s=4.0, slope_db_per_s=20.0),
    "spot": DuckRule(lead_in_s=0.15, hold_s=0.15, recovery_s=0.5, bridge_s=1.2, slope_db_per_s=60.0),
}
"""Rules to begin from, by kind of programme. Common practice."""


def asked_of_rule_lu(rule: DuckRule, programme_lu: float) -> float:
    """Clearance that a rule goes for, where the programme asks for so much."""
    return programme_lu + rule.over_lu if rule.clearance_lu is None else rule.clearance_lu
