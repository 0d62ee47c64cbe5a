"""Takes of one speaker brought to the middle of their tones: by an equaliser, and less room where one is farther away.

Made where somebody chose it. A clip that has an equaliser or less room already is left as it is, and counts towards the
middle.
Held to: tests/io/test_match.py
"""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from recitant_core.balance.first_balance_values import MATCH, Step
from recitant_core.balance.steps.run import Run
from recitant_core.balance.tone_match import TakeTone, matched, middle_tone, tone_of_take
from recitant_core.errors import EditRefused
from recitant_core.processors.analysis import pauses
from recitant_core.render.laid import Sources
from recitant_core.timeline.edits import set_clips
from recitant_core.timeline.model import Clip, Plan
from recitant_core.timeline.speech import SpeechOfSources
from recitant_core.units.clock import SampleSpan
from recitant_core.units.threads import in_order

_BY_HAND = ("equaliser", "less-room")


def takes_of_speakers(plan: Plan) -> dict[str, list[Clip]]:
    """Clips in the mix of narration and dialogue by who speaks in them, by track where nobody is named."""
    found: dict[str, list[Clip]] = defaultdict(list)
    for track in plan.tracks:
        for clip in track.in_mix if track.role.is_speech else ():
            if not clip.is_room_tone:
                found[clip.speaker or f"track {track.track_id}"].append(clip)
    return dict(found)


def tones_of_clips(clips: Sequence[Clip], sources: Sources, speech: SpeechOfSources) -> dict[str, TakeTone]:
    """Tone of the speech of each clip, by its id; those with too little speech are left out."""

    def tone(clip: Clip) -> TakeTone | None:
        whole = SampleSpan(clip.in_sample, clip.length_samples)
        spans = [part for one in speech.get(clip.source_key, ()) if (part := one.span.intersect(whole)) is not None]
        try:
            return tone_of_take(sources[clip.source_key], spans, clip.chain, pauses(spans, whole))
        except EditRefused:
            return None

    found = zip(clips, in_order(tone, clips), strict=True)
    return {clip.clip_id: one for clip, one in found if one is not None}


def match(run: Run, plan: Plan) -> Step:
    """Bring the takes of every speaker to the middle of their tones."""
    changes: list[dict[str, Any]] = []
    n_takes = n_kept = 0
    spreads: list[float] = []
    for clips in takes_of_speakers(plan).values():
        tones = tones_of_clips(clips, run.material.sources, run.material.speech)
        if len(tones) < 2:
            continue
        n_takes += len(tones)
        middle = middle_tone(list(tones.values()))
        spreads.append(_spread_db(middle, tones))
        for clip in clips:
            if clip.clip_id not in tones or not run.is_in(clip):
                continue
            if any(one.kind in _BY_HAND for one in clip.chain):
                n_kept += 1
                continue
            found = matched(tones[clip.clip_id], middle, clip.chain)
            if found is not None:
                plan = set_clips(plan, [clip.clip_id], lambda one, chain=found.chain: replace(one, chain=chain))  # type: ignore[misc]
                changes.append(
                    {
                        "what": "tone",
                        "name": clip.name,
                        "clip_id": clip.clip_id,
                        "most_db": found.most_db,
                        "at_hz": found.at_hz,
                        "room_db": found.room_db,
                    }
                )
    if changes:
        run.heard_anew(plan)
    measured = {"takes": n_takes, "kept": n_kept, "spread_db": round(max(spreads, default=0.0), 1)}
    return Step(MATCH, measured, tuple(changes), plan)


def _spread_db(middle: TakeTone, tones: Mapping[str, TakeTone]) -> float:
    # Between the two takes that lie furthest apart in a band group.
    return float(np.ptp([middle.away_db(tone) for tone in tones.values()], axis=0).max())
