"""What a listener is given: the mix of a plan, its dialogue alone, and the stretches in which both are heard."""

from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np

from recitant_core.ports import SampleSource
from recitant_core.render.mix import render_output
from recitant_core.render.paths import EVERYTHING, Audibility
from recitant_core.timeline.model import Plan
from recitant_core.transcript.chunks import chunks_of
from recitant_core.transcript.lost import Rendered
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan

_HOP: Final = 480


def listening_chunks(alone: Rendered, spans: Sequence[SampleSpan]) -> list[SampleSpan]:
    """Stretches in which a mix is listened to, of at most 28 s each.

    Args:
        alone: the dialogue alone.
        spans: where somebody speaks, in order.
    """
    end = max((span.end_sample for span in spans), default=0)
    energy = np.zeros(-(-end // _HOP))
    for span in spans:
        first = span.start_sample // _HOP
        audio = alone(SampleSpan(first * _HOP, (span.end_sample // _HOP - first) * _HOP))
        energy[first : first + len(audio) // _HOP] = (audio.reshape(-1, _HOP) ** 2).mean(axis=1)
    return chunks_of(spans, energy)


def dialogue_alone(plan: Plan, sources: Mapping[str, SampleSource]) -> Rendered:
    """The narration and dialogue of a plan by themselves, as they sound in the mix."""
    return _rendered(
        plan, sources, Audibility(frozenset(track.track_id for track in plan.tracks if track.role.is_speech))
    )


def whole_mix(plan: Plan, sources: Mapping[str, SampleSource]) -> Rendered:
    """The mix of a plan."""
    return _rendered(plan, sources, EVERYTHING)


def _rendered(plan: Plan, sources: Mapping[str, SampleSource], heard: Audibility) -> Rendered:
    def render(span: SampleSpan) -> FloatArray:
        audio = render_output(plan, sources, span, heard)
        stereo = audio @ plan.layout.stereo_matrix().astype(np.float32)
        return np.asarray(stereo.mean(axis=1), dtype=np.float64)

    return render
