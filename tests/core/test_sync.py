"""Clips that are tied to the picture: kept by cutting, broken by moving, and the way back."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.timeline import edits
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.sync import off_samples, out_of_sync, put_back, put_off, tied_here
from recitant_core.units.roles import Role
from recitant_text.notices import off_words, out_of_sync_words

S = 48_000
LENGTHS = {"film": 60 * S, "music": 60 * S}


def plan_of(*clips):
    return Plan("Casting", "25", (Track("1", "Film", Role.DIALOGUE, clips=clips),))


def film_clip(**more):
    return Clip("a", "film", 12 * S, 2 * S, 20 * S, name="Film", sync_sample=0, **more)


PICTURE = 10 * S  # so that the recording's first sample lies at the picture's first frame


def test_a_tie_says_how_far_off_a_clip_lies():
    clip = film_clip()
    assert off_samples(clip, PICTURE) == 0 and off_samples(clip, PICTURE - 1) == 1
    assert off_samples(replace(clip, sync_sample=None), PICTURE) is None
    assert tied_here(replace(clip, start_sample=0), PICTURE).sync_sample == -PICTURE - 2 * S


@given(at=st.integers(0, 40 * S), by=st.integers(-S, S), edge=st.sampled_from(["start", "end"]))
def test_cutting_and_trimming_keep_sync(at, by, edge):
    plan = plan_of(film_clip())
    trimmed = edits.trim_clip(plan, "a", edge, by, LENGTHS)
    assert put_off(plan, trimmed, PICTURE, PICTURE) == () and out_of_sync(trimmed, PICTURE) == ()
    if 12 * S < at < 32 * S:
        split = edits.split_clips(plan, ["a"], at)
        assert all(off_samples(clip, PICTURE) == 0 for clip in split.tracks[0].clips)


@given(by=st.integers(-10 * S, 10 * S).filter(bool))
def test_moving_is_noticed_and_can_be_put_back(by):
    plan = plan_of(film_clip())
    moved = edits.move_clips(plan, ["a"], by)
    assert [clip.clip_id for clip in put_off(plan, moved, PICTURE, PICTURE)] == ["a"]
    ((clip, off),) = out_of_sync(moved, PICTURE)
    assert clip.clip_id == "a" and off == by
    assert put_back(moved, ["a"], PICTURE) == plan
    assert put_off(moved, edits.move_clips(moved, ["a"], 7), PICTURE, PICTURE) == ()  # asked once
    # Where the picture moves along, nothing is off.
    assert put_off(plan, moved, PICTURE, PICTURE + by) == ()


def test_what_is_slipped_is_off_and_what_is_out_of_the_mix_is_not_listed():
    plan = plan_of(film_clip())
    slipped = edits.slip_clip(plan, "a", S, LENGTHS)
    assert out_of_sync(slipped, PICTURE)[0][1] == S
    out = edits.set_clips(slipped, ["a"], lambda clip: replace(clip, is_out=True))
    assert out_of_sync(out, PICTURE) == ()
    early = plan_of(replace(film_clip(), start_sample=0, sync_sample=-20 * S))
    assert put_back(early, ["a"], PICTURE) == early  # it would begin before the programme


@pytest.mark.parametrize(
    ("samples", "rate", "words"),
    [
        (264 * 1_920, "25", "264 frames late"),
        (-1_920, "25", "1 frame early"),
        (960, "25", "0.5 frames late"),
        (3, "25", "3 samples late"),
        (-1, "24", "1 sample early"),
        (8_008, "29.97", "5 frames late"),  # SMPTE ST 12-1: 8008 samples are five frames
    ],
)
def test_how_far_off_is_said_in_frames(samples, rate, words):
    assert off_words(samples, rate) == words
    assert out_of_sync_words("Production sound", samples, rate) == f"Production sound is {words} against the picture."
