"""Contours: momentary loudness along a clip, as it is and as it gives way.

Held to: tests/core/test_contours.py
"""

from dataclasses import dataclass

import numpy as np

from recitant_core.measure.loudness import momentary_contour_lufs
from recitant_core.render.estimate import clip_energy
from recitant_core.timeline.model import Clip, Track
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, SampleSpan


@dataclass(frozen=True)
class Contour:
    """Momentary loudness of a clip at steps of a view, LUFS."""

    from_sample: int
    lufs: FloatArray
    undipped_lufs: FloatArray | None
    """Without giving way; None where it does not."""


def clip_contour(
    clip: Clip,
    track: Track,
    gain_db: float,
    source_energy: FloatArray,
    lowered_db: FloatArray | None,
    view: SampleSpan,
    step_hops: int,
) -> Contour | None:
    """The contour of a clip inside a view, with all its gains; None where it lies outside.

    Args:
        gain_db: of its track and stem together.
        source_energy: 10 ms energies of its whole recording, see estimate.clip_energy.
        lowered_db: gain at each hop of the programme by which its track gives way, float64 (hops,).
        step_hops: from one value to the next.
    """
    part = clip.span.intersect(view)
    if part is None:
        return None
    first, energy = clip_energy(clip, track, gain_db, source_energy)
    begin = max(0, part.start_sample // HOP_SAMPLES - first)
    end = min(len(energy), part.end_sample // HOP_SAMPLES - first + 1)
    places = np.arange(begin, end + step_hops, step_hops, dtype=np.float64)
    undipped = momentary_contour_lufs(energy, places)
    if lowered_db is None:
        return Contour((first + begin) * HOP_SAMPLES, undipped, None)
    inside = np.zeros(len(energy))
    part_db = lowered_db[first : first + len(energy)]
    inside[: len(part_db)] = part_db
    dipped = momentary_contour_lufs(energy * 10.0 ** (inside / 10.0), places)
    return Contour((first + begin) * HOP_SAMPLES, dipped, undipped)
