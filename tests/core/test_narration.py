"""Narration: music gives way to it as to dialogue, and dialogue that it is spoken over gives way to it."""

from dataclasses import replace

import numpy as np
import pytest

from recitant_core.errors import PlanError
from recitant_core.gain.duck_rule import DuckAim, DuckKind, DuckRule, levels_rule
from recitant_core.gain.ducking import dips, points_db
from recitant_core.interchange.plan_json import plan_from_data, plan_to_data
from recitant_core.measure.clearance import close_passages
from recitant_core.render.ducking_update import follow
from recitant_core.render.scene import rendered_clearance_lu, scene_of
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.model import Clip, Duck, Plan, Track
from recitant_core.timeline.speech import narrated_over, speech_in_programme
from recitant_core.units.channels import MONO
from recitant_core.units.clock import HOP_SAMPLES, RATE_HZ, SampleSpan
from recitant_core.units.roles import Role

S = RATE_HZ


def steady(lufs, seconds):
    return np.full((seconds * 100, 1), 10 ** ((lufs + 0.691) / 10) * HOP_SAMPLES)


def film(*, interview_at=(10, 40), voice_over_at=(11, 80), rule=None):
    """An interview in another language, a narrator who speaks over the first answer, and music under both."""
    answers = tuple(Clip(f"d{i}", "answer", at * S, 0, 20 * S) for i, at in enumerate(interview_at))
    lines = tuple(Clip(f"n{i}", "line", at * S, 0, 18 * S) for i, at in enumerate(voice_over_at))
    tracks = (
        Track("1", "narrator", Role.NARRATION, clips=lines),
        Track("2", "interview", Role.DIALOGUE, clips=answers),
        Track("3", "score", Role.MUSIC, clips=(Clip("m", "music", 0, 0, 120 * S),)),
    )
    ducks = (
        Duck("voices", Role.DIALOGUE, rule=rule or levels_rule("dialogue")),
        Duck("music", Role.MUSIC, rule=levels_rule("music")),
    )
    energies = {"answer": steady(-23.0, 20), "line": steady(-23.0, 18), "music": steady(-26.0, 120)}
    speech = {"answer": [SpeechSpan(0, 20 * S, 0.9)], "line": [SpeechSpan(0, 18 * S, 0.9)]}
    return Plan("t", "25", tracks, ducks=ducks), energies, speech


def followed(plan, energies, speech):
    scene = scene_of(plan, energies, speech)
    made = follow(scene, speech, 7.0)
    return scene, made, {duck.duck_id: duck for duck in made.ducks}


def test_dialogue_dips_under_the_narration_that_is_spoken_over_it():
    scene, made, ducks = followed(*film())
    (dip,) = dips(ducks["voices"].points)
    assert dip.depth_db <= -9.0 and 9 * S < dip.span.start_sample <= 11 * S
    # The words of the narrator stand clear of the answer; without the dip they would not.
    over = slice(12 * 100, 28 * 100)
    assert (scene.clearance(made)[over] >= 7.0).all() and (scene.clearance(replace(made, ducks=()))[over] < 3.0).all()


def test_music_gives_way_to_both():
    _, _, ducks = followed(*film())
    lowered = points_db(ducks["music"].points, np.array([5.0, 15.0, 50.0, 90.0, 110.0]) * S)
    assert (lowered[[1, 2, 3]] < -3.0).all() and (lowered[[0, 4]] == 0.0).all()


def test_people_who_take_turns_do_not_give_way_to_one_another():
    plan, energies, speech = film(interview_at=(10,), voice_over_at=(29, 80))
    assert narrated_over(plan, speech) == () and followed(plan, energies, speech)[2]["voices"].points == ()
    # With nobody told to give way, all speech is to be understood at once.
    plan, energies, speech = film()
    alone = replace(plan, ducks=())
    assert speech_in_programme(alone, speech) == (
        SampleSpan(10 * S, 20 * S),
        SampleSpan(40 * S, 20 * S),
        SampleSpan(80 * S, 18 * S),
    )
    assert not scene_of(alone, energies, speech).is_over.any()


