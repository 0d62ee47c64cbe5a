"""Performance: what stays of a difference, what is a recording level, and what a voice does in a shout."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.balance.performance import SPREADS, Spoken, recorded_levels
from recitant_core.measure.phrases import Phrase
from recitant_core.measure.voicing import low_share_db

RATE = 48_000


def spoken(*parts, clip="one"):
    """Phrases (level, seconds), a second apart."""
    found, at = [], 0
    for level, seconds in parts:
        found.append(Spoken(Phrase(at, at + round(100 * seconds), level, None), clip))
        at += round(100 * seconds) + 100
    return found


def same(_index):
    return 5.0


def test_a_shout_and_a_whisper_keep_what_a_mixer_leaves_of_them():
    natural = SPREADS["natural"]
    assert 6.0 <= natural.kept_lu(17.0) <= 8.0 and 4.0 <= -natural.kept_lu(-12.0) <= 6.0  # common practice
    assert all(0.25 <= natural.kept_lu(away) / away <= 0.40 for away in (-20.0, -9.0, -3.0, 2.0, 8.0, 20.0))
    assert SPREADS["even"].kept_lu(10.0) < natural.kept_lu(10.0) < SPREADS["dramatic"].kept_lu(10.0)


@given(st.sampled_from(sorted(SPREADS)), st.floats(-40.0, 40.0), st.floats(-40.0, 40.0))
def test_order_is_kept_and_nothing_ends_beyond_eight(name, a, b):
    kept = SPREADS[name].kept_lu
    assert abs(kept(a)) <= 8.0
    assert (kept(a) - kept(b)) * (a - b) >= 0.0


def test_one_phrase_among_others_stands_out_of_their_level():
    found = spoken((-25, 4), (-26, 3), (-9, 0.6), (-25, 4), (-24, 3))
    assert recorded_levels(found, same) == pytest.approx([-25.0] * 5, abs=0.6)


def test_a_stretch_at_another_level_is_of_the_recording_and_its_own_shout_is_told_from_it():
    found = spoken((-25, 4), (-25, 4), (-37, 4), (-24, 1), (-37, 4), (-36, 4), (-25, 4), (-25, 3))
    levels = recorded_levels(found, same)
    assert levels[2] == levels[4] == pytest.approx(-37.0, abs=0.6) and levels[0] == pytest.approx(-25.0)
    assert levels[3] in (levels[2], levels[0])


def test_two_people_who_take_turns_at_two_levels_are_brought_together():
    found = spoken(*[(-30.0 - 0.2 * i, 3) if i % 2 else (-18.0 + 0.1 * i, 3) for i in range(10)])
    levels = recorded_levels(found, same)
    assert max(levels[1::2]) < -28.0 and min(levels[0::2]) > -20.0


def test_what_was_whispered_again_and_again_stays_a_whisper():
    parts = [(-37.0, 4) if i % 3 == 1 else (-25.0, 4) for i in range(12)]
    found = spoken(*parts)
    levels = recorded_levels(found, lambda index: -6.0 if index % 3 == 1 else 5.0)
    assert levels == pytest.approx([-25.0] * 12)
    long = spoken((-25, 4), (-25, 4), (-37, 4), (-37, 4), (-25, 4))
    assert recorded_levels(long, lambda index: -6.0 if index in (2, 3) else 5.0) == pytest.approx([-25.0] * 5)


def test_a_clip_of_its_own_has_a_recording_level_sooner():
    found = [*spoken((-25, 4), (-25, 4)), *spoken((-33, 4), clip="two"), *spoken((-8, 0.7), clip="shout")]
    assert recorded_levels(found, same) == pytest.approx([-25.0, -25.0, -33.0, -33.0])


def test_nothing_spoken_has_no_levels():
    assert recorded_levels([], same) == []


def test_a_voice_without_its_lows_is_told_by_its_spectrum():
    t = np.arange(RATE) / RATE
    voiced = sum(np.sin(2 * np.pi * 120.0 * k * t) / k for k in range(1, 30))
    breath = np.random.default_rng(1).standard_normal(RATE)
    ordinary, hoarse = (low_share_db(one.astype(np.float32)[:, None]) for one in (voiced, breath))
    assert ordinary > 5.0 and hoarse < -6.0
    assert low_share_db(np.zeros((0, 1), np.float32)) == 0.0
