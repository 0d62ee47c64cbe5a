"""What a first balance is given, and what comes of it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from recitant_core.balance.closeness import Diagnosis
from recitant_core.balance.judgement import Judgement
from recitant_core.delivery.specification.model import Spec
from recitant_core.intake.findings import Finding
from recitant_core.measure.clearance import DEFAULT_ASKED_LU, LEAST_PASSAGE_S
from recitant_core.render.laid import Sources
from recitant_core.render.scene import BandEnergies
from recitant_core.timeline.model import Plan
from recitant_core.timeline.speech import SpeechOfSources
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role

NEARER_LU: Final = {"back": -4.0, "middle": 0.0, "front": 4.0}
"""How far a choice of nearness moves both levels of music or effects, in LU. Common practice."""
LEADS: Final = ("found-out", "speech", "music")
CLEAN: Final = "clean"
MATCH: Final = "match"
STEPS: Final = ("mend", "even-out", "stems", "duck", "check", "fit")
"""Those that are made unless somebody leaves them out."""
ALL_STEPS: Final = ("mend", CLEAN, MATCH, "even-out", "stems", "duck", "check", "fit")
"""In order, with those that somebody chooses: cleaning, which is offered until then, and takes that match."""


@dataclass(frozen=True)
class Choices:
    """Settings that a person chooses before a first balance."""

    music: str = "middle"
    effects: str = "middle"
    ducking: str = "clear"
    leads: str = "found-out"
    """What the balance is built on: speech, music, or what the material says."""
    performance: str = "natural"
    """How far apart phrases may stay; see performance.SPREADS."""
    steps: tuple[str, ...] = STEPS
    part: SampleSpan | None = None
    """Only clips that sound in this stretch; the stems stay as they are then."""

    def nearness(self, role: Role) -> str:
        """Chosen for a stem; "middle" for those without a choice."""
        return {Role.MUSIC: self.music, Role.EFFECTS: self.effects}.get(role.kind, "middle")


@dataclass(frozen=True)
class Material:
    """Everything the first balance works on."""

    plan: Plan
    sources: Sources
    energies: Mapping[str, FloatArray]
    speech: SpeechOfSources
    findings: Mapping[str, Sequence[Finding]]
    spec: Spec
    asked_lu: float = DEFAULT_ASKED_LU
    least_s: float = LEAST_PASSAGE_S
    bands: BandEnergies | None = None
    energies_of: Callable[[Plan], Mapping[str, FloatArray]] | None = None
    """Energies of a plan whose clips got other processors; None where none are rendered."""


@dataclass(frozen=True)
class Step:
    """One step: facts measured, changes as (what, from, to), and the plan after it."""

    code: str
    measured: dict[str, Any]
    changes: tuple[dict[str, Any], ...]
    plan: Plan


@dataclass(frozen=True)
class FirstBalance:
    """Result of a first balance."""

    plan: Plan
    steps: tuple[Step, ...]
    left: tuple[Diagnosis, ...]
    """Close passages that are left."""
    stems: dict[Role, FloatArray]
    """10 ms energies of the stems as rendered, before the programme gain, float64 (hops,) each."""
    judgement: Judgement
