"""The first balance on recorded programmes, judged from the files it wrote: figures of docs/standards/balance.md."""

import json
from functools import cache
from itertools import pairwise

import numpy as np
import pytest
import soundfile

from oracles.balance_judge import judged
from recitant_cli.__main__ import main
from signals import balance as material

RATE = 48_000
KINDS = {
    "two-hander": (material.two_hander, True, (2.5, 8.0)),  # a performance: part of every difference stays
    "quiet drama": (material.quiet_drama, False, (2.0, 4.0)),
    "noisy narrator": (material.noisy_narrator, True, (1.5, 4.0)),
    "documentary": (material.documentary, False, (1.5, 4.0)),
}
"""Maker, whether people talk most of the time, and how far phrases may lie apart: deviation, furthest, in LU."""


def write(folder, stems, title):
    folder.mkdir(parents=True, exist_ok=True)
    for role, audio in stems.items():
        soundfile.write(folder / f"{role}.wav", audio, RATE, "FLOAT")
    tracks = [{"name": role, "role": role, "clips": [{"file": f"{role}.wav"}]} for role in stems]
    path = folder / "plan.json"
    path.write_text(json.dumps({"plan": 1, "title": title, "frame_rate": "25", "tracks": tracks}))
    return str(path)


@pytest.fixture(scope="module")
def delivered(tmp_path_factory):
    """Known speech, stems as they came, the delivery's folder and its report, made once a programme."""

    @cache
    def made(make, *more):
        folder = tmp_path_factory.mktemp(make.__name__)
        known, stems = make()
        plan = write(folder, stems, make.__name__)
        assert main(["mix", plan, "--out", str(folder / "out"), "--first-balance", "--spec", "ebu-r128", *more]) <= 1
        return known, stems, folder / "out", json.loads((folder / "out" / "report.json").read_text())

    return made


@pytest.mark.parametrize("kind", KINDS)
def test_a_mixer_would_sign_it(delivered, kind):
    make, is_dense, (most_sd, most_away) = KINDS[kind]
    known, stems, folder, report = delivered(make)
    found = judged(stems, folder, known)
    assert found.integrated == pytest.approx(-23.0, abs=0.1)
    assert found.phrase_sd <= most_sd and found.phrase_worst <= most_away
    assert found.clear_7 >= 0.87 and found.clear_4 >= 0.96
    for role, stem in found.stems.items():
        assert stem.lift_db <= 6.0 + 0.2, role
        if role == "atmosphere":
            assert stem.travel_db <= 5.0
        else:
            assert stem.depth_db <= 12.5 and stem.travel_db <= (15.0 if is_dense else 25.0), role
    assert report["clearance"]["asked_lu"] == 7.0


@pytest.mark.parametrize("kind", KINDS)
def test_it_judges_itself_as_the_files_do(delivered, kind):
    known, stems, folder, report = delivered(KINDS[kind][0])
    found, own = judged(stems, folder, known), report["judgement"]
    assert own["phrase_sd_lu"] == pytest.approx(found.phrase_sd, abs=0.6)
    assert own["clear_share"] == pytest.approx(found.clear_7, abs=0.04)
    for role, stem in found.stems.items():
        assert own["stems"][role]["lift_db"] == pytest.approx(stem.lift_db, abs=1.0) or stem.lift_db < 0.0
        assert own["stems"][role]["travel_db_per_min"] == pytest.approx(stem.travel_db, abs=5.0)
        assert own["stems"][role]["feel"] == "calm"


def test_a_concert_keeps_its_music_and_brings_the_announcements_to_it(delivered):
    known, stems, folder, report = delivered(material.concert)
    found = judged(stems, folder, known)
    assert "Music leads" in next(a for a in report["actions"] if a["step"] == "stems")["measured_words"]
    assert found.phrase_sd <= 1.5 and found.clear_7 >= 0.85
    music = soundfile.read(folder / "stem-music-ebu-r128.wav", always_2d=True)[0]
    dialogue = soundfile.read(folder / "stem-dialogue-ebu-r128.wav", always_2d=True)[0]
    away = [(int(b * RATE), int(a * RATE)) for (_, b), (a, _) in pairwise(known)]
    between = np.concatenate([music[b + 3 * RATE : a - 2 * RATE] for b, a in away])
    spoken = np.concatenate([dialogue[int(a * RATE) : int(b * RATE)] for a, b in known])
    assert 10 * np.log10((between**2).mean() / (spoken**2).mean()) == pytest.approx(0.0, abs=3.0)
    assert found.integrated == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("make", [material.trailer, material.song, material.interview], ids=lambda m: m.__name__)
def test_other_programmes_come_out_sensibly(delivered, make):
    known, stems, folder, _ = delivered(make)
    found = judged(stems, folder, known)
    assert found.integrated == pytest.approx(-23.0, abs=0.1)
    assert found.clear_7 >= 0.85 and found.stems["music"].depth_db <= 12.5 and found.stems["music"].lift_db <= 6.2


@pytest.mark.parametrize("roles", [("effects",), ("music",), ("dialogue",)], ids=lambda roles: roles[0])
def test_one_stem_alone_keeps_its_levels_against_itself(tmp_path, roles):
    _, stems = material.two_hander()
    plan = write(tmp_path, {role: stems[role][: 30 * RATE] for role in roles}, "alone")
    assert main(["mix", plan, "--out", str(tmp_path / "out"), "--first-balance"]) == 0
    report = json.loads((tmp_path / "out" / "report.json").read_text())
    assert report["deliveries"][0]["integrated_lufs"] == pytest.approx(-23.0, abs=0.1)
    if roles != ("dialogue",):
        changed = [c["what"] for action in report["actions"] for c in action["changes"]]
        assert changed == ["programme"]


def test_a_clip_of_two_seconds_and_silence_are_no_trouble(tmp_path, capsys):
    _, stems = material.two_hander()
    short = {role: audio[5 * RATE : 7 * RATE] for role, audio in stems.items()}
    assert (
        main(["mix", write(tmp_path / "a", short, "short"), "--out", str(tmp_path / "a/out"), "--first-balance"]) == 0
    )
    silent = {role: np.zeros_like(audio) for role, audio in short.items()}
    main(["mix", write(tmp_path / "b", silent, "silent"), "--out", str(tmp_path / "b/out"), "--first-balance"])
    assert "silent" in capsys.readouterr().out
