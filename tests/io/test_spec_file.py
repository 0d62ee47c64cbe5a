"""Specifications of one's own: as files, as verdicts, and what is wrong with them said at its place."""

import json
from dataclasses import replace

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from recitant_cli.__main__ import main
from recitant_core.delivery.fitting.fit import FitState, fit
from recitant_core.delivery.fitting.trial import MixInMemory, render_once
from recitant_core.delivery.judging.judge import State, judge
from recitant_core.delivery.specification.catalogue import CATALOGUE, spec_by_id
from recitant_core.delivery.specification.model import Anchor, Spec
from recitant_core.delivery.specification.spec_json import spec_from_data, spec_to_data
from recitant_core.errors import PlanError
from recitant_core.measure.meter import Readings
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.roles import Role
from recitant_io.formats.json_file import require_valid
from recitant_io.formats.spec_file import spec_of_text
from signals import RATE_HZ, MemorySource, sine

STUDIO = {
    "specification": 1,
    "id": "studio-4",
    "name": "Studio 4",
    "source": "their delivery sheet",
    "target_lufs": -24,
    "tolerance_lu": 0.5,
    "max_true_peak_dbtp": -2,
    "max_momentary_lufs": -16,
    "max_range_lu": 12,
}


def written(tmp_path, **changes):
    path = tmp_path / "own.json"
    path.write_text(json.dumps({key: value for key, value in (STUDIO | changes).items() if value is not ...}))
    return str(path)


@pytest.mark.parametrize("spec", CATALOGUE, ids=lambda spec: spec.spec_id)
def test_what_ships_can_be_written_and_read(spec):
    data = json.loads(json.dumps(spec_to_data(spec)))
    require_valid(data, "specification")
    assert spec_from_data(data) == spec


limits = st.none() | st.floats(-40, 0)


@given(st.floats(-40, -5), st.floats(0.1, 10), limits, limits, st.none() | st.floats(1, 60), st.sampled_from(Anchor))
def test_any_specification_comes_back_as_it_was(target, tolerance, short, momentary, most, anchor):
    limits = {"max_short_term_lufs": short, "max_momentary_lufs": momentary, "max_range_lu": most}
    spec = Spec("own-1", "Own", "", target, tolerance, -1.0, **limits, anchor=anchor, bit_depth=16)
    data = json.loads(json.dumps(spec_to_data(spec)))
    require_valid(data, "specification")
    assert spec_from_data(data) == spec


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"target_lufs": ...}, "target_lufs is missing"),
        ({"target_lufs": 3}, "not right at target_lufs"),
        ({"target_lufs": float("nan")}, "NaN"),
        ({"max_true_peak_dbtp": "-1"}, "not right at max_true_peak_dbtp"),
        ({"max_truepeak": -1}, "“max_true_peak_dbtp” is probably meant"),
        ({"id": "../up"}, "not right at id"),
        ({"id": "ebu-r128"}, "comes with Recitant"),
        ({"anchor": "music"}, "not right at anchor"),
    ],
)
def test_what_is_wrong_is_said_at_its_place(tmp_path, capsys, changes, words):
    soundfile.write(tmp_path / "a.wav", sine(-24, 1), RATE_HZ, "PCM_24")
    assert main(["check", str(tmp_path / "a.wav"), "--spec", written(tmp_path, **changes)]) == 2
    said = capsys.readouterr().err
    assert words in said and len(said.splitlines()) == 1


@pytest.mark.parametrize("text", [b"{", b"[]", b"\xff\xfe", b"[" * 3_000])
def test_what_is_no_specification_is_refused(tmp_path, text):
    (tmp_path / "own.json").write_bytes(text)
    with pytest.raises(PlanError):
        spec_of_text(str(tmp_path / "own.json"))


def test_a_file_is_checked_against_ones_own(tmp_path, capsys):
    soundfile.write(tmp_path / "a.wav", sine(-24, 5), RATE_HZ, "PCM_24")
    assert main(["check", str(tmp_path / "a.wav"), "--spec", written(tmp_path)]) == 0
    assert main(["check", str(tmp_path / "a.wav"), "--spec", written(tmp_path, max_momentary_lufs=-25)]) == 1
    said = capsys.readouterr().out
    assert "Studio 4" in said and "at most −25.0" in said
    assert main(["check", str(tmp_path / "a.wav"), "--spec", str(tmp_path / "none.json")]) == 2


def test_a_mix_is_made_for_ones_own_and_for_what_ships(tmp_path, capsys):
    soundfile.write(tmp_path / "a.wav", sine(-30, 5), RATE_HZ, "PCM_24")
    clip = {"file": "a.wav", "at_s": 0}
    plan = {"plan": 1, "title": "t", "frame_rate": "25", "tracks": [{"name": "v", "role": "music", "clips": [clip]}]}
    (tmp_path / "p.json").write_text(json.dumps(plan))
    command = ["mix", str(tmp_path / "p.json"), "--out", str(tmp_path / "out"), "--json"]
    own = written(tmp_path)
    assert main([*command, "--spec", own, "--spec", "online-14", "--spec", own]) == 0
    done = json.loads(capsys.readouterr().out)["deliveries"]
    assert [one["spec"] for one in done] == ["studio-4", "online-14"]
    assert done[0]["integrated_lufs"] == pytest.approx(-24.0, abs=0.1)
    assert (tmp_path / "out" / "mix-studio-4.wav").exists()
    other = tmp_path / "other.json"
    other.write_text(json.dumps(STUDIO | {"target_lufs": -20}))
    assert main([*command, "--spec", own, "--spec", str(other)]) == 2
    assert "Two different specifications" in capsys.readouterr().err


def test_limits_of_momentary_loudness_and_range_are_judged():
    readings = Readings(-24.0, 14.0, -15.0, -18.0, -3.0, -3.5)
    spec = spec_from_data(STUDIO)
    states = {check.key: check for check in judge(readings, spec).checks}
    assert states["max_momentary_lufs"].state is State.FAIL and states["max_momentary_lufs"].miss == pytest.approx(1.0)
    assert states["range_lu"].state is State.FAIL and states["range_lu"].miss == pytest.approx(2.0)
    assert states["max_short_term_lufs"].state is State.REPORTED
    assert judge(replace(readings, range_lu=12.0, max_momentary_lufs=-16.0), spec).is_passed
    assert judge(readings, spec_by_id("atsc-a85")).is_passed


@pytest.mark.parametrize(
    ("limits", "state"),
    [
        ({"max_momentary_lufs": -23.0, "max_range_lu": None}, FitState.MOMENTARY_OVER),
        ({"max_momentary_lufs": None, "max_range_lu": 5.0}, FitState.RANGE_OVER),
        ({"max_momentary_lufs": None, "max_range_lu": None}, FitState.REACHED),
    ],
)
def test_a_fit_says_which_limit_no_gain_can_meet(limits, state):
    audio = np.concatenate([sine(-20, 10), sine(-32, 10)]).astype(np.float32)
    source = MemorySource("a", audio)
    track = Track("0", "m", Role.MUSIC, clips=(Clip("0", "a", 0, 0, len(audio)),))
    plan = Plan("t", "25", (track,))
    found = fit(plan, render_once(plan, {"a": source}, MixInMemory()), spec_from_data(STUDIO | limits))
    assert found.state is state
