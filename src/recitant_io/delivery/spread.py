"""A mix rendered in parts, each by whoever has time: the segments of a part in a file, and all parts as one again.

Segments are pure functions of their place, so the parts joined hold the bits of the whole.
Held to: tests/io/test_spread.py
"""

import uuid
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Final

import numpy as np

from recitant_core.ports import Progress, no_progress
from recitant_core.render.laid import Sources
from recitant_core.render.mix import MixedSegment, mixed_segments
from recitant_core.render.segments import SEGMENT_SAMPLES
from recitant_core.timeline.model import Plan
from recitant_core.units.clock import SampleSpan
from recitant_io.media.storage import storage_errors

_SAMPLE_BYTES: Final = 4


def parts_of(plan: Plan, most_samples: int) -> list[SampleSpan]:
    """Spans of whole segments, each at most so long but at least one segment, that make up a plan."""
    return list(plan.span.blocks(max(1, most_samples // SEGMENT_SAMPLES) * SEGMENT_SAMPLES))


def write_part(plan: Plan, sources: Sources, part: SampleSpan, path: Path, progress: Progress = no_progress) -> None:
    """Render a part into a file: of each segment its stems in summing order, then its mix, float32 (frames, channels).

    Raises:
        StorageFull: no room. UnreadableMedia: a source turns out damaged.
    """
    begun = path.with_name(f"{path.name}.{uuid.uuid4().hex}.part")
    try:
        with storage_errors():
            path.parent.mkdir(parents=True, exist_ok=True)
            with begun.open("wb") as file:
                for segment in mixed_segments(plan, sources, part):
                    for audio in (*segment.stems.values(), segment.mix):
                        file.write(np.ascontiguousarray(audio).data)
                    progress((segment.span.end_sample - part.start_sample) / part.length_samples)
            begun.replace(path)
    finally:
        begun.unlink(missing_ok=True)


def part_bytes(plan: Plan, part: SampleSpan) -> int:
    """Size of the file of a part."""
    return part.length_samples * plan.layout.n_channels * _SAMPLE_BYTES * (len(plan.roles) + 1)


def joined(plan: Plan, parts: Sequence[SampleSpan], paths: Sequence[Path]) -> Iterator[MixedSegment]:
    """The segments of a plan in order, out of the files of its parts.

    Raises:
        ValueError: a file is not that of its part.
    """
    n_channels = plan.layout.n_channels
    for part, path in zip(parts, paths, strict=True):
        values = np.memmap(path, np.float32, "r")
        if values.nbytes != part_bytes(plan, part):
            raise ValueError(path.name)
        at = 0
        for span in part.blocks(SEGMENT_SAMPLES):
            n = span.length_samples * n_channels
            rows = [values[at + k * n : at + (k + 1) * n].reshape(-1, n_channels) for k in range(len(plan.roles) + 1)]
            at += n * len(rows)
            stems = {role: np.asarray(row) for role, row in zip(plan.roles, rows, strict=False)}
            yield MixedSegment(span, stems, np.asarray(rows[-1]))
