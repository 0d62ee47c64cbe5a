"""What a report says of speech, ducking and clearance, and of the first balance that is in force."""

from typing import Any

from recitant_core.balance.stem_meter import exact_energies
from recitant_core.ports import SampleSource
from recitant_core.timeline.model import Plan
from recitant_text.balance_report import speech_data
from recitant_text.standing import judgement_data
from recitant_text.transcripts import count_words, lost_data
from recitant_web.desk.mapping.plans import plan_key
from recitant_web.desk.mapping.speech import speech_of
from recitant_web.listening.balance_runs import run_data
from recitant_web.listening.lost import lost_in
from recitant_web.listening.scene import standing
from recitant_web.listening.snapshot import Snapshot
from recitant_web.listening.stored import rendered_stems
from recitant_web.programme.models import Programme


def report_part(programme: Programme, plan: Plan, sources: dict[str, SampleSource]) -> dict[str, Any]:
    """Part of a report on speech, ducking, clearance and the first balance that is in force.

    Args:
        plan: what is delivered; it may be of an earlier revision.
        sources: every recording it names.
    """
    run = run_data(programme)
    actions = [step for step in run["steps"] if step["is_in_force"]] if run is not None else []
    stems = rendered_stems(plan_key(plan))
    if stems is None:
        turned = 10.0 ** (plan.programme_gain_db / 10.0)
        stems = {role: energy * turned for role, energy in exact_energies(plan, sources).items()}
    data = speech_data(
        plan,
        speech_of(programme),
        stems,
        programme.clearance_lu,
        programme.least_passage_s,
        actions,
    )
    lost = lost_in(programme, plan_key(plan))
    if lost is not None:
        count, passages = lost
        data |= {"words_lost": {"sentence": count_words(count), "places": [lost_data(one) for one in passages]}}
    return data | {"judgement": judgement_data(standing(Snapshot(programme, plan)))}
