"""What a report says of speech, ducking and clearance, and of the first balance that is in force."""

from typing import Any

from recitant_core.balance.stem_meter import exact_energies
from recitant_core.ports import SampleSource
from recitant_core.timeline.model import Plan
from recitant_web.desk.bridge.plans import plan_key
from recitant_web.desk.bridge.speech import speech_of
from recitant_web.listening.balance_runs import run_data
from recitant_web.listening.stored import rendered_stems
from recitant_web.programme.models import Programme
from recitant_words.balance_report import speech_data


def report_part(programme: Programme, plan: Plan, sources: dict[str, SampleSource]) -> dict[str, Any]:
    """What a report says of speech, ducking and clearance, and of the first balance that is in force.

    Args:
        plan: what is delivered; it may be of an earlier revision.
        sources: every recording it names.
    """
    run = run_data(programme)
    actions = [step for step in run["steps"] if step["is_in_force"]] if run is not None else []
    return speech_data(
        plan,
        speech_of(programme),
        rendered_stems(plan_key(plan)) or exact_energies(plan, sources),
        programme.clearance_lu,
        programme.least_passage_s,
        actions,
    )
