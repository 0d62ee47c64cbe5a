"""Ducking that follows: speech through clips, clearance reached and no deeper, shares, floors, what cannot be met."""

from dataclasses import replace

import numpy as np
import pytest

from recitant_core.balance.closeness import diagnoses
from recitant_core.balance.speech_figures import speech_figures
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.errors import PlanError
from recitant_core.gain.duck_drawing import point_moved
from recitant_core.gain.duck_rule import DuckAim, DuckKind, DuckRule, LiveKey, Room
from recitant_core.gain.ducking import DuckPoint, dips, hop_gains_db, travel_db_per_min
from recitant_core.gain.trim import trim_lowered
from recitant_core.interchange.plan_json import plan_from_data, plan_to_data, rule_from_data, rule_to_data
from recitant_core.measure.clearance import close_passages
from recitant_core.render.ducking_update import follow, needs_db
from recitant_core.render.scene import scene_of
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.curve_edits import stretch_raised
from recitant_core.timeline.edits import set_clips
from recitant_core.timeline.model import Clip, Duck, Plan, Track
from recitant_core.timeline.speech import speech_in_programme, speech_of_clip
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role
from signals import MemorySource, programme

SECONDS = 120
HOPS = SECONDS * 100
SPEC = spec_by_id("ebu-r128")


def steady(lufs, hops=HOPS, seed=None):
    power = 10 ** ((lufs + 0.691) / 10) * 480
    jitter = 1.0 if seed is None else np.random.default_rng(seed).uniform(0.4, 1.6, hops)
    return np.full((hops, 1), power) * (jitter if seed is None else jitter[:, None])


def talk(starts=(10, 40, 44.5, 80), length_s=4, lufs=-23.0):
    """A plan with a voice at these seconds over music, effects and atmosphere; energies and speech."""
    clips = tuple(
        Clip(f"v{i}", "voice", round(start * RATE_HZ), 0, length_s * RATE_HZ, name=f"line {i}")
        for i, start in enumerate(starts)
    )
    tracks = (
        Track("1", "voice", Role.DIALOGUE, clips=clips),
        Track("2", "music", Role.MUSIC, clips=(Clip("m", "music", 0, 0, SECONDS * RATE_HZ, name="bed"),)),
        Track("3", "hits", Role.EFFECTS, clips=(Clip("e", "hits", 41 * RATE_HZ, 0, 2 * RATE_HZ, name="hit"),)),
        Track("4", "room", Role.ATMOSPHERE, clips=(Clip("a", "room", 0, 0, SECONDS * RATE_HZ, name="room"),)),
    )
    energies = {
        "voice": steady(lufs, length_s * 100),
        "music": steady(-25.0, seed=1),
        "hits": steady(-24.0, 400),
        "room": steady(-45.0),
    }
    speech = {"voice": [SpeechSpan(9_600, length_s * RATE_HZ - 19_200, 0.9)]}
    return Plan("t", "25", tracks), energies, speech


def followed(plan, energies, speech, asked_lu=7.0):
    scene = scene_of(plan, energies, speech)
    return follow(scene, speech, asked_lu), scene


MUSIC = Duck("m", Role.MUSIC)
EFFECTS = Duck("e", Role.EFFECTS)


def test_speech_falls_in_the_programme_through_the_clips():
    clip = Clip("c", "k", 100_000, 5_000, 20_000)
    speech = {"k": [SpeechSpan(0, 4_000, 0.9), SpeechSpan(4_500, 1_000, 0.9), SpeechSpan(24_000, 9_000, 0.7)]}
    assert [(s.start_sample, s.length_samples) for s in speech_of_clip(clip, speech)] == [
        (100_000, 500),
        (119_000, 1_000),
    ]
    plan, _, _ = talk()
    sung = replace(plan, tracks=(replace(plan.tracks[1], clips=(Clip("x", "voice", 0, 0, 99_999),)), *plan.tracks[2:]))
    assert speech_in_programme(sung, {"voice": [SpeechSpan(0, 99_999, 1.0)]}) == ()  # a vocal in the music
    quiet = replace(plan, tracks=(replace(plan.tracks[0], gain_db=-96.0), *plan.tracks[1:]))
    assert speech_in_programme(quiet, {"voice": [SpeechSpan(0, 99_999, 1.0)]}) == ()


