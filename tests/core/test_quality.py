"""What is looked at in finished files: each check finds its planted fault at its place, and nothing in a clean file."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from recitant_core.delivery.judging.quality import (
    CheckState,
    SoundChecks,
    dropout_check,
    length_check,
    same_check,
    stems_check,
)
from signals import programme

RATE = 48_000
CLEAN = programme(11, 10.0)
CLEAN *= np.float32(0.5 / np.abs(CLEAN).max())
CLEAN[:480] *= np.linspace(0, 1, 480, dtype=np.float32)[:, None]
CLEAN[-480:] *= np.linspace(1, 0, 480, dtype=np.float32)[:, None]


def checked(audio, piece=10_007, rate_hz=RATE, full_scale=1.0):
    found = SoundChecks("mix.wav", audio.shape[1], rate_hz, full_scale)
    for start in range(0, len(audio), piece):
        found.feed(audio[start : start + piece])
    return {one.check: one for one in found.quality_checks()}


def changed(change):
    audio = CLEAN.copy()
    change(audio)
    return audio


def silenced(audio):
    audio[3 * RATE : 3 * RATE + 2 * RATE + 480] = 0.0


def clipped(audio):
    audio[5 * RATE + 7 : 5 * RATE + 10, 1] = -1.0


def hard_start(audio):
    audio[:40] += 0.1


def hard_end(audio):
    audio[-40:] -= 0.1


def offset(audio):
    audio += 0.004
    audio[:48] -= 0.004
    audio[-48:] -= 0.004


def opposed(audio):
    audio[4 * RATE : 8 * RATE, 1] = -audio[4 * RATE : 8 * RATE, 0]


def test_a_clean_file_is_fine():
    found = checked(CLEAN)
    assert set(found) == {"over", "silence", "start", "end", "dc", "sides"}
    assert {one.state for one in found.values()} == {CheckState.FINE}
    assert all(one.at_s is None for one in found.values())


@pytest.mark.parametrize(
    ("change", "check", "state", "value", "at_s"),
    [
        (clipped, "over", CheckState.WRONG, 3, 5.0),
        (silenced, "silence", CheckState.REMARK, 2.01, 3.0),
        (hard_start, "start", CheckState.REMARK, -20.0, 0.0),
        (hard_end, "end", CheckState.REMARK, -20.0, 9.999),
        (offset, "dc", CheckState.REMARK, -48.0, None),
        (opposed, "sides", CheckState.REMARK, -1.0, 4.0),
    ],
)
def test_each_fault_is_found_at_its_place_and_no_other(change, check, state, value, at_s):
    found = checked(changed(change))
    assert found[check].state is state
    assert found[check].value == pytest.approx(value, abs=0.5 if check in ("dc", "start", "end") else 0.02)
    assert found[check].at_s == (None if at_s is None else pytest.approx(at_s, abs=0.001))
    assert {name for name, one in found.items() if one.state is not CheckState.FINE} == {check}


@pytest.mark.parametrize("seed", range(5))
def test_steady_noise_begins_and_ends_without_a_click(seed):
    noise = (0.05 * np.random.default_rng(seed).standard_normal(CLEAN.shape)).astype(np.float32)
    found = checked(noise)
    assert found["start"].state is found["end"].state is CheckState.FINE


def test_whole_numbers_reach_full_scale_a_step_under_one():
    audio = CLEAN.copy()
    audio[100_000:100_002] = 1.0 - 2.0**-23
    assert checked(audio)["over"].value == 0
    assert checked(audio, full_scale=1.0 - 2.0**-23)["over"].value == 4


def test_silence_before_the_first_sound_and_after_the_last_is_not_inside():
    around = np.concatenate([np.zeros((3 * RATE, 2), np.float32), CLEAN, np.zeros((3 * RATE, 2), np.float32)])
    assert checked(around)["silence"].state is CheckState.FINE


def test_quiet_room_tone_is_no_digital_silence_and_quiet_sides_are_not_compared():
    quiet = changed(silenced)
    quiet[3 * RATE : 5 * RATE + 480] = 1e-6
    assert checked(quiet)["silence"].value < 0.01
    low = CLEAN * np.float32(1e-4)
    low[:, 1] = -low[:, 0]
    assert "sides" not in checked(low)


def test_mono_has_no_sides_and_another_rate_its_own_seconds():
    assert "sides" not in checked(CLEAN[:, :1])
    found = checked(changed(silenced), rate_hz=44_100)["silence"]
    assert (found.value, found.at_s) == (pytest.approx(2.01 * 48 / 44.1, abs=0.01), pytest.approx(3 * 48 / 44.1))


@settings(max_examples=25)
@given(st.integers(1, 60_000))
def test_however_it_is_cut_the_same_is_found(piece):
    audio = changed(lambda one: (silenced(one), clipped(one)))
    for check, one in checked(audio, piece).items():
        whole = checked(audio, len(audio))[check]
        assert (one.state, one.at_s) == (whole.state, whole.at_s)
        assert one.value == pytest.approx(whole.value)


def test_stems_that_add_up_leave_dither_alone():
    step = 1.0 / (1 << 23)
    assert stems_check("stem", 3.0 * step, 0, 3).state is CheckState.FINE
    found = stems_check("stem", 20.0 * step, 96_000, 3)
    assert (found.state, found.at_s) == (CheckState.WRONG, 2.0)
    assert stems_check("stem", 0.0, 0, 3).value is None


def test_a_dropout_is_found_and_a_codecs_noise_is_none():
    rng = np.random.default_rng(3)
    went_in = rng.uniform(1.0, 2.0, 500)
    came_out = went_in * rng.uniform(0.7, 1.3, 500)
    assert dropout_check("mix.mp3", went_in, came_out).state is CheckState.FINE
    came_out[200:203] = 0.0
    found = dropout_check("mix.mp3", went_in, came_out)
    assert (found.state, found.value, found.at_s) == (CheckState.WRONG, 1, 2.0)
    quiet = went_in * 1e-9
    assert dropout_check("mix.mp3", quiet, np.zeros(500)).state is CheckState.FINE


@pytest.mark.parametrize(("by", "state"), [(0, "fine"), (1_536, "fine"), (-1, "wrong"), (48_000, "wrong")])
def test_a_file_that_ends_early_or_late_is_wrong(by, state):
    assert length_check("mix.ac3", 480_000 + by, 480_000).state == state


def test_what_is_on_disk_is_compared():
    assert (same_check("a", is_same=True).state, same_check("a", is_same=False).state) == ("fine", "wrong")
