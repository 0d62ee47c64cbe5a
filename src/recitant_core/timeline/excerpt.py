"""A stretch of a programme as a programme of its own.

Held to: tests/core/test_excerpt.py
"""

from collections.abc import Collection, Sequence
from dataclasses import replace

from recitant_core.errors import PlanError
from recitant_core.timeline.arranging import without_time
from recitant_core.timeline.model import Plan
from recitant_core.timeline.speech import Spans, Talk
from recitant_core.units.clock import SampleSpan


def excerpt(plan: Plan, span: SampleSpan) -> Plan:
    """The plan of a stretch: what lies outside goes, the rest begins at 0 with its gains, rides, trims and dips.

    Where it cuts a clip, less than a millisecond of that clip is left out.

    Args:
        span: its end may lie behind that of the programme.

    Raises:
        PlanError: nothing sounds in it; ``field`` is "range".
    """
    ids = [track.track_id for track in plan.tracks]
    end = plan.span.end_sample
    found = plan
    if span.end_sample < end:
        found = without_time(found, SampleSpan(span.end_sample, end - span.end_sample), ids)
    if span.start_sample > 0:
        found = without_time(found, SampleSpan(0, span.start_sample), ids)
    if found.span.length_samples == 0:
        raise PlanError("nothing_in_range", field="range")
    return found


def clips_alone(plan: Plan, clip_ids: Collection[str]) -> Plan:
    """The plan with no other clips in the mix than these."""
    tracks = tuple(
        replace(track, clips=tuple(replace(c, is_out=c.is_out or c.clip_id not in clip_ids) for c in track.clips))
        for track in plan.tracks
    )
    return replace(plan, tracks=tracks)


def span_of_clips(plan: Plan, clip_ids: Collection[str]) -> SampleSpan:
    """The stretch from the first to the last of some clips.

    Raises:
        PlanError: none of them is in the mix; ``field`` is "clips".
    """
    spans = [clip.span for track in plan.tracks for clip in track.in_mix if clip.clip_id in clip_ids]
    if not spans:
        raise PlanError("no_clips_in_mix", field="clips")
    start = min(span.start_sample for span in spans)
    return SampleSpan(start, max(span.end_sample for span in spans) - start)


def clips_named(plan: Plan, names: Sequence[str]) -> frozenset[str]:
    """Ids of the clips that have one of these names or ids.

    Raises:
        PlanError: a name that no clip has; ``field`` is "clips".
    """
    called = [(clip.clip_id, {clip.clip_id, clip.name}) for track in plan.tracks for clip in track.clips]
    for name in names:
        if not any(name in words for _, words in called):
            raise PlanError("no_such_clip", field="clips", found=name)
    return frozenset(clip_id for clip_id, words in called if words.intersection(names))


def talk_in(talk: Talk, span: SampleSpan) -> Talk:
    """Talk of a stretch, in samples from its start.

    Args:
        talk: of the whole programme.
        span: of the programme.
    """
    return Talk(_inside(talk.spans, span), _inside(talk.over, span))


def _inside(spans: Sequence[SampleSpan], span: SampleSpan) -> Spans:
    parts = (one.intersect(span) for one in spans)
    return Spans(SampleSpan(p.start_sample - span.start_sample, p.length_samples) for p in parts if p is not None)
