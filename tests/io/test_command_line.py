"""The command line: measure, check and mix, their exit codes, their JSON, and one line for what is wrong."""

import json
import os
import zipfile
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile

from recitant_cli.__main__ import main
from recitant_core.measure.meter import measure
from recitant_core.units.channels import STEREO
from signals import RATE_HZ, programme, sine

ROOT = Path(__file__).parents[2]
KEYS = [
    "file",
    "sample_rate",
    "channels",
    "duration_s",
    "integrated_lufs",
    "range_lu",
    "max_momentary_lufs",
    "max_short_term_lufs",
    "true_peak_dbtp",
    "sample_peak_dbfs",
]


def test_measure_speaks_json(tmp_path, capsys):
    soundfile.write(tmp_path / "tone.wav", sine(-23, 20), RATE_HZ, "PCM_24")
    soundfile.write(tmp_path / "silence.wav", np.zeros((RATE_HZ, 1)), RATE_HZ)
    assert main(["measure", str(tmp_path / "tone.wav"), str(tmp_path / "silence.wav"), "--json"]) == 0
    tone, silence = map(json.loads, capsys.readouterr().out.splitlines())
    assert list(tone) == KEYS
    assert tone["integrated_lufs"] == pytest.approx(-23.0, abs=0.1)  # Tech 3341 case 1
    assert (tone["channels"], tone["sample_rate"], tone["duration_s"]) == (2, RATE_HZ, 20.0)
    assert silence["integrated_lufs"] is None and silence["true_peak_dbtp"] is None


def test_check_passes_fails_or_cannot(tmp_path, capsys):
    soundfile.write(tmp_path / "a.wav", sine(-23, 5), RATE_HZ, "PCM_24")
    file = str(tmp_path / "a.wav")
    assert main(["check", file, "--spec", "ebu-r128"]) == 0
    assert main(["check", file, "--spec", "online-14"]) == 1
    assert main(["check", file, "--spec", "nonsense"]) == 2
    assert main(["check", "nowhere.wav", "--spec", "ebu-r128", "--json"]) == 2
    assert len(capsys.readouterr().err.splitlines()) == 2


def test_pipes_and_devices_are_refused_and_not_waited_for(tmp_path, capsys):
    pipe = tmp_path / "pipe.wav"
    os.mkfifo(pipe)
    for path in (pipe, Path("/dev/zero")):
        for command in (["measure", str(path)], ["intake", str(path)], ["check", str(path), "--spec", "ebu-r128"]):
            assert main(command) == 2
            assert f"{path.name} is not a file. Name a sound file or a film." in capsys.readouterr().err


def test_names_that_are_no_text_are_names_all_the_same(tmp_path, capsys):
    for name, write in ((b"ok\xff.wav", True), (b"bad\xff.wav", False)):
        path = tmp_path / os.fsdecode(name)
        if write:
            soundfile.write(os.fsencode(path), sine(-23, 1), RATE_HZ, format="WAV")
        else:
            path.write_bytes(b"no sound at all")
        assert main(["measure", str(path), "--json"]) == (0 if write else 2)
    out = capsys.readouterr()
    assert json.loads(out.out)["integrated_lufs"] == pytest.approx(-23.0, abs=0.1)
    assert len(out.err.splitlines()) == 1


def test_one_bad_file_does_not_stop_the_others(tmp_path, capsys):
    soundfile.write(tmp_path / "a.wav", sine(-23, 1), RATE_HZ)
    (tmp_path / "b.wav").write_bytes(b"")
    assert main(["measure", str(tmp_path / "b.wav"), str(tmp_path / "a.wav"), "--json"]) == 2
    out = capsys.readouterr()
    assert json.loads(out.out)["file"].endswith("a.wav")
    assert "empty" in out.err and len(out.err.splitlines()) == 1


@pytest.fixture(scope="module")
def mixed(stems, tmp_path_factory):
    out = tmp_path_factory.mktemp("out")
    code = main(["mix", str(stems / "plan.json"), "--out", str(out), "--spec", "ebu-r128", "--spec", "online-14"])
    return out, code


def _audio(path):
    return soundfile.read(path, dtype="float64", always_2d=True)[0]


def test_mix_meets_its_specifications_in_the_file(mixed):
    out, code = mixed
    assert code == 0
    for spec_id, target, ceiling in (("ebu-r128", -23.0, -1.0), ("online-14", -14.0, -1.0)):
        audio = _audio(out / f"mix-{spec_id}.wav").astype(np.float32)
        readings = measure(audio, STEREO)
        assert readings.integrated_lufs == pytest.approx(target, abs=0.1)
        assert readings.true_peak_dbtp <= ceiling
        assert soundfile.info(out / f"mix-{spec_id}.wav").subtype == "PCM_24"


