"""Clearance, giving way and how the balance stands, from a snapshot of a programme."""

from typing import Any

import numpy as np

from recitant_core.balance.judgement import Judgement, judged, phrase_levels
from recitant_core.render.scene import rendered_clearance_lu, rendered_window_clearance_lu
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, SampleSpan
from recitant_core.units.remembered import fingerprint
from recitant_web.listening.snapshot import Snapshot
from recitant_web.shared.caches import Cache

_CLEAR_TENTHS = 400  # no bar is drawn higher: 40 LU are clear enough
_NOBODY_SPEAKS = -1_000


def best_clearance(snapshot: Snapshot) -> FloatArray:
    """Clearance at each hop in LU, float64 (hops,): measured on rendered stems where they are known, else estimated."""
    scene = snapshot.scene
    if snapshot.stems is None:
        return scene.own_clearance
    return rendered_clearance_lu(snapshot.stems, scene.is_speech, scene.is_over)


def clearance_contour(snapshot: Snapshot, span: SampleSpan, step_hops: int) -> dict[str, Any]:
    """Clearance along a view: the least of every step, in tenths of LU; one value stands for "nobody speaks"."""
    clear = best_clearance(snapshot)
    first = max(0, span.start_sample // HOP_SAMPLES)
    part = clear[first : span.end_sample // HOP_SAMPLES + 1]
    is_speech = snapshot.scene.is_speech[first : first + len(part)]
    steps = -(-len(part) // step_hops)
    padded = np.full(steps * step_hops, np.inf)
    padded[: len(part)] = part
    spoken = np.zeros(steps * step_hops, bool)
    spoken[: len(part)] = is_speech
    least = padded.reshape(steps, step_hops).min(axis=1)
    tenths = np.round(np.clip(least * 10, -300, _CLEAR_TENTHS)).astype(int)
    tenths[~spoken.reshape(steps, step_hops).any(axis=1)] = _NOBODY_SPEAKS
    return {"from_sample": first * HOP_SAMPLES, "tenths": tenths.tolist()}


def standing(snapshot: Snapshot) -> Judgement:
    """Figures of the balance: from the rendered stems where they are known, else estimated."""
    scene = snapshot.scene
    # Most edits leave the dialogue as it is: an hour of phrases is found anew only where it sounds otherwise.
    key = (snapshot.programme.pk, scene.speech, fingerprint(scene.voices))
    levels = _phrase_levels.get_or_make(key, lambda: phrase_levels(scene.voices, scene.speech))
    if snapshot.stems is None:
        clear = scene.window_clearance(snapshot.plan)
    else:
        clear = rendered_window_clearance_lu(snapshot.stems, scene.is_speech, scene.is_over)
    return judged(snapshot.plan, scene.tracks, levels, clear, scene.is_speech)


_phrase_levels: Cache[FloatArray] = Cache("levels of phrases", 8_000_000)
