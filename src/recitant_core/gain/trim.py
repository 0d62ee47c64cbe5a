"""Trim of a stem: one gain a scene, with slow straight lines from one to the next.

Held to: tests/core/test_trim.py
"""

from dataclasses import dataclass
from itertools import pairwise
from typing import Final

from recitant_core.gain.envelope import CurvePoint
from recitant_core.units.clock import RATE_HZ

MOST_TRIM_DB: Final = 24.0
LEAST_TRIM_DB: Final = -24.0
_RAMP_SAMPLES: Final = 2 * RATE_HZ


@dataclass(frozen=True, order=True)
class TrimScene:
    """A stretch of a programme in which a stem has one gain, up to the start of the next."""

    start_sample: int
    gain_db: float
    is_kept: bool = False
    """Whether its gain was set by hand."""


Trim = tuple[TrimScene, ...]


def trim_points(trim: Trim) -> tuple[CurvePoint, ...]:
    """Points of the gain curve that a trim stands for; empty where it changes nothing.

    Args:
        trim: in order. From one scene to the next the gain takes two seconds, or as long as both are, if shorter.
    """
    if all(scene.gain_db == 0.0 for scene in trim):
        return ()
    points = [CurvePoint(trim[0].start_sample, trim[0].gain_db)]
    for index, (before, after) in enumerate(pairwise(trim)):
        if before.gain_db == after.gain_db:
            continue
        into = after.start_sample - before.start_sample
        rest = trim[index + 2].start_sample - after.start_sample if index + 2 < len(trim) else into
        half = min(_RAMP_SAMPLES, into, rest) // 2
        points.append(CurvePoint(max(after.start_sample - half, points[-1].at_sample + 1), before.gain_db))
        points.append(CurvePoint(max(after.start_sample + half, points[-1].at_sample + 1), after.gain_db))
    return tuple(points)


def trim_set(trim: Trim, start_sample: int, gain_db: float) -> Trim:
    """A trim with one scene's gain set by hand.

    Args:
        start_sample: of the scene; where there is none, one begins there.
    """
    others = [scene for scene in trim if scene.start_sample != start_sample]
    return tuple(sorted([*others, TrimScene(start_sample, round(gain_db, 2), True)]))


def trim_lowered(trim: Trim, at_sample: int, by_db: float, end_sample: int) -> Trim:
    """A trim with the scene around a place moved by some dB, by hand.

    Args:
        end_sample: of the programme; without scenes all of it is one.
    """
    scenes = trim or (TrimScene(0, 0.0),)
    before = [scene for scene in scenes if scene.start_sample <= at_sample < end_sample]
    around = before[-1] if before else scenes[0]
    gain_db = min(max(around.gain_db + by_db, LEAST_TRIM_DB), MOST_TRIM_DB)
    return trim_set(scenes, around.start_sample, gain_db)
