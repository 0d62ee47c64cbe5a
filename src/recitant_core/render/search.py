"""What can be found for a target: noise, hum, resonances, a room or a starting point, as processors to add.

Held to: tests/core/test_inspection.py
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from recitant_core.errors import EditRefused
from recitant_core.ports import SampleSource
from recitant_core.processors.analysis import bells, hum_in, pauses, resonances, starting_point
from recitant_core.processors.late_room import decay_s, less_room
from recitant_core.processors.model import Chain, Processor
from recitant_core.processors.noise import learned_profile
from recitant_core.render.inspection import MOST_INSPECTED_SAMPLES, SourceOf, heard_of, sources_of
from recitant_core.render.mix import render_mix
from recitant_core.timeline.edits import clips_by_id
from recitant_core.timeline.model import Plan
from recitant_core.timeline.speech import SpeechOfSources, speech_of_clip
from recitant_core.timeline.strips import target_chain, with_chain
from recitant_core.units.arrays import Audio
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.clock import SampleSpan

_LEAST_SPEECH_IN_NOISE: Final = 0.2


@dataclass(frozen=True)
class SearchMaterial:
    """A recording with the spans of it that are searched."""

    source: SampleSource
    speech: Sequence[SampleSpan]
    """On the source's clock."""
    span: SampleSpan
    """That counts, on the source's clock."""


def found_chain(what: str, name: str, material: SearchMaterial, *, is_span_chosen: bool) -> Chain:
    """A noise profile, hum, resonances or a starting point, as processors.

    Args:
        what: "noise", "hum", "resonances", "less-room" or "start".
        name: of the starting point.
        is_span_chosen: whether somebody marked the span, which may then hold little speech.

    Raises:
        EditRefused: it is not there, or cannot be learned from this.
    """
    source, speech, span = material.source, list(material.speech), material.span
    makers: dict[str, Callable[[], Chain]] = {
        "noise": lambda: (_noise_processor(source, speech, span, is_span_chosen),),
        "hum": lambda: _hum_chain(source, span),
        "resonances": lambda: (bells(resonances(_speech_of(source, speech, span))),),
        "less-room": lambda: (less_room(decay_s(_speech_of(source, speech, span))),),
        "start": lambda: starting_point(name, source, speech, span),
    }
    return makers[what]()


def search_material(
    plan: Plan,
    target: str,
    target_id: str,
    chosen: SampleSpan,
    at_sample: int,
    source_of: SourceOf,
    speech: SpeechOfSources,
) -> SearchMaterial:
    """Samples of a target without its chain, where somebody speaks in them, and the stretch that counts.

    Args:
        chosen: of the programme; one without length stands for all of a clip, or for what lies around at_sample.

    Raises:
        EditRefused: no such target.
    """
    target_chain(plan, target, target_id)
    if target == "clip":
        _, clip = clips_by_id(plan)[target_id]
        offset = clip.in_sample - clip.start_sample
        whole = SampleSpan(clip.in_sample, clip.length_samples)
        span = SampleSpan(chosen.start_sample + offset, chosen.length_samples).intersect(whole) or whole
        own = [SampleSpan(s.start_sample, s.length_samples) for s in speech.get(clip.source_key, ())]
        return SearchMaterial(source_of(clip.source_key), own, span)
    spoken = [
        SampleSpan(s.start_sample, s.length_samples)
        for track in plan.tracks
        for clip in track.in_mix
        if target == "master" or target_id in (track.track_id, track.role.value)
        for s in speech_of_clip(clip, speech)
    ]
    first = max(0, at_sample - MOST_INSPECTED_SAMPLES // 2)
    around = SampleSpan(first, MOST_INSPECTED_SAMPLES).intersect(plan.span) or plan.span
    rendered = _Rendered(plan, target, target_id, source_of)
    return SearchMaterial(rendered, sorted(spoken), chosen.intersect(plan.span) or around)


def _hum_chain(source: SampleSource, span: SampleSpan) -> Chain:
    hum = hum_in(source.read(span.start_sample, min(span.length_samples, MOST_INSPECTED_SAMPLES)))
    return (Processor("hum").with_values(mains_hz=hum.mains_hz, multiples=float(hum.multiples)),)


def _noise_processor(source: SampleSource, speech: list[SampleSpan], span: SampleSpan, is_chosen: bool) -> Processor:
    if is_chosen:
        spoken = sum(part.length_samples for one in speech if (part := one.intersect(span)) is not None)
        if spoken > _LEAST_SPEECH_IN_NOISE * span.length_samples:
            raise EditRefused("noise_is_speech", percent=100.0 * spoken / max(1, span.length_samples))
        return Processor("noise", profile_db=learned_profile(source, [span]))
    return Processor("noise", profile_db=learned_profile(source, pauses(speech, span)))


def _speech_of(source: SampleSource, speech: list[SampleSpan], span: SampleSpan) -> Audio:
    inside = [part for one in speech if (part := one.intersect(span)) is not None]
    parts, left = [], MOST_INSPECTED_SAMPLES
    for part in inside or [span]:
        length = min(part.length_samples, left)
        parts.append(source.read(part.start_sample, length))
        left -= length
    return np.concatenate(parts)


class _Rendered:
    """A track, a stem or the mix without its chain, readable like a recording."""

    key = "rendered"

    def __init__(self, plan: Plan, target: str, target_id: str, source_of: SourceOf) -> None:
        self._plan = with_chain(plan, target, [target_id], ())
        self._heard = heard_of(plan, target, target_id)
        self._sources = sources_of(plan, source_of)
        self.layout: Final[ChannelLayout] = plan.layout
        self.length_samples = plan.span.length_samples

    def read(self, start_sample: int, length_samples: int) -> Audio:
        return render_mix(self._plan, self._sources, SampleSpan(start_sample, length_samples), self._heard)
