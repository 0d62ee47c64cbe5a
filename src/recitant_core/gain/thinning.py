"""Fewer points for a drawn curve.

Held to: tests/core/test_even_out.py
"""

from collections.abc import Sequence
from typing import Final

import numpy as np

THINNED_DB: Final = 0.25


def thinned(points: Sequence[tuple[int, float]], within_db: float) -> list[tuple[int, float]]:
    """Few of many points, straight lines between which stay within some dB of all of them.

    Source: U. Ramer 1972; D. Douglas, T. Peucker 1973.
    """
    if len(points) <= 2:
        return list(points)
    keep = [False] * len(points)
    keep[0] = keep[-1] = True
    open_spans = [(0, len(points) - 1)]
    at = np.array([p[0] for p in points], dtype=np.float64)
    value = np.array([p[1] for p in points])
    while open_spans:
        first, last = open_spans.pop()
        if last - first < 2:
            continue
        inside = slice(first + 1, last)
        # The point that lies farthest off the line is kept, until none lies far.
        line = np.interp(at[inside], [at[first], at[last]], [value[first], value[last]])
        off = np.abs(value[inside] - line)
        worst = int(np.argmax(off))
        if off[worst] > within_db:
            keep[first + 1 + worst] = True
            open_spans += [(first, first + 1 + worst), (first + 1 + worst, last)]
    return [point for point, is_kept in zip(points, keep, strict=True) if is_kept]
