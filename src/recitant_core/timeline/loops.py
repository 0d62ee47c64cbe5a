"""A clip brought to a length: cut, or looped at the two places of its recording that are most alike.

Held to: tests/core/test_loops.py
"""

from dataclasses import replace
from typing import Final

from recitant_core.errors import EditRefused
from recitant_core.gain.envelope import FadeShape
from recitant_core.measure.similarity import Join, best_join
from recitant_core.ports import SampleSource
from recitant_core.timeline.edits import LEAST_CLIP_SAMPLES, NEW, cut_clip
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.clock import RATE_HZ, SampleSpan

JOIN_FADE_SAMPLES: Final = RATE_HZ // 20
_LONGEST_SEARCH_SAMPLES: Final = 4 * RATE_HZ


def join_of_clip(clip: Clip, source: SampleSource) -> Join:
    """The two places of a clip between which a loop is heard least.

    Raises:
        EditRefused: it is too short for one.
    """
    span = SampleSpan(clip.in_sample, clip.length_samples)
    join = best_join(source, span, min(clip.length_samples // 3, _LONGEST_SEARCH_SAMPLES))
    if join is None:
        raise EditRefused("no_join")
    return join


def shortened(clip: Clip, length_samples: int) -> Clip:
    """A clip cut at its end; never under the least length of a clip."""
    return cut_clip(clip, 0, max(length_samples, LEAST_CLIP_SAMPLES))


def looped(plan: Plan, track: Track, clip: Clip, join: Join, length_samples: int) -> Plan:
    """The plan with a clip looped at a join until it has a length; its parts form a group.

    Args:
        length_samples: over the clip's own.
    """
    made = []
    parts = _parts(clip, join, length_samples)
    for index, (start, in_sample, length) in enumerate(parts):
        part = _part(clip, index, start, in_sample, length)
        # The last part ends where the loop ends, with the fade that the clip had.
        if index == len(parts) - 1:
            part = replace(
                part,
                length_samples=min(length, length_samples - start),
                fade_out_samples=min(clip.fade_out_samples, max(0, length - JOIN_FADE_SAMPLES)),
                fade_out_shape=clip.fade_out_shape,
            )
        if start < length_samples:
            made.append(part)
    others = tuple(c for c in track.clips if c.clip_id != clip.clip_id)
    tracks = tuple(replace(t, clips=(*others, *made)) if t is track else t for t in plan.tracks)
    return replace(plan, tracks=tracks)


def _parts(clip: Clip, join: Join, length_samples: int) -> list[tuple[int, int, int]]:
    # Start in the clip, in-point and length of each: leave at the join, come in again where it is alike, as often as
    # it takes; the end of the recording closes it.
    fade = JOIN_FADE_SAMPLES
    loop = join.leave_sample - join.enter_sample
    ending = clip.in_sample + clip.length_samples - join.enter_sample
    at = join.leave_sample - clip.in_sample
    missing = length_samples - at - ending
    parts = [(0, clip.in_sample, at + fade // 2)]
    while missing > 0:
        parts.append((at - fade // 2, join.enter_sample - fade // 2, loop + fade))
        at += loop
        missing -= loop
    parts.append((at - fade // 2, join.enter_sample - fade // 2, ending + fade // 2))
    return parts


def _part(clip: Clip, index: int, start: int, in_sample: int, length: int) -> Clip:
    is_first = index == 0
    return replace(
        clip,
        clip_id=clip.clip_id if is_first else f"{NEW}{index}",
        start_sample=clip.start_sample + start,
        in_sample=in_sample,
        length_samples=length,
        fade_in_samples=clip.fade_in_samples if is_first else JOIN_FADE_SAMPLES,
        fade_in_shape=clip.fade_in_shape if is_first else FadeShape.EQUAL_POWER,
        fade_out_samples=JOIN_FADE_SAMPLES,
        fade_out_shape=FadeShape.EQUAL_POWER,
        curve=clip.curve if is_first else (),
        group=clip.group or f"{NEW}group",
    )
