"""What a hand does to a ducking curve: points moved, added, removed, released, and a stretch taken deeper.

What is touched is pinned, and so are its neighbours: ducking.laid_around_pinned keeps them when the rule is remade.
Held to: tests/core/test_ducking.py
"""

from dataclasses import replace

import numpy as np

from recitant_core.gain.duck_rule import DuckRule
from recitant_core.gain.ducking import DEEPEST_DB, DuckPoint, Points, fall_samples, points_db, rise_samples
from recitant_core.units.clock import SampleSpan


def point_moved(points: Points, index: int, at_sample: int, gain_db: float) -> Points:
    """A point at another place, between its neighbours; it and they are pinned.

    Args:
        index: of the point in ``points``.
        at_sample: wanted place in the programme, brought between the neighbours.
        gain_db: wanted gain, brought between DEEPEST_DB and 0.
    """
    low = points[index - 1].at_sample + 1 if index > 0 else 0
    high = points[index + 1].at_sample - 1 if index + 1 < len(points) else at_sample
    moved = DuckPoint(min(max(at_sample, low), max(low, high)), round(min(max(gain_db, DEEPEST_DB), 0.0), 2), True)
    return _pinned_around((*points[:index], moved, *points[index + 1 :]), index)


def point_added(points: Points, at_sample: int) -> Points:
    """A point on the curve where there was none; it and its neighbours are pinned.

    Nothing changes in what sounds: the point lies where the curve runs. A place that has a point keeps it.
    """
    if any(point.at_sample == at_sample for point in points):
        return points
    gain_db = round(float(points_db(points, np.array([at_sample], dtype=np.float64))[0]), 2)
    added = sorted([*points, DuckPoint(at_sample, gain_db, True)], key=lambda p: p.at_sample)
    return _pinned_around(tuple(added), next(i for i, p in enumerate(added) if p.at_sample == at_sample))


def point_removed(points: Points, index: int) -> Points:
    """The curve without a point; its neighbours are pinned."""
    left = [*points[:index], *points[index + 1 :]]
    for near in (index - 1, index):
        if 0 <= near < len(left):
            left[near] = replace(left[near], is_pinned=True)
    return tuple(left)


def released(points: Points, span: SampleSpan) -> Points:
    """The curve with no point pinned within a span: the next update draws it anew there.

    >>> from recitant_core.gain.ducking import DuckPoint
    >>> released((DuckPoint(10, -6.0, True), DuckPoint(99, 0.0, True)), SampleSpan(0, 50))[0].is_pinned
    False
    """
    return tuple(
        replace(p, is_pinned=False) if span.start_sample <= p.at_sample <= span.end_sample else p for p in points
    )


def deepened(points: Points, span: SampleSpan, by_db: float, rule: DuckRule) -> Points:
    """The curve lower by ``by_db`` in a span, pinned there, with slopes as the rule has them.

    Args:
        points: in order, gains in dB over programme time.
        span: of the programme; the slopes lie outside of it.
        by_db: positive for lower.
        rule: whose lead-in, recovery and steepest slope the new slopes keep.
    """
    ramp_in, ramp_out = fall_samples(by_db, rule), rise_samples(by_db, rule)
    begin, end = max(0, span.start_sample - ramp_in), span.end_sample + ramp_out
    places = sorted(
        {begin, span.start_sample, span.end_sample, end} | {p.at_sample for p in points if begin < p.at_sample < end}
    )
    now = points_db(points, np.array(places, dtype=np.float64))
    shape = np.interp(places, [begin, span.start_sample, span.end_sample, end], [0.0, -by_db, -by_db, 0.0])
    if begin == span.start_sample:
        shape[0] = -by_db
    laid = [
        DuckPoint(at, round(max(DEEPEST_DB, float(level + lower)), 2), True)
        for at, level, lower in zip(places, now, shape, strict=True)
    ]
    return tuple(sorted([*(p for p in points if not begin <= p.at_sample <= end), *laid], key=lambda p: p.at_sample))


def _pinned_around(points: Points, index: int) -> Points:
    near = {index - 1, index, index + 1}
    return tuple(replace(p, is_pinned=True) if i in near else p for i, p in enumerate(points))
