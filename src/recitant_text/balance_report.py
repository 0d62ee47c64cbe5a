"""What a report says of speech, ducking, clearance and the steps of a first balance, as JSON data."""

from collections.abc import Mapping, Sequence
from typing import Any

from recitant_core.balance.first_balance_values import FirstBalance, Material
from recitant_core.balance.speech_figures import speech_figures
from recitant_core.interchange.plan_json import duck_points_data
from recitant_core.measure.clearance import ClosePassage, close_passages, speech_mask
from recitant_core.render.scene import rendered_clearance_lu
from recitant_core.timeline.model import Plan
from recitant_core.timeline.speech import SpeechOfSources, narrated_over, speech_in_programme
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import s_from_samples
from recitant_core.units.level import finite
from recitant_core.units.roles import Role
from recitant_text.balance import diagnosis_data
from recitant_text.first_balance import step_facts, step_shown
from recitant_text.standing import judgement_data


def ducking_data(plan: Plan) -> list[dict[str, Any]]:
    """Curves by track, as the report has them: a stem's curve stands with each of its tracks."""
    found = []
    for track in plan.tracks:
        for duck in plan.ducks:
            if duck.acts_on(track) and duck.points and duck.rule.uses_level:
                points = [[at_s, gain_db] for at_s, gain_db, *_ in duck_points_data(duck.points)]
                told: dict[str, Any] = {"track": track.name, "role": track.role.value, "points": points}
                if duck.rule.room.is_on and duck.room_points:
                    room = [[at_s, gain_db] for at_s, gain_db, *_ in duck_points_data(duck.room_points)]
                    centre_hz, width_octaves = duck.rule.room.band
                    told["room"] = {"centre_hz": centre_hz, "width_octaves": width_octaves, "points": room}
                found.append(told)
    return found


def balance_data(done: FirstBalance, material: Material) -> dict[str, Any]:
    """Data of the report on speech, ducking, clearance and actions after a first balance."""
    steps = [step_shown(step_facts(step)) for step in done.steps]
    turned = 10.0 ** (done.plan.programme_gain_db / 10.0)
    stems = {role: energy * turned for role, energy in done.stems.items()}
    data = speech_data(done.plan, material.speech, stems, material.asked_lu, material.least_s, steps)
    data["clearance"]["left"] = [diagnosis_data(found) for found in done.left]
    data["judgement"] = judgement_data(done.judgement)
    return data


def speech_data(
    plan: Plan,
    speech: SpeechOfSources,
    stems: Mapping[Role, FloatArray],
    asked_lu: float,
    least_s: float,
    actions: Sequence[Mapping[str, Any]] = (),
) -> dict[str, Any]:
    """Data of the report on speech, ducking and clearance, measured on rendered stems.

    Args:
        stems: 10 ms energies of each, float64 (hops,).
        actions: steps of a first balance as JSON data.
    """
    spans = speech_in_programme(plan, speech)
    n = min((len(energy) for energy in stems.values()), default=0)
    is_speech = speech_mask(spans, n)
    exact = rendered_clearance_lu(stems, is_speech, speech_mask(narrated_over(plan, speech), n))
    figures = speech_figures(stems, is_speech)
    return {
        "speech": [[s_from_samples(s.start_sample), s_from_samples(s.end_sample)] for s in spans],
        "speech_share": round(figures.speech_share, 4),
        "dialogue_speech_lufs": finite(figures.dialogue_lufs),
        "stems_in_speech_lufs": {r.value: finite(level) for r, level in figures.in_speech_lufs.items()},
        "stems_outside_speech_lufs": {r.value: finite(level) for r, level in figures.outside_speech_lufs.items()},
        "ducking": ducking_data(plan),
        "clearance": {
            "asked_lu": asked_lu,
            "close_passages": [_passage(p) for p in close_passages(exact, asked_lu, least_s)],
        },
        "actions": list(actions),
    }


def _passage(passage: ClosePassage) -> list[float]:
    span = passage.span
    return [s_from_samples(span.start_sample), s_from_samples(span.end_sample), round(passage.least_lu, 2)]
