"""The material of one first balance and what its steps share."""

from dataclasses import replace

from recitant_core.balance.first_balance_values import Choices, Material
from recitant_core.balance.stem_meter import exact_energies
from recitant_core.render.ducking_update import follow
from recitant_core.render.scene import LoudnessScene, scene_of
from recitant_core.timeline.model import Balanced, Clip, Plan
from recitant_core.units.arrays import FloatArray
from recitant_core.units.roles import Role

_SAME_DB = 0.011


class Run:
    """The material of one run, its choices, and the stems of the plan that was rendered last."""

    def __init__(self, material: Material, choices: Choices) -> None:
        self.material = material
        self.choices = choices
        self._rendered: tuple[Plan, dict[Role, FloatArray]] | None = None

    def exact(self, plan: Plan) -> dict[Role, FloatArray]:
        """10 ms energies of the stems as rendered, float64 (hops,), without the programme gain behind them."""
        if self._rendered is None or not _same_stems(self._rendered[0], plan):
            self._rendered = (plan, exact_energies(plan, self.material.sources))
        return self._rendered[1]

    def heard_anew(self, plan: Plan) -> None:
        """Take energies through the processors that a step put on clips of a plan."""
        made = self.material.energies_of
        if made is not None:
            self.material = replace(self.material, energies={**self.material.energies, **made(plan)})

    def scene(self, plan: Plan) -> LoudnessScene:
        """Powers of words and of everything else, by hop."""
        return scene_of(plan, self.material.energies, self.material.speech)

    def follow(self, scene: LoudnessScene) -> Plan:
        """The plan of a scene with its curves remade."""
        return follow(scene, self.material.speech, self.material.asked_lu, self.material.bands)

    def is_in(self, clip: Clip) -> bool:
        """Whether a clip sounds in the part that was chosen."""
        return self.choices.part is None or clip.span.intersect(self.choices.part) is not None


def by_hand(balanced: Balanced | None, gain_db: float) -> bool:
    """Whether a gain was set by hand since a first balance set it.

    >>> from recitant_core.timeline.model import Balanced
    >>> by_hand(Balanced(from_db=0.0, to_db=-3.0), -3.0), by_hand(Balanced(from_db=0.0, to_db=-3.0), -5.0)
    (False, True)
    """
    return balanced is not None and abs(balanced.to_db - gain_db) > _SAME_DB


def base_db(balanced: Balanced | None, gain_db: float) -> float:
    """The gain that a first balance measures from: as it was before any."""
    return gain_db if balanced is None else balanced.from_db


def as_came(plan: Plan) -> Plan:
    """Faders as before any first balance, but for those set by hand since; no trims and no dips."""
    gains = dict(plan.stem_gains_db)
    for role in plan.roles:
        balanced = plan.stem_balanced.get(role)
        if not role.is_speech and not by_hand(balanced, plan.stem_gain_db(role)):
            gains[role] = base_db(balanced, plan.stem_gain_db(role))
    return replace(plan, stem_gains_db=gains, stem_trims={}, ducks=())


def kept(name: str, why: str) -> dict[str, str]:
    """A change that was not made, since somebody set it by hand."""
    return {"what": "kept", "name": name, "why": why}


def _same_stems(a: Plan, b: Plan) -> bool:
    return a is b or (
        a.tracks == b.tracks
        and a.stem_gains_db == b.stem_gains_db
        and a.stem_trims == b.stem_trims
        and a.ducks == b.ducks
    )
