"""Finished files looked at as they lie on disk."""

from dataclasses import replace

import numpy as np
import pytest
import soundfile

from recitant_core.delivery.judging.quality import CheckState
from recitant_core.delivery.orders.orders import Order, Wanted
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.delivery.specification.form import Channels, Form
from recitant_core.processors.model import Processor
from recitant_io.delivery import delivery
from recitant_io.delivery.delivery import deliver
from recitant_io.formats.sound_file import SoundReader
from recitant_text.quality_checks import check_sentence
from signals import programme
from signals.plans import voice_and_score

PLAN, SOURCES = voice_and_score(18)


def handed_over(folder, form=None, plan=PLAN, files="mix,stems", like="online-14"):
    form = form or Form()
    kinds = tuple(word for word in files.split(",") if word not in ("mp3", "ac3"))
    codecs = tuple((word, None) for word in files.split(",") if word in ("mp3", "ac3"))
    spec = replace(spec_by_id(like), spec_id="own", form=form)
    (done,) = deliver(plan, SOURCES, [Order(spec, Wanted(kinds, codecs))], folder)
    return done


@pytest.mark.parametrize("form", [Form(), Form(channels=Channels.MONO), Form(channels=Channels.TWO_MONO, leader_s=1.0)])
def test_every_file_of_a_clean_delivery_is_what_was_rendered(tmp_path, form):
    checks = handed_over(tmp_path, form, files="mix,stems,m-and-e,mp3,ac3").quality_checks
    by_check = {}
    for one in checks:
        by_check.setdefault(one.check, []).append(one)
    assert len(by_check["same"]) == 4 and len(by_check["length"]) == len(by_check["dropouts"]) == 2
    assert [one.file for one in by_check["over"]] == ["mix-own.wav", "m-and-e-own.wav"]
    (stems,) = by_check["stems"]
    assert stems.state is CheckState.FINE and stems.value < -120.0
    assert all(one.state is CheckState.FINE for check in ("same", "length", "dropouts") for one in by_check[check])
    assert all(check_sentence({"check": one.check, "state": one.state, "value": one.value}) for one in checks)


def test_stems_under_processors_of_the_master_are_not_held_to_their_sum(tmp_path):
    plan = replace(PLAN, master_chain=(Processor("high-pass"),))
    assert "stems" not in {one.check for one in handed_over(tmp_path, plan=plan).quality_checks}


def test_a_file_that_changes_on_its_way_to_the_disk_is_noticed(tmp_path, monkeypatch):
    plain = delivery.quality_checks_of

    def damaged(plan, known, found, sounds, progress):
        path = next(one.path for one in sounds if one.kind == "stem")
        values, _ = soundfile.read(path, dtype="int32")
        values[400_000:400_100] += 1 << 16
        soundfile.write(path, values, 48_000, "PCM_24", format="WAV")
        return plain(plan, known, found, sounds, progress)

    monkeypatch.setattr(delivery, "quality_checks_of", damaged)
    checks = handed_over(tmp_path, like="atsc-a85").quality_checks
    wrong = {(one.check, one.file) for one in checks if one.state is CheckState.WRONG}
    assert wrong == {("same", "stem-dialogue-own.wav"), ("stems", "stem-dialogue-own.wav")}
    (stems,) = [one for one in checks if one.check == "stems"]
    assert stems.at_s == pytest.approx(400_000 / 48_000, abs=0.003)


def test_at_another_rate_files_are_still_looked_at(tmp_path):
    checks = handed_over(tmp_path, Form(rate_hz=44_100)).quality_checks
    assert {one.check for one in checks} == {"same", "length", "dropouts"}
    assert {one.state for one in checks} == {CheckState.FINE}


def test_a_reader_gives_what_it_is_asked_for_and_ends(tmp_path):
    from contextlib import ExitStack

    from recitant_io.formats.sound_file import SoundFileForm, sound_writer

    audio = programme(3, 0.5)
    shape = SoundFileForm(2, 24, len(audio), Form(leader_s=0.1, tail_s=0.1))
    with sound_writer(tmp_path / "x.wav", shape) as file:
        file.write_audio(audio)
    with ExitStack() as stack:
        reader = SoundReader(tmp_path / "x.wav", shape, stack)
        parts = [reader.read(n) for n in (1, 10_000, 100_000, 10)]
    assert [len(part) for part in parts] == [1, 10_000, len(audio) - 10_001, 0]
    assert np.abs(np.concatenate(parts) - audio).max() < 1e-6 and reader.checksum == file.checksum
