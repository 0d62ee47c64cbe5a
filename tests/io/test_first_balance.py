"""The first balance on recorded speech and music: the figures it promises, its choices, and material it cannot mend.

Origin and licence of the recordings: tests/data/README.md.
"""

import json
from dataclasses import replace
from functools import cache
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr

from recitant_cli.__main__ import main
from recitant_core.balance.first_balance import first_balance
from recitant_core.balance.first_balance_values import STEPS, Choices, Material
from recitant_core.balance.stem_meter import exact_energies
from recitant_core.balance.steps.finish import FAR_LU
from recitant_core.delivery.fitting.fit import fit
from recitant_core.delivery.fitting.trial import MixInMemory, render_once
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.errors import PlanError
from recitant_core.gain.duck_drawing import point_moved
from recitant_core.gain.ducking import dips, points_db
from recitant_core.intake.checks import findings_of
from recitant_core.intake.evidence import gather
from recitant_core.measure.clearance import close_passages
from recitant_core.render.accepted import with_accepted
from recitant_core.render.clip_levels import level_of_clip
from recitant_core.render.scene import scene_of
from recitant_core.timeline.curve_edits import curve_level_db, curve_with
from recitant_core.timeline.edits import clips_by_id, levelled, set_clips
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import ROLES, Role
from recitant_io.hearing.speech import speech_spans
from recitant_io.store.bands import band_energies
from recitant_io.store.hop_energies import source_hop_energies
from signals import MemorySource

DATA = Path(__file__).parents[1] / "data"
SPEC = spec_by_id("ebu-r128")


def recording(name):
    audio, rate_hz = soundfile.read(DATA / name, dtype="float32", always_2d=True)
    return np.ascontiguousarray(soxr.resample(audio, rate_hz, 48_000), dtype=np.float32)


@cache
def sounds():
    """A voice, a bed of music and an effect, each as recorded and at levels of its own."""
    voice = recording("speech-prompt.flac")[:, :1]
    music = recording("music-excerpt.ogg")
    bed = np.concatenate([music, music[::-1]] * 6)  # some 90 s without a jump
    hit = np.random.default_rng(3).standard_normal((72_000, 1)) * np.exp(-np.arange(72_000)[:, None] / 9_000)
    floor = np.random.default_rng(4).standard_normal((90 * RATE_HZ, 2)) * 0.002
    quiet = voice * np.float32(10 ** (-9 / 20))
    one_sided = np.concatenate([voice, np.zeros_like(voice)], axis=1)
    made = {"voice": voice, "quiet": quiet, "sided": one_sided, "bed": bed, "hit": hit * 0.5, "floor": floor}
    return {key: MemorySource(key, np.ascontiguousarray(audio, dtype=np.float32)) for key, audio in made.items()}


@cache
def heard():
    found = sounds()
    energies = {key: source_hop_energies(source) for key, source in found.items()}
    speech = {key: tuple(speech_spans(found[key], np.zeros(0))) for key in ("voice", "quiet", "sided")}
    findings = {
        key: tuple(findings_of(gather(source), list(speech.get(key, ())), source, "", RATE_HZ))
        for key, source in found.items()
    }
    return energies, speech, findings


def clip(name, key, at_s, **more):
    return Clip(name, key, round(at_s * RATE_HZ), 0, sounds()[key].length_samples, name=name, **more)


def film():
    voices = (
        clip("one", "voice", 4),
        clip("two", "quiet", 15),
        clip("three", "sided", 40),
        clip("four", "voice", 52, gain_db=5.0),
    )
    tracks = (
        Track("v", "voices", Role.DIALOGUE, clips=voices),
        Track("m", "score", Role.MUSIC, clips=(clip("bed", "bed", 0),)),
        Track("e", "hits", Role.EFFECTS, clips=(clip("hit", "hit", 6), clip("hit two", "hit", 34))),
        Track("a", "room", Role.ATMOSPHERE, clips=(clip("floor", "floor", 0),)),
    )  # fmt: skip
    return Plan("film", "25", tracks)


def material(plan=None, **more):
    energies, speech, findings = heard()
    plan = plan or film()
    used = {c.source_key for t in plan.tracks for c in t.clips}
    found = {key: some for key, some in findings.items() if key in used}
    return replace(Material(plan, sounds(), energies, speech, found, SPEC, bands=bands()), **more)


@cache
def bands():
    return band_energies(sounds())


