"""What a delivery must be: the limits of one specification, as data."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from recitant_core.delivery.specification.form import USUAL_FORM, Form
from recitant_core.units.roles import OPEN_LU

CEILING_MARGIN_DB: Final = 0.1  # other meters' oversampling filters read up to this much higher


class Anchor(StrEnum):
    """Signal that the target loudness is measured on."""

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
    max_momentary_lufs: float | None = None
    max_range_lu: float | None = None
    """None: the range is reported and not judged."""
    least_clearance_lu: float | None = None
    """None: how clear speech stands is reported and not judged."""
    anchor: Anchor = Anchor.PROGRAMME
    is_from_memory: bool = False
    note: str = ""
    bit_depth: int = 24
    form: Form = USUAL_FORM

    @property
    def is_about_speech(self) -> bool:
        """Whether it must be known where somebody speaks."""
        return self.anchor is Anchor.DIALOGUE or self.least_clearance_lu is not None

    @property
    def fit_ceiling_dbtp(self) -> float:
        """Ceiling that a fit holds: under the limit by CEILING_MARGIN_DB, so that other meters pass it too."""
        return self.max_true_peak_dbtp - CEILING_MARGIN_DB

    def target_for(self, n_channels: int) -> float:
        """Target loudness of a file of so many channels, in LUFS."""
        if n_channels == 1 and self.mono_target_lufs is not None:
            return self.mono_target_lufs
        return self.target_lufs

    def aim_lufs(self, role: str) -> float:
        """Aim of a role in the open, in LUFS. Common practice: distances to the dialogue, in LU."""
        return self.target_lufs + OPEN_LU[role.partition(":")[0]]
