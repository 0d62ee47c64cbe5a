"""A remedy applied to a clip, and taken back.

Held to: tests/core/test_mending.py
"""

from dataclasses import replace
from typing import Any

from recitant_core.intake.findings import Remedy
from recitant_core.timeline.edits import LEAST_CLIP_SAMPLES, cut_clip, levelled
from recitant_core.timeline.model import Clip
from recitant_core.units.channels import Routing


def mended(clip: Clip, remedy: Remedy) -> Clip:
    """The clip with a remedy applied; as it is where it was applied already."""
    if remedy.code in clip.mended:
        return clip
    changes: dict[str, Any] = {"mended": (*clip.mended, remedy.code)}
    for name in ("routing", "reversed_channels", "dc_offset", "left_out"):
        value = getattr(remedy, name)
        if value is not None:
            changes[name] = value
    if remedy.gain_change_db is not None:
        clip = levelled(clip, remedy.gain_change_db)
    if remedy.keep is not None:
        first = max(0, remedy.keep.start_sample - clip.in_sample)
        last = min(clip.length_samples, remedy.keep.end_sample - clip.in_sample)
        if last - first >= LEAST_CLIP_SAMPLES:
            clip = cut_clip(clip, first, last)
    return replace(clip, **changes)


def unmended(clip: Clip, remedy: Remedy, source_length_samples: int) -> Clip:
    """The clip without a remedy that was applied; what it changed goes back to how a fresh clip has it."""
    if remedy.code not in clip.mended:
        return clip
    changes: dict[str, Any] = {"mended": tuple(code for code in clip.mended if code != remedy.code)}
    if remedy.routing is not None:
        changes["routing"] = Routing.AS_RECORDED
    for name in ("reversed_channels", "dc_offset", "left_out"):
        if getattr(remedy, name) is not None:
            changes[name] = ()
    if remedy.gain_change_db is not None:
        clip = levelled(clip, -remedy.gain_change_db)
    if remedy.keep is not None:
        # Only an edge that still lies where the trim put it goes back.
        is_start = clip.in_sample == remedy.keep.start_sample
        first = -min(clip.in_sample, clip.start_sample) if is_start else 0
        is_end = clip.in_sample + clip.length_samples == remedy.keep.end_sample
        last = source_length_samples - clip.in_sample if is_end else clip.length_samples
        clip = cut_clip(clip, first, last)
    return replace(clip, **changes)
