"""How the files of a delivery are laid out: container, rate, channels, what stands before and behind, and names."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Final

CONTAINERS: Final = ("wav", "aiff", "flac")
RATES_HZ: Final = (48_000, 44_100)
TONE_HZ: Final = 1_000
EBU_ALIGNMENT_DBFS: Final = -18.0  # EBU R 68


class Channels(StrEnum):
    """Channels of the files."""

    AS_MIXED = "as-mixed"
    MONO = "mono"
    """One channel, the mean of both sides."""
    TWO_MONO = "two-mono"
    """Uncompressed files in pairs, one for each side."""


class Leader(StrEnum):
    """Signal before the programme."""

    SILENCE = "silence"
    TONE = "tone"


@dataclass(frozen=True)
class Form:
    """The form that a specification asks for. Container, rate, pairs, leader and tail concern uncompressed files."""

    container: str = "wav"
    """Of CONTAINERS."""
    rate_hz: int = RATES_HZ[0]
    channels: Channels = Channels.AS_MIXED
    leader: Leader = Leader.SILENCE
    leader_s: float = 0.0
    """In hundredths, so that it is a whole number of samples at every rate."""
    tone_dbfs: float = EBU_ALIGNMENT_DBFS
    """Peak level of a leader of tone."""
    tail_s: float = 0.0
    """Silence behind the programme, in hundredths."""
    start_timecode: str = ""
    """Of the programme's first frame, behind the leader; empty for zero."""
    names: str = ""
    """Pattern of the file names, see delivery.names; empty for the usual ones."""
    language: str = "und"
    """Three letters after ISO 639-2; "und" where it is not said."""
    files: str = ""
    """What is asked for, as a list that delivered.wanted_from_text reads; empty where nothing is."""


USUAL_FORM: Final = Form()