def test_stems_add_up_to_the_mix(mixed):
    out, _ = mixed
    total = sum(_audio(out / f"stem-{role}-ebu-r128.wav") for role in ("dialogue", "music", "effects"))
    # No limiting was needed: four roundings with dither of at most 1.5 steps of 24 bit each.
    assert np.abs(total - _audio(out / "mix-ebu-r128.wav")).max() < 4 * 1.5 * 2.0**-23


def test_the_report_says_what_was_measured(mixed):
    out, _ = mixed
    report = json.loads((out / "report.json").read_text())
    assert [d["spec"] for d in report["deliveries"]] == ["ebu-r128", "online-14"]
    for delivery in report["deliveries"]:
        assert delivery["passes"] and delivery["reached"]
        audio = _audio(out / f"mix-{delivery['spec']}.wav").astype(np.float32)
        assert delivery["integrated_lufs"] == pytest.approx(measure(audio, STEREO).integrated_lufs, abs=1e-6)
        assert {f["file"] for f in delivery["files"]} <= {p.name for p in out.iterdir()}
    page = (out / "report.html").read_text()
    assert "Stems" in page and "http" not in page


def test_mixing_twice_gives_the_same_bytes(stems, tmp_path, monkeypatch):
    # Files say when they were made; reproducible-builds.org: SOURCE_DATE_EPOCH says what they say.
    monkeypatch.setenv("SOURCE_DATE_EPOCH", "1795953600")
    for out in ("1", "2"):
        main(["mix", str(stems / "plan.json"), "--out", str(tmp_path / out), "--spec", "ebu-r128"])
    names = sorted(path.name for path in (tmp_path / "1").iterdir() if path.suffix != ".pdf")
    assert len(names) > 4
    for name in names:
        assert (tmp_path / "1" / name).read_bytes() == (tmp_path / "2" / name).read_bytes(), name


def _with(stems, tmp_path, change):
    data = json.loads((stems / "plan.json").read_text())
    change(data)
    for file in stems.glob("*.*"):
        if file.name != "plan.json":
            (tmp_path / file.name).symlink_to(file)
    (tmp_path / "plan.json").write_text(json.dumps(data))
    return str(tmp_path / "plan.json")


BAD_PLANS = {
    "names a file that is not there": lambda d: d["tracks"][0]["clips"][0].update(file="gone.wav"),
    "tracks[1].role": lambda d: d["tracks"][1].update(role="music2"),
    "tracks[1].gain_db": lambda d: d["tracks"][1].update(gain_db=float("nan")),
    "frame_rate": lambda d: d.update(frame_rate="26"),
    "which is 1.000 s long": lambda d: d["tracks"][2]["clips"][0].update(length_s=9.0),
}


@pytest.mark.parametrize("words", BAD_PLANS)
def test_bad_plans_get_one_line(stems, tmp_path, capsys, words):
    plan = _with(stems, tmp_path, BAD_PLANS[words])
    assert main(["mix", plan, "--out", str(tmp_path / "out")]) == 2
    err = capsys.readouterr().err
    assert len(err.splitlines()) == 1
    assert words in err
    assert not (tmp_path / "out").exists()


def test_what_is_no_plan_at_all(tmp_path, capsys):
    for text in ("", "[]", "{not json", '{"plan": 2}', "\x00\xff"):
        (tmp_path / "p.json").write_text(text)
        assert main(["mix", str(tmp_path / "p.json"), "--out", str(tmp_path / "out")]) == 2
    assert main(["mix", str(tmp_path / "none.json"), "--out", str(tmp_path / "out")]) == 2
    assert len(capsys.readouterr().err.splitlines()) == 6


def test_a_mix_that_cannot_pass_exits_1_and_says_why(tmp_path, capsys):
    soundfile.write(tmp_path / "v.wav", np.zeros((RATE_HZ * 2, 1)), RATE_HZ)
    plan = {"plan": 1, "title": "", "frame_rate": "25"}
    plan["tracks"] = [{"name": "v", "role": "dialogue", "clips": [{"file": "v.wav"}]}]
    (tmp_path / "p.json").write_text(json.dumps(plan))
    assert main(["mix", str(tmp_path / "p.json"), "--out", str(tmp_path / "out"), "--json"]) == 1
    report = json.loads(capsys.readouterr().out)
    assert report["deliveries"][0]["state"] == "silent"


