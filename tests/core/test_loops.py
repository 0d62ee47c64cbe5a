"""Clips brought to a length: exactly that long, without a hole, and in the recording where they say they are."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.errors import EditRefused
from recitant_core.gain.envelope import FadeShape
from recitant_core.measure.similarity import Join
from recitant_core.render.mix import render_mix
from recitant_core.timeline.loops import JOIN_FADE_SAMPLES, join_of_clip, looped, shortened
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role
from signals import MemorySource, programme

CLIP = Clip("1", "k", 3 * RATE_HZ, RATE_HZ, 12 * RATE_HZ, fade_out_samples=RATE_HZ // 2)
OTHER = Clip("2", "k", 90 * RATE_HZ, 0, RATE_HZ)


def loop_to(length_samples, join):
    plan = Plan("p", "25", (Track("t", "bed", Role.MUSIC, clips=(CLIP, OTHER)),))
    made = looped(plan, plan.tracks[0], CLIP, join, length_samples).tracks[0].clips
    assert OTHER in made
    return sorted((c for c in made if c is not OTHER), key=lambda c: c.start_sample)


@given(
    st.integers(2 * RATE_HZ, 5 * RATE_HZ),
    st.integers(6 * RATE_HZ, 12 * RATE_HZ),
    st.integers(12 * RATE_HZ + 1, 60 * RATE_HZ),
)
def test_a_loop_has_the_length_that_was_asked_for_and_no_hole(enter, leave, length):
    parts = loop_to(length, Join(leave, enter, 1.0))
    assert parts[0].start_sample == CLIP.start_sample and parts[0].clip_id == CLIP.clip_id
    assert parts[-1].span.end_sample == CLIP.start_sample + length
    assert len({c.clip_id for c in parts}) == len(parts) and len({c.group for c in parts}) == 1
    for before, after in pairwise(parts):
        assert 0 < before.span.end_sample - after.start_sample <= JOIN_FADE_SAMPLES
    recording = SampleSpan(CLIP.in_sample - JOIN_FADE_SAMPLES, CLIP.length_samples + 2 * JOIN_FADE_SAMPLES)
    for part in parts:
        assert recording.start_sample <= part.in_sample
        assert part.in_sample + part.length_samples <= recording.end_sample


def test_a_loop_closes_with_the_end_of_the_recording_and_its_own_fade():
    parts = loop_to(40 * RATE_HZ, Join(10 * RATE_HZ, 4 * RATE_HZ, 1.0))
    assert parts[-1].fade_out_samples == CLIP.fade_out_samples
    assert {c.fade_out_samples for c in parts[:-1]} == {JOIN_FADE_SAMPLES}
    assert {c.fade_in_shape for c in parts[1:]} == {FadeShape.EQUAL_POWER}


def test_music_of_a_bar_is_looped_where_the_bar_begins_again():
    bar = programme(5, 4.0)
    source = MemorySource("k", np.tile(bar, (4, 1)))
    clip = Clip("1", "k", 0, 0, 16 * RATE_HZ)
    join = join_of_clip(clip, source)
    assert (join.leave_sample - join.enter_sample) % (4 * RATE_HZ) == 0
    plan = Plan("p", "25", (Track("t", "bed", Role.MUSIC, clips=(clip,)),))
    heard = render_mix(
        looped(plan, plan.tracks[0], clip, join, 30 * RATE_HZ), {"k": source}, SampleSpan(0, 30 * RATE_HZ)
    )
    # In step with the bar all the way; equal power raises two like sounds by up to 3 dB while a join fades.
    exact = np.tile(bar, (8, 1))[: 30 * RATE_HZ]
    away = np.abs(heard - exact).max(axis=1) > 1e-4
    assert away.sum() <= 4 * JOIN_FADE_SAMPLES


def test_too_short_for_a_loop_is_said():
    with pytest.raises(EditRefused, match="no_join"):
        join_of_clip(Clip("1", "k", 0, 0, RATE_HZ // 2), MemorySource("k", programme(5, 1.0)))


def test_a_clip_is_cut_at_its_end():
    cut = shortened(CLIP, 2 * RATE_HZ)
    assert (cut.start_sample, cut.in_sample, cut.length_samples) == (CLIP.start_sample, CLIP.in_sample, 2 * RATE_HZ)
    assert shortened(CLIP, 1).length_samples > 1
