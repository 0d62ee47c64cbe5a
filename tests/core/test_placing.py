"""Placing: well placed stems stay, none is lifted by more than six dB, scenes that lie apart are trimmed."""

import numpy as np
import pytest

from recitant_core.balance.placing import MOST_LIFT_DB, Lines, Voices, music_leads, placed
from recitant_core.units.roles import Role

AIM = -23.0
MINUTE = 6_000


def steady(lufs, hops=2 * MINUTE):
    return np.full(hops, 480 * 10 ** ((lufs + 0.691) / 10))


def power(lufs, hops=2 * MINUTE):
    return steady(lufs, hops) / 480


def voices(first=0, last=0, hops=2 * MINUTE):
    """Words at the aim between two hops."""
    talk = np.zeros(hops, bool)
    talk[first:last] = True
    return Voices(np.where(talk, power(AIM, hops), 0.0), talk, talk)


def lines(open_lu=-4.0, under_lu=-12.0):
    return Lines(AIM + open_lu, AIM + under_lu, 12.0, 9.0)


def place(energy, role=Role.MUSIC, found=None, nearer_lu=0.0):
    return placed(energy, role, lines(-4.0 + nearer_lu, -12.0 + nearer_lu), found or voices(2_000, 5_000), nearer_lu)


def test_what_comes_in_well_placed_stays():
    for lufs in (-25.0, -27.0, -29.5):
        assert place(steady(lufs)).gain_db == 0.0 and place(steady(lufs)).trim == ()


def test_what_is_too_loud_comes_down_and_what_is_low_comes_up_by_six_at_the_most():
    assert place(steady(-15.0)).gain_db == pytest.approx(-12.0)
    assert place(steady(-31.5)).gain_db == pytest.approx(4.5)
    far = place(steady(-46.0))
    assert (far.gain_db, far.short_db) == (MOST_LIFT_DB, pytest.approx(13.0))
    assert place(np.zeros(2 * MINUTE)).level_lufs is None


def test_nearness_moves_every_stem_by_the_same():
    for lufs in (-15.0, -27.0, -29.0):
        middle = place(steady(lufs)).gain_db
        assert place(steady(lufs), nearer_lu=4.0).gain_db == pytest.approx(middle + 4.0)
        assert place(steady(lufs), nearer_lu=-4.0).gain_db == pytest.approx(middle - 4.0)


def test_a_bed_that_is_heard_under_speech_alone_may_lie_between_its_levels():
    under = voices(0, 2 * MINUTE)
    assert place(steady(-33.0), found=under).gain_db == 0.0
    assert place(steady(-40.0), found=under).gain_db == pytest.approx(5.0)


def test_a_room_is_left_unless_it_lies_far_off():
    room = Lines(AIM - 15.0, AIM - 15.0, 0.0, 12.0)
    assert placed(steady(-43.0), Role.ATMOSPHERE, room, voices(2_000, 5_000), 0.0).gain_db == 0.0
    assert placed(steady(-48.0), Role.ATMOSPHERE, room, voices(2_000, 5_000), 0.0).gain_db == pytest.approx(4.0)
    assert placed(steady(-30.0), Role.ATMOSPHERE, room, voices(2_000, 5_000), 0.0).gain_db == pytest.approx(-8.0)


def test_a_second_half_that_lies_nine_lower_is_trimmed_up_and_no_further_than_six():
    energy = np.concatenate([steady(-27.0), steady(-36.0)])
    found = place(energy, found=voices(500, 3_000, 4 * MINUTE))
    assert [round(scene.gain_db) for scene in found.trim] == [0, 6] and found.gain_db == 0.0
    quiet = place(np.concatenate([steady(-27.0), steady(-46.0)]), found=voices(500, 3_000, 4 * MINUTE))
    assert max(scene.gain_db for scene in quiet.trim) == pytest.approx(MOST_LIFT_DB)
    dying = place(energy, Role.EFFECTS, voices(500, 3_000, 4 * MINUTE))
    assert dying.trim == ()  # effects are quiet on purpose


def test_what_dips_cannot_reach_is_trimmed_scene_by_scene():
    energy = np.concatenate([steady(-27.0), steady(-9.0)])
    found = place(energy, found=voices(3 * MINUTE, 4 * MINUTE, 4 * MINUTE))
    after = -9.0 + found.gain_db + found.trim[-1].gain_db
    assert after - 10.5 <= AIM - 9.0 + 0.2  # what is left, a dip of the clear kind reaches


def test_music_leads_where_it_carries_the_programme():
    music, speech = steady(-18.0), np.zeros(2 * MINUTE)
    few = voices(2_000, 2_600)
    speech[2_000:2_600] = steady(-23.0, 600)
    assert music_leads(music, speech, few, few.is_talk)
    assert not music_leads(steady(-35.0), speech, few, few.is_talk)  # a quiet bed
    many = voices(2_000, 8_000)
    assert not music_leads(music, speech, many, many.is_talk)
    sting = np.zeros(2 * MINUTE)
    sting[:1_500] = steady(-18.0, 1_500)
    assert not music_leads(sting, speech, few, few.is_talk)


def struck(*levels_lufs):
    """Hits of half a second at levels, ten seconds apart, silence between."""
    energy = np.full(2 * MINUTE, 1e-12)
    for index, lufs in enumerate(levels_lufs):
        energy[500 + 1_000 * index : 550 + 1_000 * index] = steady(lufs, 50)
    return energy


def test_one_loud_hit_sets_no_fader():
    usual = place(struck(-27.0, -28.0, -26.0, -27.0), Role.EFFECTS)
    with_one = place(struck(-27.0, -28.0, -8.0, -27.0), Role.EFFECTS)
    assert usual.gain_db == with_one.gain_db == 0.0
    assert with_one.level_lufs == pytest.approx(-28.0, abs=1.5)
    assert place(struck(-12.0, -13.0, -11.0, -12.0), Role.EFFECTS).gain_db < -12.0


def test_no_scene_is_raised_where_a_dip_within_twenty_seconds_lowers_it():
    quiet_first = np.concatenate([steady(-36.0, MINUTE), steady(-27.0, 3 * MINUTE)])
    long = 4 * MINUTE
    apart = placed(quiet_first, Role.MUSIC, lines(), voices(3 * MINUTE, 4 * MINUTE, long), 0.0)
    near = placed(quiet_first, Role.MUSIC, lines(), voices(MINUTE // 2, MINUTE, long), 0.0)
    assert max((scene.gain_db for scene in apart.trim), default=0.0) > 0.0
    assert max((scene.gain_db for scene in near.trim), default=0.0) <= 0.0