def test_no_clip_is_nothing_to_mix(tmp_path, capsys):
    plan = {"plan": 1, "title": "", "frame_rate": "25", "tracks": [{"name": "v", "role": "music", "clips": []}]}
    (tmp_path / "p.json").write_text(json.dumps(plan))
    assert main(["mix", str(tmp_path / "p.json"), "--out", str(tmp_path / "out")]) == 2
    assert "nothing to mix" in capsys.readouterr().err


@pytest.mark.parametrize("name", ["plan.schema.json", "spec.schema.json"])
def test_the_published_schemas_are_those_in_force(name):
    published = ROOT / "docs" / name
    assert json.loads(published.read_text()) == json.loads(
        (ROOT / "src" / "recitant_io" / "formats" / name).read_text()
    )


def test_intake_tells_what_is_wrong_and_what_a_file_is(tmp_path, capsys):
    take = programme(3, 6.0, 1)
    soundfile.write(tmp_path / "Take 3.wav", np.concatenate([take, np.zeros_like(take)], axis=1), 48_000, "PCM_24")
    assert main(["intake", "--json", str(tmp_path / "Take 3.wav")]) == 1
    found = json.loads(capsys.readouterr().out)
    assert found["findings"][0]["code"] == "one-channel-silent"
    assert found["findings"][0]["remedies"][0]["routing"] == "first"
    assert found["role"]["guess"] in ("dialogue", "music", "effects", "atmosphere")
    soundfile.write(tmp_path / "door.wav", sine(-20, 1.0), 48_000, "PCM_24")
    assert main(["intake", str(tmp_path / "door.wav"), str(tmp_path / "missing.wav")]) == 2
    said = capsys.readouterr()
    assert "probably effects" in said.out and "missing.wav" in said.err


def test_a_plan_with_processors_is_mixed_and_a_newer_one_is_refused_with_its_place(tmp_path, capsys):
    soundfile.write(tmp_path / "voice.wav", programme(3, 6.0, 1), RATE_HZ, "PCM_24")
    chain = [
        {"kind": "high-pass", "values": {"freq_hz": 100}},
        {"kind": "compressor", "values": {"threshold_dbfs": -30}, "curves": {"ratio": [[0, 2], [3, 6]]}},
    ]
    plan = {
        "plan": 1,
        "title": "chains",
        "frame_rate": "25",
        "tracks": [
            {
                "name": "voice",
                "role": "dialogue",
                "clips": [{"file": "voice.wav", "chain": chain}],
                "chain": [{"kind": "de-esser"}],
                "ride": {"points": [[0, 0], [2, -3]], "before_processors": True},
            }
        ],
        "master": {"chain": [{"kind": "limiter", "values": {"ceiling_db": -3}}]},
    }
    path = tmp_path / "plan.json"
    path.write_text(json.dumps(plan))
    assert main(["mix", str(path), "--out", str(tmp_path / "out"), "--spec", "online-14"]) in (0, 1)
    treated, _ = soundfile.read(tmp_path / "out" / "mix-online-14.wav")
    plan["tracks"][0]["clips"][0]["chain"] = []
    path.write_text(json.dumps(plan))
    main(["mix", str(path), "--out", str(tmp_path / "plain"), "--spec", "online-14"])
    untreated, _ = soundfile.read(tmp_path / "plain" / "mix-online-14.wav")
    assert not np.allclose(treated, untreated, atol=1e-3)
    capsys.readouterr()
    plan["tracks"][0]["chain"] = [{"kind": "de-esser", "values": {"sparkle": 3}}]
    path.write_text(json.dumps(plan))
    assert main(["mix", str(path), "--out", str(tmp_path / "no")]) == 2
    said = capsys.readouterr().err
    assert "sparkle" in said and "newer version" in said and "tracks[0].chain[0]" in said
    assert not (tmp_path / "no").exists()


def test_a_range_of_a_mix_with_its_chapters_in_one_zip(stems, tmp_path, capsys):
    chapters = tmp_path / "chapters.txt"
    chapters.write_text("0:00 Before\n0:01.5 The bell\n")
    plan, out = str(stems / "plan.json"), tmp_path / "out"
    arguments = ["--files", "mix,mp3:128", "--range", "0:01", "0:03", "--chapters", str(chapters), "--zip"]
    assert main(["mix", plan, "--out", str(out), "--spec", "online-14", *arguments]) == 0
    assert soundfile.info(out / "mix-online-14.wav").frames == 2 * RATE_HZ
    with av.open(str(out / "mix-online-14-128k.mp3")) as file:
        found = [(c["metadata"]["title"], round(float(c["start"] * c["time_base"]), 2)) for c in file.chapters()]
    assert found == [("Before", 0.0), ("The bell", 0.5)]
    with zipfile.ZipFile(out / "everything.zip") as archive:
        assert archive.testzip() is None
        assert {"mix-online-14.wav", "mix-online-14-128k.mp3", "report.pdf", "checksums.sha256"} <= set(
            archive.namelist()
        )
    assert "everything.zip" in capsys.readouterr().out


