"""Close passages and figures of speech, as the Balance page shows them."""

import math
from typing import Any

from recitant_core.balance.closeness import diagnoses
from recitant_core.balance.speech_figures import SpeechFigures
from recitant_core.measure.clearance import ClosePassage, close_passages
from recitant_core.render.accepted import accepted_spans, is_accepted
from recitant_core.render.scene import rendered_clearance_lu
from recitant_core.units.clock import HOP_SAMPLES, SampleSpan
from recitant_core.units.level import finite
from recitant_text.balance import checked_sentence, diagnosis_data, plain_passage_data
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme

MOST_DIAGNOSED = 60


def figures_data(figures: SpeechFigures) -> dict[str, Any]:
    """Figures of speech as JSON data."""
    return {
        "speech_share": figures.speech_share,
        "dialogue_lufs": finite(figures.dialogue_lufs),
        "stems": [
            {
                "role": role.value,
                "in_speech_lufs": finite(level),
                "outside_lufs": finite(figures.outside_speech_lufs[role]),
            }
            for role, level in figures.in_speech_lufs.items()
        ],
    }


def passages(snapshot: Snapshot) -> list[dict[str, Any]]:
    """Close passages with cause and cures, without those where there are too many to look into."""
    programme, scene = snapshot.programme, snapshot.scene
    asked, least_s = programme.clearance_lu, programme.least_passage_s
    all_close = close_passages(scene.own_clearance, asked, least_s)
    if len(all_close) <= MOST_DIAGNOSED:
        energies, speech = snapshot.energies, snapshot.speech
        diagnosed = diagnoses(scene, snapshot.plan, energies, speech, snapshot.spec, asked, least_s)
        found = [diagnosis_data(one) for one in diagnosed]
    else:
        found = [plain_passage_data(passage, asked) for passage in all_close]
    accepted = accepted_spans(snapshot.plan)
    for one in found:
        one["id"] = one["start_sample"]
        one["is_accepted"] = is_accepted(SampleSpan(one["start_sample"], one["length_samples"]), accepted)
    if snapshot.stems is None:
        return found
    measured = close_passages(rendered_clearance_lu(snapshot.stems, scene.is_speech, scene.is_over), asked, least_s)
    shown = _as_measured(found, measured, asked)
    for one in shown:
        one["is_accepted"] = is_accepted(SampleSpan(one["start_sample"], one["length_samples"]), accepted)
    return shown


def checked(programme: Programme, start_sample: int, length_samples: int) -> str:
    """Sentence on a passage after a remedy."""
    clear = Snapshot(programme).scene.own_clearance
    part = clear[start_sample // HOP_SAMPLES : -(-(start_sample + length_samples) // HOP_SAMPLES)]
    left = close_passages(part, programme.clearance_lu, programme.least_passage_s)
    return checked_sentence(float(part.min(initial=math.inf)), programme.clearance_lu, is_left=bool(left))


def _as_measured(found: list[dict[str, Any]], exact: list[ClosePassage], asked_lu: float) -> list[dict[str, Any]]:
    """Passages that the rendered stems have, each once, with the cause that the estimate tells where it knows it."""
    shown = []
    for passage in exact:
        causes = [
            one
            for one in found
            if passage.span.intersect(SampleSpan(one["start_sample"], one["length_samples"])) is not None
        ]
        base = causes[0] if causes else plain_passage_data(passage, asked_lu)
        place = {"start_sample": passage.span.start_sample, "length_samples": passage.span.length_samples}
        shown.append(base | place | {"id": passage.span.start_sample, "least_lu": round(passage.least_lu, 1)})
    return shown