def test_clearance_is_reached_and_no_deeper_than_it_takes():
    plan, energies, speech = talk()
    plan = replace(plan, ducks=(MUSIC, EFFECTS))
    made, scene = followed(plan, energies, speech)
    clear = scene.clearance(made)
    assert len(close_passages(scene.clearance(plan), 7.0)) == 4
    assert close_passages(clear, 7.0) == []
    inside = clear[1_050:1_350]  # the first line, over music alone
    assert 7.0 <= np.median(inside) < 9.0
    music = made.ducks[0].points
    assert len(dips(music)) == 3  # the second and third line are bridged
    assert hop_gains_db(music, HOPS)[3_000] == 0.0


def test_it_follows_when_speech_moves_and_keeps_what_was_drawn():
    plan, energies, speech = talk()
    made, _ = followed(replace(plan, ducks=(MUSIC,)), energies, speech)
    drawn = point_moved(made.ducks[0].points, 1, made.ducks[0].points[1].at_sample, -3.0)
    last = replace(plan.tracks[0].clips[3], start_sample=100 * RATE_HZ)
    moved = replace(plan.tracks[0], clips=(*plan.tracks[0].clips[:3], last))
    plan = replace(plan, tracks=(moved, *plan.tracks[1:]), ducks=(replace(MUSIC, points=drawn),))
    again, _ = followed(plan, energies, speech)
    gains = hop_gains_db(again.ducks[0].points, HOPS)
    assert gains[8_200] == 0.0 and gains[10_200] < -3.0
    assert [p for p in again.ducks[0].points if p.is_pinned] == [p for p in drawn if p.is_pinned]


def test_frozen_curves_stay():
    plan, energies, speech = talk()
    points = (DuckPoint(0, -5.0),)
    frozen = replace(MUSIC, rule=DuckRule(is_frozen=True), points=points)
    made, _ = followed(replace(plan, ducks=(frozen,)), energies, speech)
    assert made.ducks[0].points == points


def test_a_fixed_depth_dips_only_where_something_sounds():
    plan, energies, speech = talk()
    short = replace(plan.tracks[1], clips=(replace(plan.tracks[1].clips[0], length_samples=60 * RATE_HZ),))
    plan = replace(plan, tracks=(plan.tracks[0], short, *plan.tracks[2:]))
    duck = replace(MUSIC, rule=DuckRule(aim=DuckAim.DEPTH, depth_db=8.0))
    made, _ = followed(replace(plan, ducks=(duck,)), energies, speech)
    gains = hop_gains_db(made.ducks[0].points, HOPS)
    assert gains[1_200] == -8.0 and gains[8_200] == 0.0


def test_only_chosen_tracks_key():
    plan, energies, speech = talk()
    second = Track("9", "other", Role.DIALOGUE, clips=(Clip("o", "voice", 60 * RATE_HZ, 0, 4 * RATE_HZ),))
    plan = replace(plan, tracks=(*plan.tracks, second), ducks=(replace(MUSIC, rule=DuckRule(keys=("9",))),))
    made, _ = followed(plan, energies, speech)
    gains = hop_gains_db(made.ducks[0].points, HOPS)
    assert gains[6_200] < -3.0 and gains[1_200] == 0.0


def test_no_speech_at_all_makes_no_curve():
    plan, energies, _ = talk()
    made, scene = followed(replace(plan, ducks=(MUSIC, EFFECTS)), energies, {})
    assert all(duck.points == () for duck in made.ducks)
    assert scene.speech == () and close_passages(scene.clearance(made), 7.0) == []


def test_nothing_but_speech_needs_no_dip():
    plan, energies, speech = talk()
    made, _ = followed(replace(plan, tracks=plan.tracks[:1], ducks=(MUSIC,)), energies, speech)
    assert made.ducks[0].points == ()


def test_what_cannot_be_met_says_by_how_much_and_what_stands_in_the_way():
    plan, energies, speech = talk(lufs=-45.0)
    shallow = replace(MUSIC, rule=DuckRule(floor_db=-6.0))
    made, scene = followed(replace(plan, ducks=(shallow,)), energies, speech)
    found = diagnoses(scene, made, energies, speech, SPEC, 7.0)
    assert len(found) == 4 and found[0].stands_in_the_way in ("", "floor")
    assert found[0].cause == "clip-under-aim" and found[0].cause_share == pytest.approx(22.0, abs=0.2)
    assert found[0].cures[0].code == "raise-clip" and found[0].short_lu == pytest.approx(21, abs=2.0)
    level, _, _ = talk(lufs=-23.0)
    loud = {**energies, "voice": steady(-23.0, 400), "music": steady(-10.0)}
    made, scene = followed(replace(level, ducks=(shallow,)), loud, speech)
    worst = diagnoses(scene, made, loud, speech, SPEC, 7.0)[0]
    assert (worst.cause, worst.stands_in_the_way) == ("music", "floor")
    assert worst.cures[-1].code == "raise-phrase" and worst.cures[-1].by_db == pytest.approx(14.3, abs=0.3)


