"""Compressed files of a delivery: their ceiling holds when they are played back, and what that took is said."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.signal import lfilter

from recitant_core.delivery.fitting.fit import fit
from recitant_core.delivery.fitting.trial import MixInMemory, render_once
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.errors import Cancelled
from recitant_core.timeline.model import Clip, Master, Plan, Track
from recitant_core.units.roles import Role
from recitant_io.delivery.encodes import CodecCopy, decoded_data, write_proved
from recitant_io.formats.codecs import CODECS
from signals import MemorySource, programme

SPEC = spec_by_id("online-14")


def fitted(audio, spec=SPEC):
    clip = Clip("a", "s", 0, 0, len(audio))
    plan = Plan("t", "25", (Track("1", "m", Role.MUSIC, clips=(clip,)),))
    known = render_once(plan, {"s": MemorySource("s", audio)}, MixInMemory())
    found = fit(plan, known, spec)
    return replace(plan, master=found.trial.master), known


@pytest.fixture(scope="module")
def loud():
    """Bursts that the limiter works on, and that codecs lift over its ceiling."""
    noise = np.random.default_rng(3).standard_normal((20 * 48_000, 2))
    noise = lfilter([0.036], [1.0, -0.7], noise, axis=0)
    for start in range(0, len(noise), 12_000):
        noise[start : start + 960] *= 3.0
    return fitted(noise.astype(np.float32))


@pytest.mark.parametrize("name", ["mp3", "m4a", "opus", "ac3"])
def test_the_ceiling_holds_when_it_is_played_back(tmp_path, loud, name):
    plan, known = loud
    found = write_proved(plan, known, SPEC, CodecCopy(tmp_path / f"a{CODECS[name].suffix}", CODECS[name], 2))
    assert found.decoded.readings.true_peak_dbtp <= SPEC.max_true_peak_dbtp
    assert found.verdict.is_passed and found.decoded.clipped_samples == 0
    assert found.decoded.shift_samples == found.decoded.of_codec_samples == (256 if name == "ac3" else 0)
    assert found.n_tries > 1 and found.master.ceiling_dbtp < plan.master.ceiling_dbtp


def test_what_a_codec_takes_of_the_loudness_is_given_back(tmp_path):
    spec = spec_by_id("ebu-r128")
    noise = np.random.default_rng(5).standard_normal((15 * 48_000, 2)) * 0.1
    bright = lfilter([1.0], [1.0, -0.6], noise, axis=0)  # a low rate leaves its top out
    plan, known = fitted(bright.astype(np.float32), spec)
    copy = CodecCopy(tmp_path / "a.mp3", CODECS["mp3"], 2, bit_rate_kbps=96)
    found = write_proved(plan, known, spec, copy)
    assert found.n_tries > 1 and found.decoded.readings.integrated_lufs == pytest.approx(-23.0, abs=0.15)
    assert found.master.gain_db > plan.master.gain_db


def test_a_mix_that_no_codec_harms_is_written_once(tmp_path):
    plan, known = fitted(programme(9, 10.0).astype(np.float32) * 0.1, spec_by_id("ebu-r128"))
    found = write_proved(plan, known, spec_by_id("ebu-r128"), CodecCopy(tmp_path / "a.flac", CODECS["flac"], 2))
    assert found.n_tries == 1 and found.master == plan.master and found.level_lost_lu == pytest.approx(0.0, abs=0.01)


def test_a_mix_that_misses_its_specification_is_not_turned_up_by_a_codec(tmp_path):
    plan, known = fitted(programme(9, 10.0).astype(np.float32))
    quiet = replace(plan, master=Master(plan.master.gain_db - 6.0, plan.master.ceiling_dbtp))
    found = write_proved(quiet, known, SPEC, CodecCopy(tmp_path / "a.opus", CODECS["opus"], 2))
    assert not found.verdict.is_passed and found.master.gain_db == quiet.master.gain_db


def test_a_copy_tells_how_far_it_is_and_can_be_stopped(tmp_path, loud):
    plan, known = loud
    copy = CodecCopy(tmp_path / "a.mp3", CODECS["mp3"], 2)
    shares = []
    write_proved(plan, known, SPEC, copy, shares.append)
    assert shares == sorted(shares) and shares[-1] == 1.0 and len(shares) > 5
    (tmp_path / "a.mp3").unlink()

    def stop(share):
        if share > 0.2:
            raise Cancelled("cancelled")

    with pytest.raises(Cancelled):
        write_proved(plan, known, SPEC, copy, stop)
    assert list(tmp_path.iterdir()) == []


def test_what_a_copy_took_is_told_in_figures(tmp_path, loud):
    plan, known = loud
    found = write_proved(plan, known, SPEC, CodecCopy(tmp_path / "a.mp3", CODECS["mp3"], 2))
    data = decoded_data(found, plan.master)
    assert data["ceiling_lowered_db"] == pytest.approx(plan.master.ceiling_dbtp - found.master.ceiling_dbtp)
    assert data["ceiling_lowered_db"] > 0.0 and data["tries"] == found.n_tries
    assert data["gain_changed_db"] == found.master.gain_db - plan.master.gain_db
    # A mix that needed no limiter: lowered from where the specification allows it.
    free = decoded_data(found, Master(plan.master.gain_db))
    assert free["ceiling_lowered_db"] == pytest.approx(SPEC.max_true_peak_dbtp - found.master.ceiling_dbtp)


def test_silence_is_copied_and_says_so(tmp_path):
    plan, known = fitted(np.zeros((48_000, 2), np.float32))
    found = write_proved(plan, known, SPEC, CodecCopy(tmp_path / "a.m4a", CODECS["m4a"], 2))
    data = decoded_data(found, plan.master)
    assert not found.verdict.is_passed and found.n_tries == 1
    assert (data["integrated_lufs"], data["true_peak_dbtp"], data["level_lost_lu"]) == (None, None, None)
