"""Sounds worth naming in captions, from the names of the effects: what those who do not hear would miss."""

import re
from collections.abc import Sequence
from itertools import pairwise
from typing import Final

from recitant_core.timeline.model import Plan
from recitant_core.units.clock import SampleSpan, samples_from_s
from recitant_core.units.roles import Role

SHOWN_S: Final = 2.0
LEAST_S: Final = 0.9
APART_S: Final = 8.0
"""The same sound is named again after so long."""
_NUMBER: Final = re.compile(r"[\s_-]*\b\d+[a-z]?$")


def named_sounds(plan: Plan, taken: Sequence[SampleSpan]) -> list[tuple[SampleSpan, str]]:
    """Captions for the effects in the mix, in order, in gaps between other captions that are long enough.

    Args:
        taken: when captions are shown already, in order.
    """
    clips = sorted(
        (clip for track in plan.tracks if track.role.kind is Role.EFFECTS for clip in track.in_mix),
        key=lambda clip: clip.start_sample,
    )
    shown, least, apart = samples_from_s(SHOWN_S), samples_from_s(LEAST_S), samples_from_s(APART_S)
    busy = list(taken)
    last: dict[str, int] = {}
    found = []
    for clip in clips:
        name = sound_name(clip.name)
        if not name or clip.start_sample - last.get(name, -apart) < apart:
            continue
        free = _free(SampleSpan(clip.start_sample, min(shown, max(least, clip.length_samples))), busy)
        if free is None or free.length_samples < least:
            continue
        last[name] = clip.start_sample
        busy.append(free)
        found.append((free, f"[{name}]"))
    return found


def sound_name(name: str) -> str:
    """Caption text of a sound: its name in small letters without number.

    >>> sound_name("Hammer strikes_02"), sound_name("03")
    ('hammer strikes', '')
    """
    return " ".join(_NUMBER.sub("", name).replace("_", " ").split()).lower().strip(" -.0123456789")


def _free(span: SampleSpan, busy: Sequence[SampleSpan]) -> SampleSpan | None:
    # The longest part of it that no caption covers.
    busy = [b for b in busy if b.start_sample < span.end_sample and span.start_sample < b.end_sample]
    edges = sorted({span.start_sample, span.end_sample, *(e for b in busy for e in (b.start_sample, b.end_sample))})
    parts = [
        SampleSpan(start, end - start)
        for start, end in pairwise(edges)
        if span.start_sample <= start and end <= span.end_sample
        and not any(b.start_sample < end and start < b.end_sample for b in busy)
    ]  # fmt: skip
    return max(parts, key=lambda part: part.length_samples, default=None)