def test_every_cure_cures_what_it_promises():
    plan, energies, speech = talk()
    scene = scene_of(plan, energies, speech)
    found = diagnoses(scene, plan, energies, speech, SPEC, 7.0)
    assert [one.cause for one in found][:2] == ["music", "music"]
    assert [cure.code for cure in found[0].cures] == ["add-duck", "trim-scene", "raise-phrase"]
    span = found[0].passage.span
    _, scene_lowered, phrase_raised = found[0].cures
    trim = trim_lowered(plan.stem_trim(Role.MUSIC), span.start_sample, -scene_lowered.by_db, plan.span.end_sample)
    raised = set_clips(plan, [phrase_raised.target_id], lambda clip: stretch_raised(clip, span, phrase_raised.by_db))
    for cure, after in ((scene_lowered, replace(plan, stem_trims={Role.MUSIC: trim})), (phrase_raised, raised)):
        left = close_passages(scene_of(after, energies, speech).clearance(after), 7.0)
        assert cure.cures and all(p.span.intersect(span) is None for p in left)


def test_an_effect_in_the_way_can_be_lowered():
    plan, energies, speech = talk(starts=(40,))
    plan = replace(plan, tracks=(plan.tracks[0], *plan.tracks[2:]))
    found = diagnoses(scene_of(plan, energies, speech), plan, energies, speech, SPEC, 7.0)
    assert found[0].cause == "effects" and found[0].cause_name == "hits"
    lower = next(cure for cure in found[0].cures if cure.code == "lower-clip")
    assert lower.target_id == "e" and lower.by_db == pytest.approx(6.3, abs=0.3) and lower.cures


def test_speech_that_is_not_heard_is_said_to_be_so():
    plan, energies, _ = talk(starts=(40,))
    speech = {"voice": [SpeechSpan(0, 4 * RATE_HZ, 1.0)]}
    energies["voice"] = np.zeros((400, 1))
    found = diagnoses(scene_of(plan, energies, speech), plan, energies, speech, SPEC, 7.0)
    assert found[0].cause == "silent-speech"


def test_the_loudest_give_way_first_and_end_at_one_level():
    loud, quiet = np.full(5, 4.0), np.full(5, 1.0)
    needs = needs_db([loud, quiet], np.zeros(5), np.full(5, 30.0), [10.0, 10.0])  # 3.0 allowed together
    assert needs[0] == pytest.approx(np.full(5, 10 * np.log10(2.0 / 4.0)))
    assert needs[1] == pytest.approx(np.zeros(5))
    both = needs_db([loud, quiet], np.zeros(5), np.full(5, 10.0), [10.0, 10.0])  # 1.0: half each
    assert 4.0 * 10 ** (both[0][0] / 10) == pytest.approx(0.5) == 1.0 * 10 ** (both[1][0] / 10)
    hopeless = needs_db([loud], np.full(5, 9.0), np.full(5, 10.0), [10.0])
    # 1.0 is allowed and the others make 9: taken away whole it would win nothing that is heard.
    assert 4.0 * 10 ** (hopeless[0] / 10) == pytest.approx(np.full(5, 0.12 * 9.0))
    three = [np.random.default_rng(i).uniform(0, 5, 200) for i in range(3)]
    found = needs_db(three, np.full(200, 0.5), np.full(200, 40.0), [10.0] * 3)
    total = 0.5 + sum(p * 10 ** (n / 10) for p, n in zip(three, found, strict=True))
    assert (total <= 4.0 + 1e-9).all()
    assert (np.isclose(total, 4.0) | (sum(three) + 0.5 <= 4.0)).all()  # no deeper than it takes