@pytest.mark.parametrize(
    "choices", [Choices(), Choices("front", "front", "gentle"), Choices("back", "back", "strong")], ids=str
)
def test_the_figures_it_promises(choices):
    energies, speech, _ = heard()
    done = first_balance(material(), choices)
    assert close_passages(scene_of(film(), energies, speech).clearance(film()), 7.0)  # there was something to do
    standing = done.judgement
    assert standing.clear_share >= 0.85 and standing.least_clear_share >= 0.95
    assert standing.phrase_sd_lu <= 1.5 and standing.phrase_worst_lu <= 4.0
    most = {"gentle": 9.0, "clear": 12.0, "strong": 15.0}[choices.ducking]
    assert all(stem.depth_db <= most + 0.01 and stem.lift_db <= 6.01 for stem in standing.stems.values())
    assert done.plan.duck_of_stem(Role.ATMOSPHERE).points == ()
    reached = fit(done.plan, render_once(done.plan, sounds(), MixInMemory()), SPEC)
    assert reached.trial.readings.integrated_lufs == pytest.approx(-23.0, abs=0.1)
    assert abs(reached.trial.master.gain_db) < 0.3  # the programme gain has brought it there
    voices = done.plan.tracks[0]
    for one in voices.clips:
        gain_db = voices.gain_db + done.plan.stem_gain_db(Role.DIALOGUE)
        level = level_of_clip(one, voices, gain_db, energies[one.source_key], speech).level_lufs
        assert abs(level - SPEC.aim_lufs(Role.DIALOGUE)) < 1.5


def test_every_step_tells_what_it_measured_and_changed():
    done = first_balance(material(), Choices())
    assert [step.code for step in done.steps] == list(STEPS)
    mend, even, stems, duck, check, fitted = done.steps
    assert {"remedy": "use-one-channel"}.items() <= mend.changes[0].items()
    assert {change["name"] for change in even.changes} >= {"two", "three", "four"}
    by = {change["name"]: change["by_db"] for change in even.changes}
    assert by["two"] > by["four"]  # the quiet one up, the one that was pushed down
    assert {change["name"] for change in stems.changes} >= {"music"} and stems.measured["leads"] == "speech"
    assert all(isinstance(stems.measured[f"{role}_lufs"], float) for role in ("music", "effects", "atmosphere"))
    assert duck.measured["close_before"] > 0 and any(change["dips"] for change in duck.changes)
    assert check.measured["clear_share"] >= 0.85
    assert fitted.measured["reached_lufs"] == pytest.approx(-23.0, abs=0.02)
    assert [change["what"] for change in fitted.changes] == ["programme"]
    before = check.plan
    assert fitted.plan == replace(before, programme_gain_db=fitted.plan.programme_gain_db)  # no stem is moved for it


def test_steps_can_be_switched_off():
    done = first_balance(material(), Choices(steps=("duck",)))
    assert [step.code for step in done.steps] == ["duck"]
    assert done.plan.tracks == film().tracks and done.plan.ducks


def test_a_part_touches_only_its_clips_and_no_stem():
    part = SampleSpan(14 * RATE_HZ, 10 * RATE_HZ)
    done = first_balance(material(), Choices(part=part))
    assert done.plan.stem_gains_db == {}
    changed = {a.name for a, b in zip(done.plan.tracks[0].clips, film().tracks[0].clips, strict=True) if a != b}
    assert changed == {"two"}
    music = done.plan.duck_of_stem(Role.MUSIC).points
    inside, outside = points_db(music, np.array([18.0, 45.0]) * RATE_HZ)
    assert inside < -2.0 and outside == 0.0  # at 45 s somebody speaks too
    room = done.plan.duck_of_stem(Role.MUSIC).room_points
    whole = first_balance(material(), Choices()).plan.duck_of_stem(Role.MUSIC).room_points
    assert min(point.gain_db for point in whole) == -4.0
    assert all(part.start_sample - 1 <= point.at_sample <= part.end_sample + 1 for point in room)


def changes_of(done):
    return [(step.code, change) for step in done.steps for change in step.changes]


def test_run_again_it_changes_nothing():
    first = first_balance(material(), Choices())
    again = first_balance(material(first.plan), Choices())
    assert [c for _, c in changes_of(again) if c["what"] not in ("duck", "clip")] == []
    assert again.plan == first.plan


def test_a_second_run_takes_another_choice_and_keeps_a_rule_of_ones_own():
    first = first_balance(material(), Choices(ducking="gentle"))
    again = first_balance(material(first.plan), Choices(ducking="strong"))
    assert [again.plan.ducks[0].rule.floor_db, first.plan.ducks[0].rule.floor_db] == [-15.0, -9.0]
    own = replace(first.plan.ducks[0].rule, under_lu=-20.0, is_made=False)
    changed = replace(first.plan, ducks=(replace(first.plan.ducks[0], rule=own), *first.plan.ducks[1:]))
    kept = first_balance(material(changed), Choices(ducking="strong"))
    assert kept.plan.ducks[0].rule == own
    assert ("duck", {"what": "kept", "name": "music", "why": "rule"}) in changes_of(kept)