def test_the_dialogue_under_a_narrator_is_not_what_is_listened_to():
    plan, energies, speech = film()
    assert narrated_over(plan, speech) == (SampleSpan(11 * S, 18 * S),)
    assert speech_in_programme(plan, speech)[:3] == (
        SampleSpan(10 * S, S),
        SampleSpan(11 * S, 18 * S),
        SampleSpan(29 * S, S),
    )
    scene = scene_of(plan, energies, speech)
    stems = dict(scene.stems)
    exact = rendered_clearance_lu(stems, scene.is_speech, scene.is_over)
    assert np.allclose(exact, scene.own_clearance, atol=1e-9, equal_nan=True)
    assert close_passages(exact, 7.0)[0].span.start_sample <= 11 * S


def test_a_depth_that_somebody_fixed_is_taken_wherever_dialogue_sounds_under_a_line():
    taking_turns = {"interview_at": (10,), "voice_over_at": (29, 80)}
    for aim, n_dips in ((DuckAim.CLEARANCE, 0), (DuckAim.DEPTH, 1)):
        _, _, ducks = followed(*film(rule=DuckRule(aim=aim, depth_db=8.0), **taking_turns))
        assert len(dips(ducks["voices"].points)) == n_dips
    assert dips(ducks["voices"].points)[0].depth_db == -8.0
    _, _, ducks = followed(*film(rule=DuckRule(aim=DuckAim.CLEARANCE)))
    assert len(dips(ducks["voices"].points)) == 1


def test_a_live_key_of_dialogue_hears_narration_alone():
    plan, _, _ = film(rule=DuckRule(kind=DuckKind.LIVE))
    assert [track.track_id for track in plan.key_tracks(plan.ducks[0])] == ["1"]
    assert [track.track_id for track in plan.key_tracks(plan.ducks[1])] == ["1", "2"]


class Source:
    key, length_samples, layout = "s", 10 * S, MONO


def test_old_plans_read_ambience_as_atmosphere_and_narration_gives_way_to_nothing():
    data = {
        "title": "t",
        "frame_rate": "25",
        "tracks": [{"name": "air", "role": "ambience", "clips": [{"file": "a.wav"}]}],
    }
    data["stems"] = {"ambience": {"gain_db": -3.0}}
    plan = plan_from_data(data, {"a.wav": Source})
    assert plan.tracks[0].role is Role.ATMOSPHERE and plan.stem_gains_db == {Role.ATMOSPHERE: -3.0}
    assert plan_to_data(plan, {"s": "a.wav"})["tracks"][0]["role"] == "atmosphere"
    with pytest.raises(PlanError) as refused:
        plan_from_data(data | {"ducking": [{"stem": "narration"}]}, {"a.wav": Source})
    assert refused.value.code == "duck_of_narration"


def test_what_is_out_of_the_mix_stands_in_plans_and_speaks_to_nobody():
    plan, energies, speech = film()
    tracks = (replace(plan.tracks[0], is_out=True), *plan.tracks[1:])
    out = replace(plan, tracks=tracks)
    assert out.roles == (Role.DIALOGUE, Role.MUSIC) and narrated_over(out, speech) == ()
    assert not scene_of(out, energies, speech).tracks["1"].any()
    clip = replace(plan.tracks[2].clips[0], is_out=True)
    silent = replace(plan, tracks=(*plan.tracks[:2], replace(plan.tracks[2], clips=(clip,))))
    assert silent.span.length_samples == 98 * S < plan.span.length_samples
    data = plan_to_data(
        replace(silent, tracks=(*tracks[:2], silent.tracks[2])), dict.fromkeys(("line", "answer", "music"), "f")
    )
    assert data["tracks"][0]["out_of_mix"] is True and data["tracks"][2]["clips"][0]["out_of_mix"] is True
