"""Fader movements that were recorded: laid into the ride that was there, thinned to few points.

Held to: tests/core/test_ride.py
"""

from collections.abc import Sequence
from typing import Final

import numpy as np

from recitant_core.gain.envelope import CurvePoint, curve_db
from recitant_core.gain.thinning import THINNED_DB, thinned
from recitant_core.units.clock import RATE_HZ

_EDGE_SAMPLES: Final = RATE_HZ // 50  # a recorded ride meets what was there within 20 ms
_BACK_SAMPLES: Final = RATE_HZ // 2  # a fader let go finds back within half a second


def recorded_ride(
    before: Sequence[CurvePoint], points: Sequence[tuple[int, float]], mode: str, end_sample: int
) -> list[tuple[int, float]]:
    """Points (sample, dB) of a ride with what was recorded laid into it.

    Args:
        before: points of the ride that was there.
        points: place and gain as the fader had it, at least two.
        mode: "touch": only while it was held, then back; "latch": its last gain stays to the end; "overwrite": from
            the first place to the last, nothing of the old ride between.
        end_sample: of the programme.
    """
    places = dict(sorted((max(0, at), round(gain_db, 2)) for at, gain_db in points))
    drawn = thinned(list(places.items()), THINNED_DB)
    first, last = drawn[0][0], drawn[-1][0]
    old = [(p.at_sample, p.gain_db) for p in before]

    def old_db(at: int) -> float:
        return float(curve_db(tuple(before), np.array([float(at)]))[0]) if before else 0.0

    start = max(0, first - _EDGE_SAMPLES)
    kept = [point for point in old if point[0] < start]
    into = [(start, round(old_db(start), 2))] if start < first else []
    if mode == "latch":
        return [*kept, *into, *drawn, *([(end_sample, drawn[-1][1])] if end_sample > last else [])]
    back = last + (_BACK_SAMPLES if mode == "touch" else _EDGE_SAMPLES)
    return [*kept, *into, *drawn, (back, round(old_db(back), 2)), *[point for point in old if point[0] > back]]