def test_what_was_set_by_hand_is_kept_and_named():
    first = first_balance(material(), Choices())
    plan = set_clips(first.plan, ["two"], lambda one: levelled(one, 2.0))
    plan = set_clips(plan, ["one"], lambda one: curve_with(one, [(0, 0.0), (48_000, -4.0)]))
    plan = replace(plan, stem_gains_db=plan.stem_gains_db | {Role.MUSIC: -20.0, Role.DIALOGUE: 2.0})
    pinned = point_moved(plan.ducks[0].points, 1, plan.ducks[0].points[1].at_sample, -3.0)
    plan = replace(plan, ducks=(replace(plan.ducks[0], points=pinned), *plan.ducks[1:]))
    again = first_balance(material(plan), Choices(music="front"))
    was, now = clips_by_id(plan), clips_by_id(again.plan)
    assert now["two"][1].gain_db == was["two"][1].gain_db
    assert now["one"][1] == was["one"][1] and now["four"][1] == was["four"][1]  # the stem's +2 dB is not made up for
    assert again.plan.stem_gain_db(Role.MUSIC) == -20.0
    assert [p for p in again.plan.ducks[0].points if p.is_pinned] == [p for p in pinned if p.is_pinned]
    named = {(c["name"], c["why"]) for _, c in changes_of(again) if c["what"] == "kept"}
    assert named == {("two", "gain"), ("one", "curve"), ("music", "fader"), ("music", "pinned"), ("dialogue", "fader")}


def test_what_was_accepted_is_remembered():
    loud = replace(film().tracks[1], clips=tuple(replace(c, gain_db=18.0) for c in film().tracks[1].clips))
    plan = replace(film(), tracks=(film().tracks[0], loud, *film().tracks[2:]))
    steps = ("duck", "check")
    found = first_balance(material(plan), Choices(ducking="gentle", steps=steps))
    assert found.left
    for one in found.left:
        plan = with_accepted(plan, one.passage.span, is_accepted_now=True)
    again = first_balance(material(plan), Choices(ducking="gentle", steps=steps))
    assert again.left == () and again.steps[-1].measured["accepted"] > 0


def test_takes_inside_one_recording_are_brought_together():
    voice = sounds()["voice"].audio
    gap = np.zeros((RATE_HZ, 1), np.float32)
    takes = np.concatenate([part for db in (-12, 4, -6, 0) for part in (voice * np.float32(10 ** (db / 20)), gap)])
    sources = {**sounds(), "takes": MemorySource("takes", takes)}
    energies, speech, _ = heard()
    energies = {**energies, "takes": source_hop_energies(sources["takes"])}
    speech = {**speech, "takes": tuple(speech_spans(sources["takes"], np.zeros(0)))}
    track = Track("v", "takes", Role.DIALOGUE, clips=(Clip("t", "takes", 20 * RATE_HZ, 0, len(takes), name="takes"),))
    full = replace(material(only(track)), sources=sources, energies=energies, speech=speech)
    done = first_balance(full, Choices())
    assert done.plan.tracks[0].clips[0].curve and done.judgement.phrase_sd_lu < 1.5
    assert first_balance(replace(full, plan=done.plan), Choices()).plan == done.plan
    part = SampleSpan(20 * RATE_HZ, 9 * RATE_HZ)
    first_only = first_balance(full, Choices(part=part))
    one = first_only.plan.tracks[0].clips[0]
    whole = done.plan.tracks[0].clips[0]
    assert curve_level_db(one, 4 * RATE_HZ) + one.gain_db == pytest.approx(
        curve_level_db(whole, 4 * RATE_HZ) + whole.gain_db, abs=0.2
    )
    assert curve_level_db(one, 35 * RATE_HZ) + one.gain_db == pytest.approx(0.0, abs=0.2)


def test_front_music_is_nearer_than_back_music_by_eight():
    back, front = (
        first_balance(material(), Choices(music=music, steps=("even-out", "stems"))) for music in ("back", "front")
    )
    assert front.plan.stem_gain_db(Role.MUSIC) - back.plan.stem_gain_db(Role.MUSIC) == pytest.approx(8.0, abs=0.11)


def only(*tracks):
    return replace(film(), tracks=tracks)