def test_room_is_made_only_as_far_as_the_voices_range_needs_it():
    plan, energies, speech = talk()
    duck = replace(MUSIC, rule=DuckRule(room=Room(True, most_db=6.0), uses_level=False))
    scene = scene_of(replace(plan, ducks=(duck,)), energies, speech)
    bands = {"voice": steady(-24.0, 400), "music": steady(-29.0), "hits": np.zeros((400, 1)), "room": steady(-60.0)}
    made = follow(scene, speech, 7.0, lambda key, _centre, _width: bands[key])
    room = made.ducks[0].room_points
    assert hop_gains_db(room, HOPS)[1_200] == pytest.approx(-2.3, abs=0.1)  # 7 asked, 0.3 to be sure, 5 there
    assert made.ducks[0].points == ()
    off = replace(duck, rule=DuckRule(), room_points=room)
    scene = scene_of(replace(plan, ducks=(off,)), energies, speech)
    assert follow(scene, speech, 7.0, lambda key, *_: bands[key]).ducks[0].room_points == ()


def test_continuous_talk_is_calm():
    plan, energies, _ = talk(starts=(1,), length_s=110)
    energies["voice"] = steady(-23.0, 11_000)
    speech = {"voice": [SpeechSpan(i * 3 * RATE_HZ, round(2.2 * RATE_HZ), 0.9) for i in range(36)]}
    made, scene = followed(replace(plan, ducks=(MUSIC, EFFECTS)), energies, speech)
    for duck in made.ducks:
        assert travel_db_per_min(duck.points, made.span.length_samples) < 60
    assert close_passages(scene.clearance(made), 7.0) == []


def test_figures_of_speech():
    plan, energies, speech = talk(starts=(10, 60))
    scene = scene_of(plan, energies, speech)
    stems = {t.role: scene.tracks[t.track_id] for t in plan.tracks}
    figures = speech_figures(stems, scene.is_speech)
    assert figures.speech_share == pytest.approx(2 * 3.6 / SECONDS, abs=0.001)
    assert figures.dialogue_lufs == pytest.approx(-23.0, abs=0.05)
    assert figures.in_speech_lufs[Role.MUSIC] == pytest.approx(-25.0, abs=0.1)
    assert figures.outside_speech_lufs[Role.DIALOGUE] is None or figures.outside_speech_lufs[Role.DIALOGUE] < -23.0


RULE = DuckRule(
    kind=DuckKind.LIVE, keys=("1",), clearance_lu=9.0, bridge_s=3.0, room=Room(True, 900.0), live=LiveKey(ratio=4.0)
)


def test_rules_and_curves_survive_the_plans_data():
    assert rule_from_data(rule_to_data(RULE)) == RULE
    assert rule_to_data(DuckRule()) == {}
    track = Track("0", "v", Role.DIALOGUE, clips=(Clip("c", "k", 0, 0, 48_000),))
    other = Track("1", "m", Role.MUSIC, clips=(Clip("d", "k", 0, 0, 48_000),))
    points = (DuckPoint(0, -3.0), DuckPoint(48_000, -4.5, True))
    ducks = (Duck("0", Role.MUSIC, "", RULE, points), Duck("1", None, "1", DuckRule(), points, points[:1]))
    data = plan_to_data(Plan("t", "25", (track, other), {}, ducks=ducks), {"k": "a.wav"})
    again = plan_from_data(data, {"a.wav": MemorySource("k", programme(1, 2.0, 1))})
    assert again.ducks == ducks


@pytest.mark.parametrize(
    "data",
    [
        {"kind": "magic"},
        {"aim": "none"},
        {"depth_db": "deep"},
        {"bridge_s": -1},
        {"room": {"centre_hz": 1}},
        {"live": {"ratio": 0.5}},
        {"colour": 1},
        {"room": {"colour": 1}},
    ],
)
def test_rules_that_make_no_sense_are_refused(data):
    with pytest.raises(PlanError):
        rule_from_data(data)


def test_plans_with_ducking_that_makes_no_sense_are_refused():
    source = {"a.wav": MemorySource("k", programme(1, 2.0, 1))}
    track = {"name": "v", "role": "dialogue", "clips": [{"file": "a.wav"}]}
    base = {"plan": 1, "title": "t", "frame_rate": "25", "tracks": [track]}
    for ducking, code in (
        ([{"stem": "narration"}], "duck_of_narration"),
        ([{"track": 7}], "duck_track"),
        ([{"stem": "music", "points": [[1, -3], [0.5, 0]]}], "curve_out_of_order"),
    ):
        with pytest.raises(PlanError) as refused:
            plan_from_data({**base, "ducking": ducking}, source)
        assert refused.value.code == code