def test_each_specification_has_a_folder_where_that_is_asked(stems, tmp_path):
    plan, out = str(stems / "plan.json"), tmp_path / "out"
    specs = ["--spec", "online-14", "--spec", "podcast-16"]
    main(["mix", plan, "--out", str(out), *specs, "--files", "mix,mp3", "--folders", "--zip"])
    for spec_id in ("online-14", "podcast-16"):
        names = sorted(path.name for path in (out / spec_id).iterdir())
        assert names == [f"mix-{spec_id}.mp3", f"mix-{spec_id}.wav"]
    sums = (out / "checksums.sha256").read_text().splitlines()
    assert [line.split("  ")[1] for line in sums][:2] == ["online-14/mix-online-14.wav", "online-14/mix-online-14.mp3"]
    report = json.loads((out / "report.json").read_text())
    assert all((out / file["file"]).is_file() for one in report["deliveries"] for file in one["files"])
    with zipfile.ZipFile(out / "everything.zip") as archive:
        assert "podcast-16/mix-podcast-16.mp3" in archive.namelist()


def test_chosen_clips_are_mixed_alone(stems, tmp_path):
    plan, out = stems / "plan.json", tmp_path / "out"
    track = next(track for track in json.loads(plan.read_text())["tracks"] if track["role"] == "effects")
    clip = track["clips"][0]
    main(["mix", str(plan), "--out", str(out), "--spec", "online-14", "--clips", Path(clip["file"]).stem])
    assert sorted(path.name for path in out.glob("stem-*")) == ["stem-effects-online-14.wav"]
    with soundfile.SoundFile(out / "mix-online-14.wav") as file:
        length_s = clip.get("length_s", soundfile.info(stems / clip["file"]).duration - clip.get("in_s", 0.0))
        assert file.frames == pytest.approx(length_s * RATE_HZ, abs=1)


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--range", "0:03", "0:01"], "must end after it begins"),
        (["--range", "soon", "0:01"], "is no time"),
        (["--range", "9:00", "9:01"], "Nothing sounds in that range"),
        (["--range", "0:00", "0:01", "--files", "film", "--picture", "x.mp4"], "cannot be written of a range"),
        (["--tag", "mood=sad"], "There is no tag “mood”"),
        (["--cover", "none.jpg"], "The cover none.jpg cannot be read"),
        (["--clips", "nobody"], "No clip is called “nobody”"),
        (["--chapters", "none.txt"], "There is no list of chapters none.txt"),
    ],
)
def test_a_range_or_list_that_cannot_be_is_said(stems, tmp_path, capsys, arguments, words):
    assert main(["mix", str(stems / "plan.json"), "--out", str(tmp_path / "out"), *arguments]) == 2
    assert words in capsys.readouterr().err
    assert not (tmp_path / "out").exists()


@pytest.fixture
def episodes(stems, tmp_path):
    """Two plans in folders of their own, and one that is none."""
    found = []
    for name in ("one", "two"):
        folder = tmp_path / name
        folder.mkdir()
        for file in stems.iterdir():
            (folder / file.name).symlink_to(file)
        found.append(str(folder / "plan.json"))
    (tmp_path / "bad.json").write_text("{}")
    return [found[0], str(tmp_path / "bad.json"), found[1]]


@pytest.mark.parametrize("jobs", ["1", "2"])
def test_several_plans_go_to_a_folder_each_and_a_bad_one_stops_no_other(episodes, tmp_path, capsys, jobs):
    out = tmp_path / "out"
    arguments = ["--out", str(out), "--spec", "online-14", "--files", "mix", "--jobs", jobs]
    assert main(["mix", *episodes, *arguments]) == 2
    assert sorted(path.parent.name for path in out.glob("*/mix-online-14.wav")) == ["one", "two"]
    said = capsys.readouterr()
    assert "bad.json: " in said.err and said.out.count("passes.") == 2


def test_two_plans_for_one_folder_and_no_jobs_are_refused(episodes, tmp_path, capsys):
    out = ["--out", str(tmp_path / "out")]
    assert main(["mix", episodes[0], episodes[0], *out]) == 2
    assert "Two plans would go into one folder, one." in capsys.readouterr().err
    assert main(["mix", episodes[0], episodes[2], "--jobs", "0", *out]) == 2
    assert "at least 1" in capsys.readouterr().err and not (tmp_path / "out").exists()
