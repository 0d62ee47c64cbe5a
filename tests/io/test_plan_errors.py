"""What is wrong with a plan is said at the property that is meant; what is wrong with a file does not hide a fault."""

import json

import pytest

from conftest import wav_bytes
from recitant_cli.__main__ import main
from signals import sine


@pytest.fixture
def plan(tmp_path):
    """A plan of one clip, and where it is to be written."""
    (tmp_path / "a.wav").write_bytes(wav_bytes(sine(-20, 1.0)))
    track = {"name": "voice", "role": "dialogue", "clips": [{"file": "a.wav"}]}
    return {"plan": 1, "title": "t", "frame_rate": "25", "tracks": [track]}, tmp_path / "plan.json"


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (
            lambda plan: plan["tracks"][0].update(gain=3),
            "tracks[0].gain: there is no “gain” here. “gain_db” is probably",
        ),
        (
            lambda plan: plan["tracks"][0]["clips"][0].update(at=3),
            "tracks[0].clips[0].at: there is no “at” here. “at_s”",
        ),
        (lambda plan: plan.update(colour="red"), "colour: there is no “colour” here; what can stand here: ducking, "),
        (lambda plan: plan["tracks"][0].pop("role"), "tracks[0].role is missing."),
        (lambda plan: plan["tracks"][0].update(role="song"), "tracks[0].role"),
    ],
)
def test_a_plan_error_names_the_property_that_is_meant(plan, capsys, change, words):
    data, path = plan
    change(data)
    path.write_text(json.dumps(data))
    assert main(["mix", str(path), "--out", str(path.parent / "out"), "--spec", "ebu-r128"]) == 2
    assert words in capsys.readouterr().err


def test_what_is_out_of_the_mix_is_in_no_file_and_in_the_report(plan, capsys):
    data, path = plan
    guide = {"name": "guide", "role": "music", "out_of_mix": True, "clips": [{"file": "a.wav", "at_s": 5.0}]}
    data["tracks"] += [guide]
    data["tracks"][0]["clips"] += [{"file": "a.wav", "at_s": 9.0, "out_of_mix": True}]
    path.write_text(json.dumps(data))
    out = path.parent / "out"
    assert main(["mix", str(path), "--out", str(out), "--spec", "ebu-r128"]) == 0
    report = json.loads((out / "report.json").read_text())
    assert report["out_of_mix"] == ["guide", "a (voice)"]
    assert report["duration_s"] == 1.0 and report["stems"] == ["dialogue"]
    assert not (out / "stem-music-ebu-r128.wav").exists()


def test_a_fault_found_counts_before_a_file_that_cannot_be_read(tmp_path, capsys):
    audio = sine(-12, 3.0).copy()
    audio[:, 1] = 0.0
    (tmp_path / "one-sided.wav").write_bytes(wav_bytes(audio))
    (tmp_path / "bad.wav").write_bytes(b"milk")
    assert main(["intake", str(tmp_path / "one-sided.wav"), str(tmp_path / "bad.wav")]) == 1
    assert main(["intake", str(tmp_path / "bad.wav")]) == 2