def test_a_phrase_far_under_its_clip_is_what_is_to_be_raised_and_once():
    plan, energies, _ = talk(starts=(10,), length_s=12)
    loud, low = steady(-23.0, 500), steady(-38.0, 500)
    energies["voice"] = np.concatenate([loud, steady(-90.0, 200), low])
    speech = {"voice": [SpeechSpan(0, 5 * RATE_HZ, 0.9), SpeechSpan(7 * RATE_HZ, 5 * RATE_HZ, 0.9)]}
    found = diagnoses(scene_of(plan, energies, speech), plan, energies, speech, SPEC, 7.0)
    low_one = next(one for one in found if one.passage.span.start_sample >= 16 * RATE_HZ)
    assert low_one.cause == "phrase-under-aim" and low_one.cause_share == pytest.approx(15.0, abs=0.5)
    raises = [cure for cure in low_one.cures if cure.code.startswith("raise")]
    assert [cure.code for cure in raises] == ["raise-phrase"] and raises[0].by_db == pytest.approx(15.0, abs=0.5)


def test_a_clip_that_moves_is_heard_where_it_lies_now():
    # Results are kept by what makes them: the same energies elsewhere are other energies.
    plan, energies, speech = talk()
    before = scene_of(plan, energies, speech)
    hits = plan.tracks[2]
    later = replace(hits, clips=tuple(replace(c, start_sample=c.start_sample + 70 * 480) for c in hits.clips))
    moved = scene_of(replace(plan, tracks=(*plan.tracks[:2], later, plan.tracks[3])), energies, speech)
    assert moved.tracks["3"][70:] == pytest.approx(before.tracks["3"][:-70])
    assert moved.stems[Role.EFFECTS][70:] == pytest.approx(before.stems[Role.EFFECTS][:-70])
    assert not np.array_equal(moved.own_clearance, before.own_clearance)
    # And an earlier state comes back as it was.
    assert np.array_equal(scene_of(plan, energies, speech).own_clearance, before.own_clearance)


@pytest.mark.parametrize(("track_db", "stem_db", "programme_db"), [(6.0, 0.0, 0.0), (0.0, 6.0, 0.0), (2.0, 3.0, 1.0)])
def test_a_clip_is_raised_by_what_it_lacks_behind_every_gain(track_db, stem_db, programme_db):
    plan, energies, speech = talk(starts=(10,), lufs=-45.0)
    voice, *others = plan.tracks
    plan = replace(
        plan,
        tracks=(replace(voice, gain_db=track_db), *others),
        stem_gains_db={Role.DIALOGUE: stem_db},
        programme_gain_db=programme_db,
    )
    found = diagnoses(scene_of(plan, energies, speech), plan, energies, speech, SPEC, 7.0)
    raised = next(cure for cure in found[0].cures if cure.code == "raise-clip")
    # 22 LU under its aim of -23, six of them made up by faders.
    assert raised.by_db == pytest.approx(16.0, abs=0.2)


def test_shares_of_the_rest_are_those_behind_the_ducking():
    plan, energies, speech = talk(starts=(40,), lufs=-40.0)
    energies = {**energies, "music": steady(-30.0), "hits": steady(-40.0, 400)}
    down = DuckPoint(39 * RATE_HZ, -20.0), DuckPoint(46 * RATE_HZ, -20.0)
    ducked = replace(plan, ducks=(replace(MUSIC, rule=DuckRule(is_frozen=True, floor_db=-40.0), points=down),))
    found = diagnoses(scene_of(ducked, energies, speech), ducked, energies, speech, SPEC, 7.0)[0]
    # Music at -30 lowered by 20 dB lies 10 dB under the hits at -40, that sound for half of the line.
    assert found.cause in ("effects", "clip-under-aim")
    lowered = [cure.target_id for cure in found.cures if cure.code == "lower-clip"]
    assert lowered == ["e"]


def test_a_cure_that_is_not_enough_says_so():
    plan, energies, speech = talk(starts=(10,), lufs=-30.0)
    loud = {**energies, "music": steady(-12.0)}
    found = diagnoses(scene_of(plan, loud, speech), plan, loud, speech, SPEC, 7.0)[0]
    raised = next(cure for cure in found.cures if cure.code.startswith("raise"))
    # Seven LU up bring -30 to the aim; the music stands 18 over it and seven more are asked for.
    assert raised.by_db < found.short_lu and not raised.cures
    quiet = {**energies, "music": steady(-26.0)}
    found = diagnoses(scene_of(plan, quiet, speech), plan, quiet, speech, SPEC, 1.0)[0]
    raised = next(cure for cure in found.cures if cure.code.startswith("raise"))
    assert raised.by_db >= found.short_lu and raised.cures
