"""Clips that are tied to the picture: where they belong, and how far off they lie.

A tie says where the first sample of a clip's recording lies from the picture's first frame. Cutting and trimming keep
it; whatever moves the sound moves it off.

Held to: tests/core/test_sync.py
"""

from collections.abc import Collection
from dataclasses import replace

from recitant_core.timeline.edits import clips_by_id, set_clips
from recitant_core.timeline.model import Clip, Plan


def off_samples(clip: Clip, picture_offset_samples: int) -> int | None:
    """Offset of a clip against the picture in samples, positive for late; None where it is not tied.

    Args:
        picture_offset_samples: where the picture's first frame lies in the programme.
    """
    if clip.sync_sample is None:
        return None
    return clip.start_sample - clip.in_sample - picture_offset_samples - clip.sync_sample


def tied_here(clip: Clip, picture_offset_samples: int) -> Clip:
    """A clip tied to the picture where it lies: from then on its place is one from the picture's first frame."""
    return replace(clip, sync_sample=clip.start_sample - clip.in_sample - picture_offset_samples)


def put_off(before: Plan, after: Plan, picture_before_samples: int, picture_after_samples: int) -> tuple[Clip, ...]:
    """Clips that were in sync before an edit and are not after it, as they are after it.

    Args:
        picture_before_samples, picture_after_samples: where the picture's first frame lies before and after it.
    """
    was = clips_by_id(before)
    moved = []
    for clip_id, (_, clip) in clips_by_id(after).items():
        old = was.get(clip_id, (None, None))[1]
        if old is None or old.source_key != clip.source_key or off_samples(old, picture_before_samples) != 0:
            continue
        if off_samples(clip, picture_after_samples):
            moved.append(clip)
    return tuple(moved)


def put_back(plan: Plan, clip_ids: Collection[str], picture_offset_samples: int) -> Plan:
    """Clips moved to where the picture has them; those that are not tied, or would begin before the programme, stay.

    Args:
        picture_offset_samples: where the picture's first frame lies in the programme.

    Raises:
        NotThere: no such clip.
    """

    def back(clip: Clip) -> Clip:
        start = clip.start_sample - (off_samples(clip, picture_offset_samples) or 0)
        return replace(clip, start_sample=start) if start >= 0 else clip

    return set_clips(plan, clip_ids, back)


def out_of_sync(plan: Plan, picture_offset_samples: int) -> tuple[tuple[Clip, int], ...]:
    """Tied clips in the mix that do not lie where the picture has them.

    Args:
        picture_offset_samples: where the picture's first frame lies in the programme.

    Returns:
        Each with how many samples later it sounds than the picture has it; negative for earlier.
    """
    found = []
    for track in plan.tracks:
        for clip in track.in_mix:
            off = off_samples(clip, picture_offset_samples)
            if off:
                found.append((clip, off))
    return tuple(found)
