"""Loudness of a clip: over its speech, without outliers in speech, and over everything where nobody speaks."""

from dataclasses import replace

import numpy as np
import pytest

from recitant_core.measure.clip_level import clip_level
from recitant_core.measure.phrases import phrases
from recitant_core.render.clip_levels import level_of_clip
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.model import Clip, Track
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role
from signals.voices import voice

HOP = 480


def energy_at(*parts):
    """10 ms energies of stretches of (LUFS, seconds)."""
    return np.concatenate([np.full(round(100 * s), HOP * 10 ** ((lufs + 0.691) / 10)) for lufs, s in parts])


def spoken(energy, *spans_s):
    mask = np.zeros(len(energy), bool)
    for start_s, end_s in spans_s:
        mask[round(100 * start_s) : round(100 * end_s)] = True
    return mask


def test_dialogue_is_measured_where_somebody_speaks():
    energy = energy_at((-24, 4), (-60, 6), (-24, 2))
    level = clip_level(energy, spoken(energy, (0, 4), (10, 12)))
    assert level.level_lufs == pytest.approx(-24.0, abs=0.1)
    assert level.noise_lufs == pytest.approx(-60.0, abs=0.1)


def test_a_slate_clap_in_speech_is_named_and_left_out():
    energy = energy_at((-30, 3), (-5, 0.1), (-30, 5))
    level = clip_level(energy, spoken(energy, (0, 2.5), (3.5, 8)))
    assert [abs(span.start_sample - 3 * RATE_HZ) <= 2 * HOP for span in level.outliers] == [True]
    assert level.level_lufs == pytest.approx(-30.0, abs=0.1)
    assert level.short_term_lufs == pytest.approx(-30.0, abs=0.1)


def test_a_door_slam_is_its_clip_and_no_outlier():
    energy = energy_at((-60, 3), (-18, 0.3), (-60, 3))
    level = clip_level(energy, np.zeros(len(energy), bool))
    assert level.outliers == ()
    # BS.1770: the slam alone passes the gates; the blocks that hold it whole or in part count.
    assert -24.0 < level.level_lufs < -18.0


def test_what_is_left_out_by_hand_is_not_measured():
    energy = energy_at((-30, 3), (-5, 1), (-30, 5))
    left_out = [SampleSpan(3 * RATE_HZ, RATE_HZ)]
    for mask in (np.zeros(len(energy), bool), spoken(energy, (0, 9))):
        assert clip_level(energy, mask, left_out).level_lufs == pytest.approx(-30.0, abs=0.1)


def test_gains_raise_the_level_and_speech_counts_on_dialogue_alone():
    clip = Clip("c", "k", 0, 0, 10 * RATE_HZ, gain_db=2.0)
    track = Track("1", "v", Role.DIALOGUE, clips=(clip,))
    energy = energy_at((-23, 5), (-15, 5))[:, None]  # five seconds of noise behind the words
    speech = {"k": [SpeechSpan(0, 5 * RATE_HZ, 1.0)]}

    def lufs(one=clip, of=track):
        return level_of_clip(one, of, 1.0, energy, speech).level_lufs

    assert lufs() == pytest.approx(-20.0, abs=0.05)
    assert lufs(replace(clip, left_out=(SampleSpan(0, RATE_HZ),))) == pytest.approx(-20.0, abs=0.05)
    assert lufs(replace(clip, length_samples=9_600)) == pytest.approx(-20.0, abs=0.1)
    assert lufs(of=replace(track, role=Role.EFFECTS)) == pytest.approx(-14.4, abs=0.2)
    assert lufs(replace(clip, is_room_tone=True)) == pytest.approx(-14.4, abs=0.2)
    assert level_of_clip(clip, track, 0.0, np.zeros((1_000, 1)), speech).level_lufs is None


@pytest.mark.parametrize("n_hops", [0, 1, 10, 39, 40])
def test_short_clips_have_a_level_or_none(n_hops):
    energy = energy_at((-20, n_hops / 100))
    level = clip_level(energy, np.zeros(n_hops, bool)).level_lufs
    assert level is None if n_hops == 0 else level == pytest.approx(-20.0, abs=0.01)


def test_the_range_of_a_clip_is_that_of_a_signal_where_it_is_long_enough():
    # EBU Tech 3342: two stretches ten LU apart have a range of ten LU.
    energy = energy_at((-30, 20), (-20, 20))
    assert clip_level(energy, np.zeros(len(energy), bool)).range_lu == pytest.approx(10.0, abs=0.5)
    short = energy_at((-30, 2), (-20, 1.9))
    assert clip_level(short, np.zeros(len(short), bool)).range_lu is None


@pytest.mark.parametrize(("above_lu", "is_outlier"), [(8.0, False), (10.5, True), (20.0, True)])
def test_an_outlier_lies_far_above_the_loud_parts_of_the_speech(above_lu, is_outlier):
    energy = energy_at((-30, 3), (-30 + above_lu, 0.2), (-30, 5))
    level = clip_level(energy, spoken(energy, (0, 8.2)))
    assert bool(level.outliers) == is_outlier


@pytest.mark.parametrize("share", [0.05, 0.1, 0.2, 0.5, 1.0])
@pytest.mark.parametrize("name", ["prompts-en.ogg", "prompts-fr.ogg", "reading.flac"])
def test_silence_around_speech_changes_no_level(name, share):
    """The recordings of the tests' data, with room noise 40 dB under them before and behind."""
    audio = voice(name)
    n_hops = len(audio) // HOP
    alone = (audio[: n_hops * HOP].astype(np.float64) ** 2).reshape(-1, HOP).sum(axis=1)
    around = round(n_hops * (1.0 / share - 1.0) / 2)
    room = np.full(around, alone.mean() * 1e-4)
    energy = np.concatenate([room, alone, room])
    mask = np.zeros(len(energy), bool)
    mask[around : around + n_hops] = alone > alone.mean() * 1e-2
    expected = clip_level(alone, mask[around : around + n_hops])
    found = clip_level(energy, mask)
    assert found.outliers == tuple(replace(s, start_sample=s.start_sample + around * HOP) for s in expected.outliers)
    assert found.level_lufs == pytest.approx(expected.level_lufs, abs=0.15)
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    spans = [SampleSpan(int(a) * HOP, int(b - a) * HOP) for a, b in zip(edges[::2], edges[1::2], strict=True)]
    moved = [replace(span, start_sample=span.start_sample - around * HOP) for span in spans]
    levels = [[one.level_lufs for one in phrases(*given)] for given in ((energy, spans), (alone, moved))]
    assert len(levels[1]) > 3 and levels[0] == pytest.approx(levels[1], abs=0.15)
