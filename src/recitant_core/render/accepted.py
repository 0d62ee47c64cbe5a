"""Close passages that somebody accepted: stretches of recordings, wherever their clips lie now.

Held to: tests/core/test_accepted.py
"""

from collections.abc import Sequence
from dataclasses import replace
from typing import Final

from recitant_core.measure.clearance import ClosePassage
from recitant_core.speech.corrections import merged
from recitant_core.timeline.model import Clip, Plan
from recitant_core.units.clock import SampleSpan

_MOST_OPEN_SHARE: Final = 0.5  # a passage counts as accepted where more than half of it is


def accepted_spans(plan: Plan) -> list[SampleSpan]:
    """Accepted stretches in programme time, merged and in order.

    What a clip holds as accepted lies in its recording's time, so that it moves with the sound.
    """
    found = []
    for track in plan.tracks:
        for clip in track.in_mix if track.role.is_speech else ():
            shift = clip.start_sample - clip.in_sample
            parts = [SampleSpan(s.start_sample + shift, s.length_samples).intersect(clip.span) for s in clip.accepted]
            found += [part for part in parts if part is not None]
    return merged(found)


def without_accepted(passages: Sequence[ClosePassage], plan: Plan) -> list[ClosePassage]:
    """The passages that nobody accepted."""
    accepted = accepted_spans(plan)
    return [passage for passage in passages if not is_accepted(passage.span, accepted)]


def is_accepted(span: SampleSpan, accepted: Sequence[SampleSpan]) -> bool:
    """Whether more than half of a span was accepted."""
    parts = [one.intersect(span) for one in accepted]
    return sum(p.length_samples for p in parts if p is not None) > _MOST_OPEN_SHARE * span.length_samples


def with_accepted(plan: Plan, span: SampleSpan, *, is_accepted_now: bool) -> Plan:
    """A plan in which every clip of speech of a span holds it as accepted, or no longer does.

    Args:
        span: of the programme.
        is_accepted_now: False to take it back.
    """
    return replace(
        plan,
        tracks=tuple(
            replace(track, clips=tuple(_clip_with(clip, span, add=is_accepted_now) for clip in track.clips))
            if track.role.is_speech
            else track
            for track in plan.tracks
        ),
    )


def _clip_with(clip: Clip, span: SampleSpan, *, add: bool) -> Clip:
    part = clip.span.intersect(span)
    if part is None:
        return clip
    in_recording = SampleSpan(part.start_sample - clip.start_sample + clip.in_sample, part.length_samples)
    others = [one for one in clip.accepted if one.intersect(in_recording) is None]
    return replace(clip, accepted=tuple(merged([*others, in_recording] if add else others)))
