"""Uncompressed files in every form that a specification can ask for."""

import numpy as np
import pytest
import soundfile
import soxr
import wavinfo
from hypothesis import given, settings
from hypothesis import strategies as st

from recitant_core.delivery.specification.form import CONTAINERS, RATES_HZ, Channels, Form, Leader
from recitant_core.errors import PlanError
from recitant_io.formats import sound_file
from recitant_io.formats.riff import Description
from recitant_io.formats.sound_file import SoundFileForm, programme_sound, sound_writer
from signals import programme

AUDIO = programme(7, 1.5)


def written(path, form, audio=AUDIO, bit_depth=24, description=None, piece=10_000):
    shape = SoundFileForm(audio.shape[1], bit_depth, len(audio), form, description)
    with sound_writer(path, shape) as file:
        for start in range(0, len(audio), piece):
            file.write_audio(audio[start : start + piece])
    return shape


@pytest.mark.parametrize("container", CONTAINERS)
@pytest.mark.parametrize("bit_depth", [16, 24])
def test_every_container_holds_the_samples(tmp_path, container, bit_depth):
    path = tmp_path / "x"
    shape = written(path, Form(container), bit_depth=bit_depth)
    info = soundfile.info(path)
    assert (info.format, info.subtype) == (container.upper(), f"PCM_{bit_depth}")
    read = np.concatenate(list(programme_sound(path, shape)))
    assert np.abs(read - AUDIO).max() <= 2.0 / (1 << (bit_depth - 1))


@pytest.mark.parametrize("container", CONTAINERS)
def test_a_leader_of_tone_and_a_tail_stand_around_the_programme(tmp_path, container):
    # EBU R 68: alignment level 18 dB under full scale; a sine's RMS lies 3.01 dB under its peak.
    form = Form(container, leader=Leader.TONE, leader_s=0.5, tail_s=0.25)
    written(tmp_path / "x", form)
    read, _ = soundfile.read(tmp_path / "x")
    leader, tail = read[:24_000], read[-12_000:]
    assert len(read) == 24_000 + len(AUDIO) + 12_000 and not tail.any()
    assert 20 * np.log10(np.abs(leader).max()) == pytest.approx(-18.0, abs=0.01)
    spectrum = np.abs(np.fft.rfft(leader[:, 0] * np.hanning(len(leader))))
    assert np.argmax(spectrum) * 48_000 / len(leader) == pytest.approx(1_000, abs=3)
    plain = SoundFileForm(2, 24, len(AUDIO), form)
    back = np.concatenate(list(programme_sound(tmp_path / "x", plain)))
    assert np.abs(back - AUDIO).max() < 1e-6


def test_at_another_rate_it_is_what_another_resampler_call_gives_in_one_go(tmp_path):
    shape = written(tmp_path / "x", Form(rate_hz=44_100, leader_s=0.01))
    read, rate_hz = soundfile.read(tmp_path / "x")
    whole = soxr.resample(AUDIO, 48_000, 44_100, "VHQ")
    assert rate_hz == 44_100 and len(read) == 441 + shape.programme_frames
    assert np.abs(read[441 : 441 + len(whole)] - whole).max() < 1e-5
    back = np.concatenate(list(programme_sound(tmp_path / "x", shape)))
    inside = slice(2_000, len(AUDIO) - 2_000)
    # What lies above 20 kHz is gone.
    low = soxr.resample(soxr.resample(AUDIO, 48_000, 44_100, "VHQ"), 44_100, 48_000, "VHQ")
    assert np.abs(back[: len(AUDIO)][inside] - low[: len(AUDIO)][inside]).max() < 1e-4


def test_two_mono_files_are_the_sides(tmp_path):
    description = Description("Harbour, mix", starts_at=48_000 * 60)
    shape = written(tmp_path / "mix.wav", Form(channels=Channels.TWO_MONO, leader_s=10.0), description=description)
    paths = shape.paths(tmp_path / "mix.wav")
    assert [path.name for path in paths] == ["mix-L.wav", "mix-R.wav"] and not (tmp_path / "mix.wav").exists()
    for side, path in enumerate(paths):
        read, _ = soundfile.read(path, always_2d=True)
        assert read.shape[1] == 1 and np.abs(read[480_000:, 0] - AUDIO[:, side]).max() < 1e-6
        found = wavinfo.WavInfoReader(str(path))
        assert found.bext.time_reference == 48_000 * 50  # the leader begins ten seconds before
        assert found.bext.description == f"Harbour, mix {'LR'[side]}"
        assert found.bext.coding_history == "A=PCM,F=48000,W=24,M=mono,T=Recitant\r\n"
        assert [track.name for track in found.ixml.track_list] == ["LR"[side]]


def test_float_is_always_wav(tmp_path):
    shape = written(tmp_path / "x", Form("flac"), AUDIO * np.float32(4.0), bit_depth=32)
    assert shape.container == "wav" and soundfile.info(tmp_path / "x").subtype == "FLOAT"
    assert np.array_equal(np.concatenate(list(programme_sound(tmp_path / "x", shape))), AUDIO * np.float32(4.0))


def test_more_than_aiff_holds_is_refused_and_leaves_nothing(tmp_path, monkeypatch):
    monkeypatch.setattr(sound_file, "_MOST_AIFF_BYTES", 1_000)
    with pytest.raises(PlanError, match="aiff_too_long"):
        written(tmp_path / "x.aif", Form("aiff"))
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("form", [Form(), Form("flac"), Form(channels=Channels.TWO_MONO)])
def test_work_that_fails_leaves_no_file_and_not_the_half_of_a_pair(tmp_path, form):
    (tmp_path / "x.wav").write_text("of before")
    shape = SoundFileForm(2, 24, len(AUDIO), form)
    with pytest.raises(KeyError), sound_writer(tmp_path / "x.wav", shape) as file:
        file.write_audio(AUDIO[:1_000])
        raise KeyError
    assert [path.name for path in tmp_path.iterdir()] == ["x.wav"]
    assert (tmp_path / "x.wav").read_text() == "of before"


@settings(max_examples=30)
@given(
    st.integers(1, 9_000),
    st.sampled_from(RATES_HZ),
    st.integers(0, 30),
    st.integers(0, 30),
    st.sampled_from(Channels),
    st.sampled_from(CONTAINERS),
    st.integers(1, 5_000),
)
def test_length_is_leader_programme_and_tail(tmp_path_factory, n, rate_hz, leader, tail, channels, container, piece):
    path = tmp_path_factory.mktemp("x") / "x"
    form = Form(container, rate_hz, channels, leader_s=leader / 100, tail_s=tail / 100)
    shape = written(path, form, AUDIO[:n], piece=piece)
    for one in shape.paths(path):
        assert soundfile.info(one).frames == (leader + tail) * rate_hz // 100 + -(-n * rate_hz // 48_000)