def test_no_speech_at_all():
    done = first_balance(material(only(*film().tracks[1:])), Choices())
    assert done.plan.ducks == () and done.left == () and done.plan.stem_gains_db == {}
    assert done.steps[-1].measured["reached_lufs"] == pytest.approx(-23.0, abs=0.1)


def test_nothing_but_speech():
    done = first_balance(material(only(film().tracks[0])), Choices())
    assert done.plan.ducks == () and done.left == ()


def test_singing_in_the_music_keys_nothing():
    sung = replace(film().tracks[1], clips=(clip("song", "voice", 1),))
    done = first_balance(material(only(sung, film().tracks[3])), Choices())
    assert done.plan.ducks == ()


def test_a_production_recording_with_music_underneath_is_heard_and_not_made_worse():
    found = sounds()
    mixed = np.repeat(found["voice"].audio, 2, axis=1) + found["bed"].audio[: len(found["voice"].audio)] * 0.1
    sources = {**found, "mixed": MemorySource("mixed", np.ascontiguousarray(mixed, dtype=np.float32))}
    energies, speech, _ = heard()
    spans = speech_spans(sources["mixed"], np.zeros(0))
    assert sum(s.length_samples for s in spans) > 0.6 * sum(s.length_samples for s in speech["voice"])
    scene_track = Track("v", "scene", Role.DIALOGUE, clips=(Clip("s", "mixed", 4 * RATE_HZ, 0, len(mixed), name="s"),))
    plan = only(scene_track, film().tracks[1])
    full = replace(
        material(plan),
        sources=sources,
        energies={**energies, "mixed": source_hop_energies(sources["mixed"])},
        speech={**speech, "mixed": spans},
        bands=band_energies(sources),
    )
    done = first_balance(full, Choices())
    assert done.left == () and any(dips(duck.points) for duck in done.plan.ducks)


def test_speech_from_the_first_sample_to_the_last_and_two_at_once():
    whole = replace(film().tracks[0], clips=tuple(clip(f"c{i}", "voice", i * 8.0) for i in range(11)))
    second = Track("w", "other", Role.DIALOGUE, clips=(clip("over", "quiet", 3),))
    done = first_balance(material(only(whole, second, film().tracks[1])), Choices())
    assert done.left == () and done.judgement.stems[Role.MUSIC].feel == "calm"


def test_everything_turned_down_is_said_not_crashed():
    silent = replace(film(), stem_gains_db=dict.fromkeys(ROLES, -96.0))
    done = first_balance(material(silent), Choices(steps=("duck", "check", "fit")))
    assert done.steps[-1].measured["before_lufs"] is None and done.steps[-1].changes == ()


def test_what_makes_no_sense_is_refused():
    for choices in (Choices(music="loud"), Choices(ducking="none"), Choices(leads="noise"), Choices(steps=("paint",))):
        with pytest.raises(PlanError):
            first_balance(material(), choices)
    with pytest.raises(PlanError):
        first_balance(material(Plan("empty", "25", ())), Choices())


def _clip_data(one):
    return {"file": f"{one.source_key}.wav", "at_s": one.start_sample / RATE_HZ, "gain_db": one.gain_db}


def write_plan(folder, **more):
    plan = film()
    for key, source in sounds().items():
        soundfile.write(folder / f"{key}.wav", source.audio, RATE_HZ, "FLOAT")
    tracks = [
        {
            "name": t.name,
            "role": t.role.value,
            "clips": [_clip_data(c) for c in t.clips],
        }
        for t in plan.tracks
    ]
    data = {"plan": 1, "title": "film", "frame_rate": "25", "tracks": tracks, **more}
    (folder / "plan.json").write_text(json.dumps(data))
    return str(folder / "plan.json")


