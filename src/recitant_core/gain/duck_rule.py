"""How a stem or a track gives way to speech: the rule, and rules to begin from."""

from dataclasses import dataclass, field
from enum import StrEnum
from typing import Final

from recitant_core.units.roles import OPEN_LU, UNDER_LU


class DuckKind(StrEnum):
    """Means by which a stem gives way."""

    CURVE = "curve"
    """By a drawn curve of few points, made from where speech is."""
    LIVE = "live"
    """By a compressor that listens to the dialogue while it plays."""


class DuckAim(StrEnum):
    """Figure that decides the depth."""

    DEPTH = "depth"
    CLEARANCE = "clearance"
    LEVELS = "levels"
    """Its level under speech: one depth a run of talk, as much as it takes to get there."""


@dataclass(frozen=True)
class Room:
    """A wide dip in the voice's range that opens only while speech sounds."""

    is_on: bool = False
    centre_hz: float = 800.0  # common practice: a wide bell around 800 Hz
    width_octaves: float = 2.0
    most_db: float = 6.0
    """The deepest it may go."""

    @property
    def band(self) -> tuple[float, float]:
        """Centre in Hz and width in octaves."""
        return self.centre_hz, self.width_octaves


CONSONANTS: Final = Room(True, centre_hz=2_000.0, width_octaves=2.0, most_db=4.0)
"""From 1 to 4 kHz, where most of what tells words apart lies (ANSI S3.5, table 3: its band importance, from memory)."""


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
    """Rule by which a stem or track gives way to speech. Defaults: talk over a bed."""

    kind: DuckKind = DuckKind.CURVE
    aim: DuckAim = DuckAim.CLEARANCE
    keys: tuple[str, ...] = ()
    """Ids of the tracks whose speech counts; empty for all dialogue."""
    depth_db: float = 10.0
    clearance_lu: float | None = None
    """None for what the programme asks for, and over_lu more."""
    over_lu: float = 0.0
    open_lu: float = OPEN_LU["music"]
    """Level in the open, where nobody speaks, against the dialogue's aim; the fader brings it there, not the curve."""
    under_lu: float = UNDER_LU["music"]
    """Level under speech, against the dialogue's aim."""
    least_confidence: float = 0.0
    """Speech that was found with less does not count, 0 to 1."""
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
    is_made: bool = False
    """Whether a first balance chose it and nobody changed it since: the next one may choose again."""


DUCK_PRESETS: Final[dict[str, DuckRule]] = {
    "talk-over-bed": DuckRule(),
    "documentary": DuckRule(lead_in_s=0.6, hold_s=0.5, recovery_s=2.0, bridge_s=4.0, slope_db_per_s=20.0),
    "spot": DuckRule(lead_in_s=0.15, hold_s=0.15, recovery_s=0.5, bridge_s=1.2, slope_db_per_s=60.0),
}
"""Rules to begin from, by kind of programme. Common practice."""


MOST_DEPTH_DB: Final = {"gentle": 9.0, "clear": 12.0, "strong": 15.0}
"""How deep a dip goes at the most, by choice. Common practice: 6 to 9 dB is gentle, 12 is a lot."""


def levels_rule(role: str, most_db: float = MOST_DEPTH_DB["clear"], nearer_lu: float = 0.0) -> DuckRule:
    """The rule by which a stem or track of a role keeps its two levels.

    Args:
        nearer_lu: added to both levels.
    """
    kind = role.partition(":")[0]
    return DuckRule(
        aim=DuckAim.LEVELS,
        open_lu=OPEN_LU[kind] + nearer_lu,
        under_lu=UNDER_LU[kind] + nearer_lu,
        floor_db=-most_db,
        lead_in_s=0.4,
        bridge_s=4.0,
        least_change_db=2.0,
    )


def asked_of_rule_lu(rule: DuckRule, programme_lu: float) -> float:
    """Clearance in LU that a rule goes for, where the programme asks for so much.

    >>> asked_of_rule_lu(DuckRule(over_lu=2.0), 9.0), asked_of_rule_lu(DuckRule(clearance_lu=12.0), 9.0)
    (11.0, 12.0)
    """
    return programme_lu + rule.over_lu if rule.clearance_lu is None else rule.clearance_lu
