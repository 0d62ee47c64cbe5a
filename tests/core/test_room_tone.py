"""Room tone: one clip, between two clips only, out of the quietest stretch without speech, never taken for speech."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.errors import EditRefused
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.model import Balanced, Clip, Plan, Track
from recitant_core.timeline.room_tone import (
    FADE_SAMPLES,
    covered_samples,
    gap_at,
    repeated_tone,
    tone_stretch,
    with_room_tone,
)
from recitant_core.timeline.speech import speech_of_clip
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role


def plan_of(*clips):
    """One dialogue track of (start s, length s) clips."""
    made = tuple(Clip(str(i), "k", at * RATE_HZ, 0, n * RATE_HZ) for i, (at, n) in enumerate(clips))
    music = Track("2", "m", Role.MUSIC, clips=(Clip("9", "k", 0, 0, 600 * RATE_HZ),))
    return Plan("t", "25", (Track("1", "v", Role.DIALOGUE, clips=made), music))


def test_a_gap_lies_between_two_clips():
    plan = plan_of((0, 10), (40, 10))
    assert gap_at(plan, "1", 20 * RATE_HZ).span == SampleSpan(10 * RATE_HZ, 30 * RATE_HZ)
    for at_s in (55, 300, 5, 45):  # behind the last clip, far behind it, under clips
        with pytest.raises(EditRefused):
            gap_at(plan, "1", at_s * RATE_HZ)
    with pytest.raises(EditRefused):
        gap_at(plan_of((5, 5), (20, 5)), "1", RATE_HZ)  # before the first
    with pytest.raises(EditRefused):
        gap_at(plan, "7", 20 * RATE_HZ)


def test_the_quietest_stretch_without_speech_is_taken():
    plan = plan_of((0, 10), (40, 10))
    energy = np.full(1_000, 1.0)
    energy[100:300] = 1e-4  # under speech
    energy[600:800] = 1e-3
    stretch = tone_stretch(gap_at(plan, "1", 20 * RATE_HZ), {"k": energy}, {"k": [SpeechSpan(RATE_HZ, 96_000, 1.0)]})
    assert stretch.span == SampleSpan(6 * RATE_HZ, 2 * RATE_HZ)
    talk = {"k": [SpeechSpan(0, 10 * RATE_HZ, 1.0)]}
    with pytest.raises(EditRefused):
        tone_stretch(gap_at(plan, "1", 20 * RATE_HZ), {"k": energy}, talk)


def test_one_clip_covers_the_gap_and_its_fades():
    plan = plan_of((0, 10), (40, 10))
    gap = gap_at(plan, "1", 20 * RATE_HZ)
    tied = replace(gap.before, sync_sample=5, balanced=Balanced(0.0, 1.0), accepted=(SampleSpan(0, 9),))
    (tone,) = [c for c in with_room_tone(plan, gap, tied, "tone", 7).tracks[0].clips if c.is_room_tone]
    assert (tone.sync_sample, tone.balanced, tone.accepted) == (None, None, ())  # those are the words' own
    after = with_room_tone(plan, gap, gap.before, "tone", 7)
    (tone,) = [clip for clip in after.tracks[0].clips if clip.is_room_tone]
    assert tone.span == SampleSpan(10 * RATE_HZ - FADE_SAMPLES, 30 * RATE_HZ + 2 * FADE_SAMPLES)
    assert (tone.source_key, tone.in_sample, tone.length_samples) == ("tone", 7, covered_samples(gap))
    assert speech_of_clip(tone, {"tone": [SpeechSpan(0, 50 * RATE_HZ, 1.0)]}) == []
    assert after.tracks[1] is plan.tracks[1]


@given(st.integers(2, 40), st.integers(1, 500))
def test_repeated_tone_has_its_length_and_no_step_that_was_not_there(n_frames, length):
    stretch = np.random.default_rng(n_frames).normal(size=(n_frames, 2)).astype(np.float32)
    tone = repeated_tone(stretch, length)
    assert tone.shape == (length, 2) and tone.dtype == np.float32
    steps = np.abs(np.diff(stretch, axis=0)).max()
    assert np.abs(np.diff(tone, axis=0)).max(initial=0.0) <= steps + 1e-6
    assert (tone[: min(length, n_frames)] == stretch[: min(length, n_frames)]).all()
