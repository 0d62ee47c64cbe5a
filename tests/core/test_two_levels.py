"""Two levels: one depth a run of talk, music first, effects where they mask, atmosphere even, few movements."""

from dataclasses import replace

import numpy as np
import pytest

from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.gain.duck_drawing import point_moved
from recitant_core.gain.duck_rule import CONSONANTS, DuckAim, DuckRule, levels_rule
from recitant_core.gain.ducking import dips, hop_gains_db
from recitant_core.measure.clearance import close_passages
from recitant_core.render import two_levels
from recitant_core.render.ducking_update import follow
from recitant_core.render.scene import scene_of
from recitant_core.render.talk_pauses import travel_budget_db
from recitant_core.render.two_levels import lacking_db
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.edits import set_clips
from recitant_core.timeline.model import Clip, Duck, Plan, Track
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import OPEN_LU, ROLES, UNDER_LU, Role

SECONDS = 180
HOPS = SECONDS * 100


def steady(lufs, hops=HOPS, seed=None):
    power = 10 ** ((lufs + 0.691) / 10) * 480
    jitter = np.ones(hops) if seed is None else np.random.default_rng(seed).uniform(0.4, 1.6, hops)
    return (power * jitter)[:, None]


def film(starts=(10, 50, 56, 120), music=-27.0, effects=None, room=-45.0):
    """Lines of four seconds over music, an effect over the second line, and a room."""
    lines = tuple(Clip(f"v{i}", "voice", round(at * RATE_HZ), 0, 4 * RATE_HZ) for i, at in enumerate(starts))
    whole = SECONDS * RATE_HZ
    tracks = [
        Track("1", "voice", Role.DIALOGUE, clips=lines),
        Track("2", "music", Role.MUSIC, clips=(Clip("m", "music", 0, 0, whole),)),
        Track("3", "hits", Role.EFFECTS, clips=(Clip("e", "hits", 50 * RATE_HZ, 0, 4 * RATE_HZ),)),
        Track("4", "room", Role.ATMOSPHERE, clips=(Clip("a", "room", 0, 0, whole),)),
    ]
    energies = {
        "voice": steady(-23.0, 400),
        "music": steady(music, seed=1),
        "hits": steady(-99.0 if effects is None else effects, 400),
        "room": steady(room),
    }
    ducks = tuple(Duck(role.value, role, rule=levels_rule(role.value)) for role in ROLES[2:])
    plan = Plan("t", "25", tuple(tracks), ducks=ducks)
    return plan, energies, {"voice": [SpeechSpan(0, 4 * RATE_HZ, 0.9)]}


def followed(plan, energies, speech, bands=None):
    scene = scene_of(plan, energies, speech)
    made = follow(scene, speech, 7.0, bands)
    return {duck.duck_id: duck for duck in made.ducks}, scene.clearance(made)


def test_music_goes_to_its_level_under_speech_once_a_run_and_the_room_stays_even():
    made, clear = followed(*film())
    found = dips(made["music"].points)
    assert len(found) == 3  # the second and third line are one run
    # -27 in the open, its loud moments 9 LU under words at -23: some 6 dB.
    assert all(-8.0 <= dip.depth_db <= -5.0 for dip in found)
    assert made["atmosphere"].points == () and made["effects"].points == ()
    assert close_passages(clear, 7.0) == []


def test_effects_go_down_only_where_they_mask():
    made, _ = followed(*film(effects=-45.0))
    assert made["effects"].points == ()
    made, clear = followed(*film(effects=-26.0))
    assert len(dips(made["effects"].points)) == 1 and dips(made["effects"].points)[0].span.start_sample < 51 * RATE_HZ
    assert close_passages(clear, 7.0) == []


def test_no_dip_is_deeper_than_the_rule_lets_it():
    plan, energies, speech = film(music=-12.0)
    made, clear = followed(plan, energies, speech)
    assert min(dip.depth_db for dip in dips(made["music"].points)) == -12.0
    assert close_passages(clear, 7.0)  # not everything is forced clear
    gentle = replace(plan, ducks=(Duck("music", Role.MUSIC, rule=levels_rule("music", 9.0)),))
    assert min(d.depth_db for d in dips(followed(gentle, energies, speech)[0]["music"].points)) == -9.0


def test_a_lower_level_under_speech_is_a_deeper_dip():
    plan, energies, speech = film()
    depths = []
    for under in (-10.0, -13.0, -16.0):
        rule = replace(levels_rule("music", 15.0), under_lu=under)
        one = replace(plan, ducks=(Duck("music", Role.MUSIC, rule=rule),))
        depths.append(dips(followed(one, energies, speech)[0]["music"].points)[0].depth_db)
    assert depths[0] - depths[1] == pytest.approx(2.0, abs=1.1) and depths[1] - depths[2] == pytest.approx(3.0, abs=0.6)


def test_speech_that_is_not_sure_enough_keys_nothing():
    plan, energies, speech = film()
    sure = replace(plan, ducks=(Duck("m", Role.MUSIC, rule=replace(levels_rule("music"), least_confidence=0.95)),))
    assert followed(sure, energies, speech)[0]["m"].points == ()


