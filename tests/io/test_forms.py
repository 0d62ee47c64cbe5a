"""Deliveries in the forms that specifications ask for, from one render: rate, channels, leader, names."""

from dataclasses import replace
from datetime import datetime

import numpy as np
import pytest
import soundfile
import soxr
import wavinfo

from recitant_core.delivery.orders.orders import Order, Wanted
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.delivery.specification.form import Channels, Form, Leader
from recitant_core.errors import PlanError
from recitant_core.measure.meter import measure
from recitant_core.units.channels import MONO, STEREO
from recitant_io.delivery.delivery import deliver, planned_files
from recitant_io.delivery.planned import Origin
from signals.plans import voice_and_score

PLAN, SOURCES = voice_and_score(20)
ORIGIN = Origin("v2", datetime(2026, 11, 29, 12, 0))
EVERYTHING = Wanted(("mix", "stems", "m-and-e"))


def order(form, wanted=EVERYTHING, spec_id="podcast-16"):
    return Order(replace(spec_by_id(spec_id), spec_id="own", form=form), wanted)


def test_a_mono_form_is_fitted_folded_and_adds_up(tmp_path):
    (done,) = deliver(PLAN, SOURCES, [order(Form(channels=Channels.MONO))], tmp_path, origin=ORIGIN)
    read = {path.stem: soundfile.read(path, dtype="float32", always_2d=True)[0] for path in tmp_path.glob("*.wav")}
    assert {audio.shape[1] for audio in read.values()} == {1}
    found = measure(read["mix-own"], MONO)
    assert done.verdict.is_passed and found.integrated_lufs == pytest.approx(-19.0, abs=0.1)
    bext = wavinfo.WavInfoReader(str(tmp_path / "mix-own.wav")).bext
    assert bext.loudness_value == pytest.approx(found.integrated_lufs, abs=0.006)
    assert bext.max_true_peak == pytest.approx(found.true_peak_dbtp, abs=0.006)
    # Before the last limiter the stems add up: compared where it does not work.
    total = read["stem-dialogue-own"] + read["stem-music-own"]
    quiet = np.abs(total) < 0.02
    assert np.median(np.abs(total - read["mix-own"])[quiet]) < 4 / (1 << 23)


def test_another_rate_keeps_the_ceiling_and_stays_in_time(tmp_path):
    form = Form(rate_hz=44_100, leader=Leader.TONE, leader_s=5.0, tail_s=1.0, start_timecode="10:00:00:00")
    (done,) = deliver(PLAN, SOURCES, [order(form, spec_id="online-14")], tmp_path, origin=ORIGIN)
    (mix,) = [file for file in done.files if file.kind == "mix"]
    assert (mix.rate_hz, mix.codec, mix.decoded["shift_samples"], mix.decoded["passes"]) == (44_100, "wav", 0, True)
    read, rate_hz = soundfile.read(tmp_path / mix.file, dtype="float32")
    assert (rate_hz, len(read)) == (44_100, 26 * 44_100)
    inside = soxr.resample(read[5 * 44_100 : 25 * 44_100], 44_100, 48_000, "VHQ")
    found = measure(np.ascontiguousarray(inside), STEREO)
    assert found.true_peak_dbtp <= -1.0 and found.integrated_lufs == pytest.approx(-14.0, abs=0.15)
    # The programme begins at ten o'clock; the leader five seconds before.
    starts = {wavinfo.WavInfoReader(str(path)).bext.time_reference for path in tmp_path.glob("*.wav")}
    assert starts == {(36_000 - 5) * 44_100}


def test_pairs_and_names_from_a_pattern(tmp_path):
    form = Form(channels=Channels.TWO_MONO, names="{title}_{version}_{role}_{lang}_{date}_{rate}", language="deu")
    wanted = replace(EVERYTHING, codecs=(("mp3", 128),))
    (done,) = deliver(PLAN, SOURCES, [order(form, wanted)], tmp_path, origin=ORIGIN)
    names = [file.file for file in done.files]
    assert names[:2] == [f"Night_harbour_v2_mix_deu_2026-11-29_48k-{side}.wav" for side in "LR"]
    assert names[-1] == "Night_harbour_v2_mix_deu_2026-11-29_128k.mp3"
    assert sorted(names) == sorted(path.name for path in tmp_path.iterdir() if path.suffix in (".wav", ".mp3"))
    assert all(len(file.sha256) == 64 for file in done.files)


@pytest.mark.parametrize(
    ("orders", "code"),
    [
        ([order(Form(names="{title}"))], "names_collide"),
        ([order(Form(names="{role}"), replace(EVERYTHING, codecs=(("mp3", 96), ("mp3", 128))))], "names_collide"),
        ([order(Form()), order(Form())], "names_collide"),
        ([order(Form("flac"), replace(EVERYTHING, codecs=(("flac", None),)))], "names_collide"),
        ([order(Form(names="{version}"), Wanted(("mix",)))], "names_empty"),
        ([order(Form(start_timecode="10:00:00:25"))], "start_not_at_rate"),
    ],
)
def test_what_cannot_be_named_is_refused_before_anything_is_rendered(orders, code):
    with pytest.raises(PlanError, match=code):
        planned_files(PLAN, orders, Origin())


def test_one_render_serves_every_form(tmp_path):
    forms = [Form(), Form("flac", channels=Channels.MONO), Form("aiff", 44_100)]
    orders = [
        replace(order(form, spec_id="ebu-r128"), spec=replace(spec_by_id("ebu-r128"), spec_id=f"own-{k}", form=form))
        for k, form in enumerate(forms)
    ]
    done = deliver(PLAN, SOURCES, orders, tmp_path, origin=ORIGIN)
    assert all(one.verdict.is_passed for one in done)
    # Stems that pass full scale alone are float, which is always WAV.
    suffixes = [{file.file.rpartition(".")[2] for file in one.files if file.bit_depth != 32} for one in done]
    assert suffixes == [{"wav"}, {"flac"}, {"aif"}]


def test_more_than_aiff_holds_is_refused_before_anything_is_rendered(monkeypatch):
    monkeypatch.setattr("recitant_io.formats.sound_file._MOST_AIFF_BYTES", 1_000)
    with pytest.raises(PlanError, match="aiff_too_long"):
        planned_files(PLAN, [order(Form("aiff"))], Origin())
