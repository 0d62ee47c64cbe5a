"""What a delivery must be: the limits of one specification, as data."""

from dataclasses import dataclass
from enum import StrEnum


class Anchor(StrEnum):
    """Which sound the target loudness is measured on."""

    PROGRAMME = "programme"
    DIALOGUE = "dialogue"


@dataclass(frozen=True)
class Spec:
    """One specification. ``source`` names the published page; figures from memory say so."""

    spec_id: str
    name: str
    source: str
    target_lufs: float
    tolerance_lu: float
    max_true_peak_dbtp: float
    mono_target_lufs: float | None = None
    max_short_term_lufs: float | None = None
    anchor: Anchor = Anchor.PROGRAMME
    is_from_memory: bool = False
    note: str = ""
    bit_depth: int = 24

    def target_for(self, n_channels: int) -> float:
        """Target loudness of a file of so many channels."""
        if n_channels == 1 and self.mono_target_lufs is not None:
            return self.mono_target_lufs
        return self.target_lufs

    def aim_lufs(self, role: str) -> float:
        """Where a stem of this role is meant to sit in the open. Common practice: distances to the dialogue, in LU."""
        return self.target_lufs + AIM_DISTANCE_LU[role]


AIM_DISTANCE_LU = {"dialogue": 0.0, "music": -4.0, "effects": -4.0, "ambience": -15.0}