def test_gaps_are_closed_until_the_curve_moves_no_more_than_is_comfortable():
    starts = tuple(range(5, 170, 10))  # four seconds of words, six of pause
    made, _ = followed(*film(starts=starts, music=-22.0))
    found = dips(made["music"].points)
    travel = 2 * sum(-dip.depth_db for dip in found)
    assert len(found) < len(starts) / 2 and travel <= travel_budget_db(np.zeros(HOPS, bool))
    far = tuple(range(5, 170, 40))  # in a pause of half a minute the music always comes back
    assert len(dips(followed(*film(starts=far, music=-20.0))[0]["music"].points)) == len(far)


@pytest.mark.parametrize("by_db", [-20.0, -6.0, -0.5, 3.0, 12.0])
@pytest.mark.parametrize("clip_id", ["v0", "v2", "m", "e", "a"])
def test_depths_that_are_kept_are_those_that_would_be_found(clip_id, by_db):
    plan, energies, speech = film(effects=-20.0)
    followed(plan, energies, speech)  # everything of the plan before is kept
    edited = set_clips(plan, [clip_id], lambda clip: replace(clip, gain_db=by_db))
    kept = followed(edited, energies, speech)[0]
    for remembered in (two_levels._known, two_levels._curves, two_levels._counted):
        remembered.clear()
    assert followed(edited, energies, speech)[0] == kept


def test_pinned_points_stay():
    plan, energies, speech = film()
    made, _ = followed(plan, energies, speech)
    drawn = point_moved(made["music"].points, 1, made["music"].points[1].at_sample, -3.0)
    again, _ = followed(replace(plan, ducks=(replace(made["music"], points=drawn), *plan.ducks[1:])), energies, speech)
    assert [p for p in again["music"].points if p.is_pinned] == [p for p in drawn if p.is_pinned]


def with_room(music_share, music=-24.0, voice_share=0.1, **more):
    """A film whose rule makes room in the spectrum, with these shares of powers in its band."""
    plan, energies, speech = film(music=music, **more)
    rule = replace(levels_rule("music"), room=CONSONANTS)
    plan = replace(plan, ducks=(Duck("music", Role.MUSIC, rule=rule), *plan.ducks[1:]))
    shares = {"music": music_share, "voice": voice_share}
    made, _ = followed(plan, energies, speech, lambda key, *_: energies[key] * shares.get(key, 0.01))
    return made


def test_room_is_made_where_the_music_covers_the_band_of_the_voice_and_no_dip_is_deeper_for_it():
    without, _ = followed(*film(music=-24.0))
    for music_share, least_db, most_db in ((0.02, 0.0, 0.0), (0.1, -3.5, -1.0), (0.5, -4.0, -4.0)):
        made = with_room(music_share)["music"]
        room_db = hop_gains_db(made.room_points, HOPS)
        assert least_db <= room_db.min() <= most_db, music_share
        assert made.points == without["music"].points


def test_room_has_one_depth_a_run_and_none_in_the_pauses():
    room_db = hop_gains_db(with_room(0.5)["music"].room_points, HOPS)
    for start in (10, 50, 120):
        assert set(room_db[start * 100 : (start + 4) * 100]) == {-4.0}
    assert not room_db[1_800:4_500].any() and not room_db[7_000:11_500].any()


def test_who_makes_little_of_what_covers_the_voice_makes_no_room():
    # The music has a twentieth of the power that the effects have in the band.
    plan, energies, speech = film(music=-30.0, effects=-20.0)
    ducks = tuple(Duck(r.value, r, rule=replace(levels_rule(r.value), room=CONSONANTS)) for r in ROLES[2:4])
    shares = {"voice": 0.1, "music": 0.02, "hits": 0.5}
    made, _ = followed(
        replace(plan, ducks=ducks), energies, speech, lambda key, *_: energies[key] * shares.get(key, 0.0)
    )
    assert made["music"].room_points == () and len(dips(made["effects"].room_points)) == 1


def test_lacking_is_what_one_moment_in_twenty_five_and_one_in_a_hundred_ask_for():
    assert lacking_db(np.zeros(0)) == 0.0 and lacking_db(np.full(100, -5.0)) == 0.0
    often = np.concatenate([np.full(90, 0.0), np.full(10, 4.0)])
    assert lacking_db(often) == pytest.approx(4.0)
    seldom = np.concatenate([np.full(985, 0.0), np.full(15, 9.0)])
    assert lacking_db(seldom) == pytest.approx(6.0)


def test_a_rule_by_hand_begins_with_the_levels_of_its_role():
    assert {role: levels_rule(role).under_lu for role in ("music", "effects", "atmosphere")} == {
        "music": -12.0, "effects": -10.0, "atmosphere": -15.0,
    }  # fmt: skip
    assert levels_rule("music").aim is DuckAim.LEVELS and not levels_rule("music").is_made


def test_the_level_in_the_open_is_the_aim_that_a_stave_shows():
    spec = spec_by_id("ebu-r128")
    for role, under_lu in UNDER_LU.items():
        assert spec.aim_lufs(role) == spec.target_lufs + OPEN_LU[role]
        assert under_lu <= OPEN_LU[role]
    assert spec.aim_lufs("narration") == spec.target_lufs
    assert spec.aim_lufs("effects:foley") == spec.aim_lufs("effects")
    # Common practice: a dip of 6 to 9 dB is gentle, 12 is a lot.
    assert all(6.0 <= OPEN_LU[role] - UNDER_LU[role] <= 12.0 for role in ("music", "effects"))
    assert (DuckRule().open_lu, DuckRule().under_lu) == (OPEN_LU["music"], UNDER_LU["music"])
