"""Crossfades where clips have come to overlap: shaped by how related both sides are.

Held to: tests/core/test_crossfades.py
"""

from collections.abc import Callable, Collection

from recitant_core.gain.envelope import FadeShape
from recitant_core.measure.similarity import RELATED, correlation
from recitant_core.ports import SampleSource
from recitant_core.timeline.edits import crossfaded, overlaps
from recitant_core.timeline.model import Clip, Plan
from recitant_core.units.clock import RATE_HZ, SampleSpan

SourceOf = Callable[[str], SampleSource]
"""A recording by its key."""


def crossfade_shape(earlier: Clip, later: Clip, source_of: SourceOf) -> FadeShape:
    """Shape of the cross-fade of two clips: equal gain for one sound in step, equal power for unrelated ones.

    Args:
        earlier: sounds when ``later`` begins.
        source_of: gives the recording of a clip by its key; up to a second of the overlap is read.
    """
    overlap = min(earlier.span.end_sample - later.start_sample, earlier.length_samples, later.length_samples)
    length = min(overlap, RATE_HZ)
    inside = earlier.in_sample + later.start_sample - earlier.start_sample
    first = source_of(earlier.source_key).read(inside, length)
    second = source_of(later.source_key).read(later.in_sample, length)
    return FadeShape.EQUAL_GAIN if correlation(first, second) >= RELATED else FadeShape.EQUAL_POWER


def with_crossfades(before: Plan, after: Plan, ids: Collection[str], source_of: SourceOf) -> Plan:
    """A plan in which overlaps that an edit made or changed are crossfades.

    Args:
        before, after: the plan without and with the edit.
        ids: of the clips that were edited; only overlaps of these count.
    """
    untouched = {id(track) for track in before.tracks} & {id(track) for track in after.tracks}

    def overlap_lengths(plan: Plan) -> dict[tuple[str, ...], int]:
        pairs = (pair for track in plan.tracks if id(track) not in untouched for pair in overlaps(track))
        return {tuple(sorted((a.clip_id, b.clip_id))): _common_samples(a.span, b.span) for a, b in pairs}

    was, now = overlap_lengths(before), overlap_lengths(after)
    fresh = {pair for pair, length in now.items() if was.get(pair) != length}
    touched = {clip_id for pair in fresh for clip_id in pair if clip_id in ids}
    if not touched:
        return after
    return crossfaded(after, touched, lambda earlier, later: crossfade_shape(earlier, later, source_of))


def _common_samples(first: SampleSpan, second: SampleSpan) -> int:
    common = first.intersect(second)
    return first.length_samples if common is None else common.length_samples
