"""The phrase ride: most of the way and not all, in pauses only, held back by noise, one speaker moved alike."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.balance.phrase_ride import (
    KEPT_SHARE,
    RUN_ON_DB_PER_S,
    Held,
    PhraseGain,
    RideLimits,
    curve_over,
    group_gain_db,
    phrase_gains,
    ride_over,
)
from recitant_core.gain.envelope import curve_db
from recitant_core.measure.phrases import Phrase

AIM = -23.0


def phrase(at_s, level, noise=-90.0, length_s=3.0):
    return Phrase(round(at_s * 100), round((at_s + length_s) * 100), level, noise)


def gains_of(*gains_db):
    return [PhraseGain(gain_db, False, gain_db) for gain_db in gains_db]


def levels_after(found, group=None):
    gains = phrase_gains(found, group or found, AIM, RideLimits())
    return [p.level_lufs + g.gain_db for p, g in zip(found, gains, strict=True)]


def test_an_eighth_of_every_difference_is_kept_about_the_aim():
    found = [phrase(0, -35.0), phrase(5, -23.0), phrase(10, -15.0)]
    assert levels_after(found) == pytest.approx([AIM - 12 * KEPT_SHARE, AIM, AIM + 8 * KEPT_SHARE])
    assert 0.1 <= KEPT_SHARE <= 0.25  # a whisper stays one


def test_a_recording_that_is_low_as_a_whole_is_moved_as_a_whole():
    found = [phrase(0, -45.0), phrase(5, -43.0), phrase(10, -44.0)]
    assert group_gain_db(found, AIM) == pytest.approx(21.0)
    assert np.median(levels_after(found)) == pytest.approx(AIM)


def test_a_speaker_is_moved_alike_in_every_clip():
    loud, soft = phrase(0, -20.0), phrase(0, -30.0)
    alone = levels_after([soft])[0]
    together = levels_after([soft], [loud, loud, soft])[0]
    assert alone == pytest.approx(AIM) and together == pytest.approx(AIM - 10 * KEPT_SHARE)


def test_noise_comes_up_the_less_the_nearer_it_is():
    usual = [phrase(i, -23.0, noise=-50.0) for i in (0, 5, 10)]
    low = phrase(15, -35.0, noise=-50.0)  # steady noise: raised with the phrase
    gain = phrase_gains([low], [*usual, low], AIM, RideLimits())[0]
    assert gain.gain_db == pytest.approx(4.5) and gain.is_held  # 15 LU under the phrase
    take = phrase(15, -35.0, noise=-62.0)  # recorded lower with all its noise: nothing is in the way
    assert not phrase_gains([take], [*usual, take], AIM, RideLimits())[0].is_held
    covered = phrase_gains([low], [*usual, low], AIM, RideLimits(), masks_lufs=[-40.0])[0]
    assert covered.gain_db == pytest.approx(10.0) and covered.is_held  # up to what else sounds there
    buried = phrase(15, -40.0, noise=-45.0)
    assert phrase_gains([buried], [*usual, buried], AIM, RideLimits())[0].gain_db == pytest.approx(0.0)


def test_noise_that_nobody_hears_holds_nothing_back():
    usual = [phrase(i, -23.0, noise=-85.0) for i in (0, 5, 10)]
    low = phrase(15, -35.0, noise=-85.0)
    assert not phrase_gains([low], [*usual, low], AIM, RideLimits())[0].is_held


def test_the_curve_stands_still_under_words_and_moves_in_pauses():
    found = [phrase(1, -29.0), phrase(8, -20.0), phrase(11.4, -33.0)]
    gains = phrase_gains(found, found, AIM, RideLimits())
    gain_db, points = ride_over(found, gains, 16 * 48_000)
    for one, wanted in zip(found, gains, strict=True):
        places = np.linspace(one.first_hop * 480, one.last_hop * 480, 50)
        assert curve_db(points, places) + gain_db == pytest.approx(np.full(50, wanted.gain_db), abs=0.06)


def test_it_stands_still_under_onsets_and_tails_too():
    found = [replace(phrase(1, -29.0), tail_hops=30), replace(phrase(4.6, -20.0), onset_hops=20)]
    gains = phrase_gains(found, found, AIM, RideLimits())
    gain_db, points = ride_over(found, gains, 10 * 48_000)
    for places, wanted in ((np.arange(100, 430), gains[0]), (np.arange(440, 760), gains[1])):
        assert curve_db(points, places * 480.0) + gain_db == pytest.approx(
            np.full(len(places), wanted.gain_db), abs=0.06
        )


def test_where_turns_follow_at_once_it_moves_slowly_and_the_louder_one_decides():
    loud, soft = phrase(0, -17.0), replace(phrase(3.0, -31.0), is_run_on=True)
    gains = phrase_gains([loud, soft], [loud, soft], AIM, RideLimits())
    assert gains[1].gain_db - gains[0].gain_db == pytest.approx(RUN_ON_DB_PER_S)  # a second of it, at the most
    gain_db, points = ride_over([loud, soft], gains, 6 * 48_000)
    curve = curve_db(points, np.arange(600) * 480.0) + gain_db
    assert curve[:300] == pytest.approx(np.full(300, gains[0].gain_db), abs=0.06)
    assert np.abs(np.diff(curve)).max() <= RUN_ON_DB_PER_S / 100 + 0.01


def test_noise_that_is_heard_stays_even_in_the_pauses():
    usual = [phrase(i, -23.0, noise=-45.0) for i in (0, 5, 10)]
    shout = phrase(15, -11.0, noise=-45.0)
    found = [*usual, shout, phrase(20, -23.0, noise=-45.0)]
    gain_db, points = ride_over(found, phrase_gains(found, found, AIM, RideLimits()), 24 * 48_000)
    pauses = curve_db(points, np.array([4.0, 9.0, 14.0, 19.0]) * 48_000) + gain_db
    assert np.ptp(pauses) <= 3.0
    assert curve_db(points, np.array([16.5 * 48_000])) + gain_db < -9.0


def test_a_sound_between_phrases_has_its_own_gain():
    found = [phrase(0, -33.0), phrase(8, -33.0)]
    gain_db, points = ride_over(found, gains_of(10.0, 10.0), 12 * 48_000, [Held(450, 550, -4.0)])
    curve = curve_db(points, np.array([1.5, 4.6, 5.4, 8.1]) * 48_000) + gain_db
    assert curve == pytest.approx([10.0, -4.0, -4.0, 10.0])


def test_phrases_alike_need_no_curve():
    found = [phrase(0, -26.0), phrase(5, -25.2)]
    gain_db, points = ride_over(found, gains_of(3.0, 2.2), 10 * 48_000)
    assert points == () and gain_db == pytest.approx(2.6)


@given(st.lists(st.tuples(st.floats(0.05, 9.0), st.floats(0.3, 6.0), st.floats(-14.0, 14.0)), min_size=1, max_size=12))
def test_points_are_in_order_whatever_the_phrases(parts):
    found, at = [], 0.0
    for pause_s, length_s, _ in parts:
        found.append(phrase(at + pause_s, -23.0, length_s=length_s))
        at += pause_s + length_s
    points = curve_over(found, gains_of(*(gain for _, _, gain in parts)), round(at * 48_000))
    assert all(a.at_sample < b.at_sample for a, b in pairwise(points))


def test_limits_hold_either_way():
    found = [phrase(0, -23.0), phrase(5, -23.0), phrase(10, -23.0), phrase(15, -60.0), phrase(20, -1.0)]
    gains = phrase_gains(found, found, AIM, replace(RideLimits(), most_db=8.0))
    assert [g.gain_db for g in gains[3:]] == pytest.approx([8.0, -8.0])