def test_on_the_command_line_with_its_report(tmp_path, capsys):
    plan = write_plan(tmp_path)
    assert main(["mix", plan, "--out", str(tmp_path / "out"), "--first-balance", "--music", "front"]) == 0
    printed = capsys.readouterr().out
    assert "Even out the dialogue" in printed and "Use the louder side" in printed
    report = json.loads((tmp_path / "out" / "report.json").read_text())
    assert report["deliveries"][0]["integrated_lufs"] == pytest.approx(-23.0, abs=0.1)
    assert report["clearance"]["asked_lu"] == 7.0 and report["judgement"]["clear_share"] >= 0.85
    assert all(end > start for start, end in report["speech"]) and 4.0 <= report["speech"][0][0] < 5.5
    score = next(d for d in report["ducking"] if d["track"] == "score")
    assert all(a[0] < b[0] for a, b in pairwise(score["points"])) and min(db for _, db in score["points"]) < -2.0
    assert [action["step"] for action in report["actions"]] == list(STEPS)
    assert all(action["why"] and action["measured_words"] for action in report["actions"])
    assert score["room"]["centre_hz"] == 2_000.0 and min(db for _, db in score["room"]["points"]) >= -4.0
    page = (tmp_path / "out" / "report.html").read_text()
    assert "First balance" in page and "Clearance" in page
    # What the report draws is what the stem does.
    music, _ = soundfile.read(tmp_path / "out" / "stem-music-ebu-r128.wav")
    bed = sounds()["bed"].audio
    places = ((8 * RATE_HZ, 10 * RATE_HZ), (30 * RATE_HZ, 32 * RATE_HZ))
    ratio = [np.sqrt((music[a:b] ** 2).sum() / (bed[a:b] ** 2).sum()) for a, b in places]
    drawn = np.interp([9.0, 31.0], *zip(*score["points"], strict=True))
    assert 20 * np.log10(ratio[0] / ratio[1]) == pytest.approx(drawn[0] - drawn[1], abs=0.6)  # and room


def test_a_rule_in_a_plan_makes_its_curve_on_the_command_line(tmp_path, capsys):
    plan = write_plan(tmp_path, ducking=[{"stem": "music", "rule": {"aim": "depth", "depth_db": 6}}])
    assert main(["mix", plan, "--out", str(tmp_path / "out")]) == 0
    report = json.loads((tmp_path / "out" / "report.json").read_text())
    assert min(db for _, db in report["ducking"][0]["points"]) == -6.0
    drawn = [{"track": 1, "points": [[0, 0], [1, -12]]}]
    assert main(["mix", write_plan(tmp_path, ducking=drawn), "--out", str(tmp_path / "out")]) == 0
    report = json.loads((tmp_path / "out" / "report.json").read_text())
    assert report["ducking"][0]["points"] == [[0, 0.0], [1, -12.0]]


@pytest.mark.parametrize(
    ("ducking", "words"),
    [
        ([{"stem": "narration"}], "gives way to nothing"),
        ([{"track": 9}], "not there"),
        ([{"stem": "music", "rule": {"bridge_s": -2}}], "ducking[0].rule.bridge_s"),
        ([{"points": [[0, 0]]}], "ducking[0]"),
    ],
)
def test_ducking_that_makes_no_sense_is_a_sentence(tmp_path, capsys, ducking, words):
    assert main(["mix", write_plan(tmp_path, ducking=ducking), "--out", str(tmp_path / "out")]) == 2
    assert words in capsys.readouterr().err


def test_exact_energies_are_those_of_the_rendered_stems():
    plan = film()
    stems = exact_energies(plan, sounds())
    energies, speech, _ = heard()
    scene = scene_of(plan, energies, speech)
    n = min(len(stems[Role.MUSIC]), len(scene.tracks["m"]))
    assert stems[Role.MUSIC][:n].sum() == pytest.approx(scene.tracks["m"][:n].sum(), rel=0.01)


def test_a_curve_never_follows_every_line():
    lines = (replace(clip(f"c{i}", "voice", i * 7.2), length_samples=4 * RATE_HZ) for i in range(11))
    voices = replace(film().tracks[0], clips=tuple(lines))  # four seconds of words, some three of pause
    done = first_balance(material(only(voices, film().tracks[1])), Choices(ducking="strong"))
    assert len(dips(done.plan.ducks[0].points)) == 1 and done.judgement.stems[Role.MUSIC].feel == "calm"


def test_a_film_that_is_too_loud_is_turned_down_and_that_is_said():
    loud = replace(film(), stem_gains_db=dict.fromkeys((Role.DIALOGUE, Role.MUSIC), 12.0))
    (fitted,) = first_balance(material(loud), Choices(steps=("fit",))).steps
    assert [change["what"] for change in fitted.changes] == ["programme"]
    assert fitted.changes[0]["to_db"] == fitted.plan.programme_gain_db < 0.0
    far = abs(fitted.measured["dialogue_lufs"] - fitted.measured["target_lufs"])
    assert fitted.measured["is_dialogue_far"] == (far > FAR_LU) and far < 6.0


def test_speech_goes_to_its_aim_where_music_leads():
    (stems,) = first_balance(material(), Choices(steps=("stems",), leads="music")).steps
    change = next(one for one in stems.changes if one["name"] == "dialogue")
    assert change["to_db"] - change["from_db"] == pytest.approx(
        SPEC.aim_lufs("dialogue") - change["from_lufs"], abs=0.1
    )
    assert stems.plan.stem_gain_db(Role.DIALOGUE) == change["to_db"]
