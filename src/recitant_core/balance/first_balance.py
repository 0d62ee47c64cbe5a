"""The first balance: a whole mix prepared in steps, each with what was measured, what changed and why.

Every step is a plan of its own, so that it can be kept, left out or taken back alone. Run again on the same material
with the same choices it changes nothing; what was set by hand since stays and is named.
Held to: tests/io/test_first_balance.py, tests/io/test_first_balance_material.py
"""

from collections.abc import Callable

from recitant_core.balance.closeness import diagnoses
from recitant_core.balance.first_balance_values import (
    ALL_STEPS,
    CLEAN,
    LEADS,
    MATCH,
    NEARER_LU,
    Choices,
    FirstBalance,
    Material,
    Step,
)
from recitant_core.balance.judgement import judged, phrase_levels
from recitant_core.balance.performance import SPREADS
from recitant_core.balance.steps.clean import clean
from recitant_core.balance.steps.duck import duck
from recitant_core.balance.steps.even_out import even_out
from recitant_core.balance.steps.finish import check, fit
from recitant_core.balance.steps.match import match
from recitant_core.balance.steps.mend import mend
from recitant_core.balance.steps.run import Run
from recitant_core.balance.steps.stems import leads_of, set_stems
from recitant_core.errors import PlanError
from recitant_core.gain.duck_rule import MOST_DEPTH_DB
from recitant_core.ports import Progress, no_progress
from recitant_core.render.accepted import accepted_spans, is_accepted
from recitant_core.render.scene import rendered_window_clearance_lu
from recitant_core.timeline.model import Plan


def first_balance(material: Material, choices: Choices, progress: Progress = no_progress) -> FirstBalance:
    """Prepare a mix.

    Args:
        progress: told the share done; may raise Cancelled.

    Raises:
        PlanError: an unknown choice, or nothing to balance.
    """
    _require(choices)
    if material.plan.span.length_samples == 0:
        raise PlanError("nothing_to_mix", field="tracks")
    plan = material.plan
    run = Run(material, choices)
    steps: list[Step] = []
    for index, code in enumerate(ALL_STEPS):
        progress(index / len(ALL_STEPS))
        is_offered = code == CLEAN and "even-out" in choices.steps
        if (code not in choices.steps and not is_offered) or (choices.part is not None and code in ("stems", "fit")):
            continue
        step = _DO[code](run, plan)
        plan = step.plan
        if step.changes or code in choices.steps:
            steps.append(step)
    scene = run.scene(plan)
    found = diagnoses(
        scene, plan, run.material.energies, material.speech, material.spec, material.asked_lu, material.least_s
    )
    accepted = accepted_spans(plan)
    left = [one for one in found if not is_accepted(one.passage.span, accepted)]
    stems = run.exact(plan)
    clearance = rendered_window_clearance_lu(stems, scene.is_speech, scene.is_over)
    levels = phrase_levels(scene.voices, scene.speech)
    judgement = judged(plan, scene.tracks, levels, clearance, scene.is_speech)
    progress(1.0)
    return FirstBalance(plan, tuple(steps), tuple(left), stems, judgement)


def _require(choices: Choices) -> None:
    for name, value, known in (
        ("music", choices.music, tuple(NEARER_LU)),
        ("effects", choices.effects, tuple(NEARER_LU)),
        ("ducking", choices.ducking, tuple(MOST_DEPTH_DB)),
        ("leads", choices.leads, LEADS),
        ("performance", choices.performance, tuple(SPREADS)),
    ):
        if value not in known:
            raise PlanError("unknown_choice", field=name, found=value, known=list(known))
    for code in choices.steps:
        if code not in ALL_STEPS:
            raise PlanError("unknown_choice", field="steps", found=code, known=list(ALL_STEPS))


def _duck(run: Run, plan: Plan) -> Step:
    return duck(run, plan, leads_of(run, plan))


_DO: dict[str, Callable[[Run, Plan], Step]] = {
    "mend": mend,
    CLEAN: clean,
    MATCH: match,
    "even-out": even_out,
    "stems": set_stems,
    "duck": _duck,
    "check": check,
    "fit": fit,
}
