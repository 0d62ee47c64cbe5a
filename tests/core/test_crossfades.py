"""Crossfades of overlaps: equal gain for one sound in step, equal power for two; only where an edit made them."""

from dataclasses import replace

import pytest

from recitant_core.gain.envelope import FadeShape
from recitant_core.timeline import edits
from recitant_core.timeline.crossfades import with_crossfades
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role
from signals import MemorySource, programme

SOURCES = {"a": MemorySource("a", programme(1, 20.0)), "b": MemorySource("b", programme(2, 20.0))}


def plan_of(*clips):
    return Plan("p", "25", (Track("t", "one", Role.DIALOGUE, clips=clips),))


def clip(clip_id, key, start_s, in_s, length_s):
    return Clip(clip_id, key, round(start_s * RATE_HZ), round(in_s * RATE_HZ), round(length_s * RATE_HZ))


def moved(plan, clip_id, seconds):
    after = edits.move_clips(plan, [clip_id], round(seconds * RATE_HZ))
    return {c.clip_id: c for c in with_crossfades(plan, after, [clip_id], SOURCES.__getitem__).tracks[0].clips}


@pytest.mark.parametrize("key, shape", [("a", FadeShape.EQUAL_GAIN), ("b", FadeShape.EQUAL_POWER)])
def test_the_shape_follows_how_related_the_sides_are(key, shape):
    # The second begins in the recording where the first still is, once it is moved to 4 s: in step if it is the same.
    clips = moved(plan_of(clip("1", "a", 0, 0, 5), clip("2", key, 6, 4, 5)), "2", -2)
    assert clips["1"].fade_out_samples == clips["2"].fade_in_samples == RATE_HZ
    assert clips["1"].fade_out_shape is clips["2"].fade_in_shape is shape


def test_one_sound_out_of_step_is_two_sounds():
    clips = moved(plan_of(clip("1", "a", 0, 0, 5), clip("2", "a", 6, 9, 5)), "2", -2)
    assert clips["2"].fade_in_shape is FadeShape.EQUAL_POWER


def test_overlaps_that_were_there_are_left_alone():
    kept = (replace(clip("1", "a", 0, 0, 5), fade_out_samples=77), clip("2", "b", 4, 0, 5))
    clips = moved(plan_of(*kept, clip("3", "a", 30, 0, 5)), "3", 1)
    assert (clips["1"], clips["2"]) == kept
