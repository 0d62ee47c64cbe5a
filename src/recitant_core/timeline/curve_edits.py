"""Edits of gain curves of clips: an old clip in, a new one out.

Held to: tests/core/test_edits.py
"""

from collections.abc import Iterable
from dataclasses import replace
from typing import Final

import numpy as np

from recitant_core.errors import EditRefused, MalformedRequest, NotThere
from recitant_core.gain.envelope import CurvePoint, curve_db
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Clip
from recitant_core.units.clock import RATE_HZ, SampleSpan

DRAW_EDGE_SAMPLES: Final = RATE_HZ // 50  # 20 ms from the level that was there to the one that was drawn


def curve_with(clip: Clip, points: Iterable[tuple[int, float]]) -> Clip:
    """A clip with this gain curve: points in any order, the last one of each place counts.

    Raises:
        EditRefused: a gain out of range.
    """
    placed: dict[int, float] = {}
    for at_sample, gain_db in points:
        if not LEAST_GAIN_DB <= gain_db <= MOST_GAIN_DB:
            raise EditRefused("gain_out_of_range", found=f"{gain_db:g}", least_db=LEAST_GAIN_DB, most_db=MOST_GAIN_DB)
        placed[min(max(0, at_sample), clip.length_samples)] = round(gain_db, 2)
    return _drawn_by_hand(clip, tuple(CurvePoint(at, placed[at]) for at in sorted(placed)))


def curve_point_moved(clip: Clip, index: int, at_sample: int, gain_db: float) -> Clip:
    """A clip with one point of its curve moved; beyond its neighbours the level stays as it was.

    Where the point is the only one, or the last on a side, a neighbour is laid where the level was, 0.5 s away or at
    the clip's edge, so that nothing farther off changes.

    Raises:
        NotThere: no such point. EditRefused: a gain out of range.
    """
    points = [(point.at_sample, point.gain_db) for point in clip.curve]
    if not 0 <= index < len(points):
        raise NotThere()
    was_at, was_db = points[index]
    reach = RATE_HZ // 2
    if index == 0 and gain_db != was_db and was_at > 0:
        points.insert(0, (max(0, min(was_at, at_sample) - reach), was_db))
        index += 1
    if index == len(points) - 1 and gain_db != was_db and was_at < clip.length_samples:
        points.append((min(clip.length_samples, max(was_at, at_sample) + reach), was_db))
    low = points[index - 1][0] + 1 if index > 0 else 0
    high = points[index + 1][0] - 1 if index + 1 < len(points) else clip.length_samples
    points[index] = (min(max(at_sample, low), max(low, high)), gain_db)
    return curve_with(clip, points)


def curve_level_db(clip: Clip, at_sample: int) -> float:
    """Gain in dB of a clip's curve at a place of the clip; 0 without a curve.

    >>> from recitant_core.gain.envelope import CurvePoint
    >>> curve_level_db(Clip("1", "key", 0, 0, 100, curve=(CurvePoint(0, 0.0), CurvePoint(100, -6.0))), 50)
    -3.0
    """
    if not clip.curve:
        return 0.0
    return round(float(curve_db(clip.curve, np.array([float(at_sample)]))[0]), 2)


def curve_point_added(clip: Clip, at_sample: int) -> Clip:
    """A clip with one more point on its curve, where the curve runs: nothing changes in what sounds."""
    at_sample = min(max(0, at_sample), clip.length_samples)
    points = [(point.at_sample, point.gain_db) for point in clip.curve if point.at_sample != at_sample]
    return curve_with(clip, [*points, (at_sample, curve_level_db(clip, at_sample))])


def curve_drawn(clip: Clip, drawn: Iterable[tuple[int, float]]) -> Clip:
    """A clip whose curve follows what was drawn by hand, from its first place to its last; outside it stays as it was.

    Raises:
        MalformedRequest: nothing was drawn. EditRefused: a gain out of range.
    """
    points = sorted((min(max(0, at), clip.length_samples), gain_db) for at, gain_db in drawn)
    if not points:
        raise MalformedRequest("malformed", field="points")
    first, last = points[0][0], points[-1][0]
    kept = [
        (p.at_sample, p.gain_db)
        for p in clip.curve
        if not first - DRAW_EDGE_SAMPLES < p.at_sample < last + DRAW_EDGE_SAMPLES
    ]
    edges = [at for at in (first - DRAW_EDGE_SAMPLES, last + DRAW_EDGE_SAMPLES) if 0 <= at <= clip.length_samples]
    return curve_with(clip, [*kept, *((at, curve_level_db(clip, at)) for at in edges), *points])


def curve_cleared(clip: Clip, span: SampleSpan) -> Clip:
    """A clip whose curve has no points in a stretch of it; at its edges the level joins what is outside.

    Args:
        span: in samples from the clip's start.
    """
    kept = [point for point in clip.curve if not span.start_sample <= point.at_sample < span.end_sample]
    return _drawn_by_hand(clip, tuple(kept))


def stretch_raised(clip: Clip, span: SampleSpan, by_db: float) -> Clip:
    """A clip whose curve lies higher in a stretch of the programme, with edges of 0.2 s outside of it.

    Raises:
        EditRefused: a gain out of range.
    """
    begin = min(max(0, span.start_sample - clip.start_sample), clip.length_samples)
    end = min(max(begin + 1, span.end_sample - clip.start_sample), clip.length_samples)
    edge = RATE_HZ // 5
    places = sorted(
        {max(0, begin - edge), begin, end, min(clip.length_samples, end + edge)}
        | {point.at_sample for point in clip.curve}
    )
    raised = np.interp(places, [begin - edge, begin, end, end + edge], [0.0, by_db, by_db, 0.0])
    return curve_with(clip, [(at, curve_level_db(clip, at) + float(by)) for at, by in zip(places, raised, strict=True)])


def _drawn_by_hand(clip: Clip, curve: tuple[CurvePoint, ...]) -> Clip:
    balanced = None if clip.balanced is None else replace(clip.balanced, is_curve_made=False)
    return replace(clip, curve=curve, balanced=balanced)
