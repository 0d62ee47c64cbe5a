"""Noisy speech cleaned before it is raised: a high-pass, hum taken out, noise lowered, as light as is enough.

Chosen by what is measured in each recording. Offered unless somebody chose it; a clip with processors of its own is
left as it is.
Held to: tests/io/test_clean.py
"""

from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np

from recitant_core.balance.first_balance_values import CLEAN, Step
from recitant_core.balance.steps.run import Run
from recitant_core.errors import EditRefused
from recitant_core.ports import SampleSource
from recitant_core.processors.analysis import hum_in, pauses, voice_figures
from recitant_core.processors.model import Chain, Processor, chain_data
from recitant_core.processors.noise import learned_profile
from recitant_core.timeline.edits import set_clips
from recitant_core.timeline.model import Clip, Plan
from recitant_core.units.clock import RATE_HZ, SampleSpan

HEARD_DISTANCE_DB: Final = 36.0  # noise nearer to the speech is heard between the words
CLEAN_DISTANCE_DB: Final = 42.0  # and lowered no further than this asks for
LEAST_AMOUNT_DB: Final = 3.0
MOST_AMOUNT_DB: Final = 8.0  # more sounds hollow
HUM_DEPTH_DB: Final = 24.0
HUM_MULTIPLES: Final = 8.0
_MOST_HEARD_SAMPLES: Final = 60 * RATE_HZ
_LEAST_SPEECH_SAMPLES: Final = 3 * RATE_HZ
_WATCH_SAMPLES: Final = 16


@dataclass(frozen=True)
class Cleaning:
    """Chain that cleans a recording, and what was measured in it."""

    chain: Chain
    distance_db: float
    """Of the noise under the speech."""
    mains_hz: float | None
    """Of its hum; None without one."""
    amount_db: float
    """By which noise is lowered; 0 where nothing can be learned from its pauses."""


def cleaning_of(source: SampleSource, speech: list[SampleSpan], mains_hz: float | None = None) -> Cleaning | None:
    """The chain that a recording needs; None where no noise is heard, or where there is too little to tell.

    Args:
        speech: in the recording, in order.
        mains_hz: of the hum that intake found; None where it found none.
    """
    if sum(span.length_samples for span in speech) < _LEAST_SPEECH_SAMPLES:
        return None
    begin = max(0, speech[0].start_sample - 2 * RATE_HZ)
    span = SampleSpan(begin, min(_MOST_HEARD_SAMPLES, source.length_samples - begin))
    audio = source.read(span.start_sample, span.length_samples)
    audio = audio - audio.mean(axis=0)  # an offset is no noise
    mask = np.zeros(-(-len(audio) // _WATCH_SAMPLES), bool)
    inside = [part for one in speech if (part := one.intersect(span)) is not None]
    for part in inside:
        first = (part.start_sample - begin) // _WATCH_SAMPLES
        mask[first : (part.end_sample - begin) // _WATCH_SAMPLES] = True
    with suppress(EditRefused):
        figures = voice_figures(audio, mask)
        distance = figures.speech_dbfs - figures.noise_dbfs
        if distance >= HEARD_DISTANCE_DB:
            return None
        high_pass = Processor("high-pass").with_values(freq_hz=round(min(90.0, max(60.0, 0.7 * figures.lowest_hz))))
        chain, amount, multiples = [high_pass], 0.0, HUM_MULTIPLES
        with suppress(EditRefused):
            hum = hum_in(audio)
            mains_hz, multiples = hum.mains_hz, float(hum.multiples)
        if mains_hz is not None:
            hum_out = Processor("hum")
            chain.insert(0, hum_out.with_values(mains_hz=mains_hz, multiples=multiples, depth_db=HUM_DEPTH_DB))
        with suppress(EditRefused):
            profile = learned_profile(source, pauses(inside, span))
            amount = round(min(MOST_AMOUNT_DB, max(LEAST_AMOUNT_DB, CLEAN_DISTANCE_DB - distance)), 1)
            chain.insert(len(chain) - 1, Processor("noise", profile_db=profile).with_values(amount_db=amount))
        # A high-pass alone cleans nothing that is heard.
        return Cleaning(tuple(chain), distance, mains_hz, amount) if len(chain) > 1 else None
    return None


def clean(run: Run, plan: Plan) -> Step:
    """Clean clips whose noise is heard, where somebody chose it; offer it elsewhere."""
    material = run.material
    is_chosen = CLEAN in run.choices.steps
    clips: dict[str, list[Clip]] = {}
    for track in plan.tracks:
        for clip in track.in_mix if track.role.is_speech else ():
            if run.is_in(clip) and not clip.is_room_tone and not clip.chain:
                clips.setdefault(clip.source_key, []).append(clip)
    changes: list[dict[str, Any]] = []
    for key, mine in clips.items():
        speech = [one.span for one in material.speech.get(key, ())]
        hum = next((one for one in material.findings.get(key, ()) if one.code == "hum"), None)
        mains = None if hum is None else hum.facts.get("mains_hz")
        mains_hz = float(mains) if isinstance(mains, int | float) else None
        found = cleaning_of(material.sources[key], speech, mains_hz) if speech else None
        if found is None:
            continue
        ids = [clip.clip_id for clip in mine]
        if is_chosen:
            plan = set_clips(plan, ids, lambda clip, found=found: replace(clip, chain=found.chain))  # type: ignore[misc]
        changes.append(
            {
                "what": "clean",
                "name": ", ".join(sorted({clip.name for clip in mine})[:3]),
                "clip_ids": ids,
                "distance_db": round(found.distance_db, 1),
                "mains_hz": found.mains_hz,
                "amount_db": found.amount_db,
                "chain": chain_data(found.chain),
                "is_done": is_chosen,
            }
        )
    if is_chosen and changes:
        run.heard_anew(plan)
    return Step(CLEAN, {"recordings": len(clips), "noisy": len(changes)}, tuple(changes), plan)
