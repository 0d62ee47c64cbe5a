"""Decoding and conforming: common formats come in alike, bad files get their code and leave nothing behind."""

import struct

import av
import numpy as np
import pytest
import soundfile

from recitant_core.errors import MediaError, RecitantError, StorageFull
from recitant_io.media.confined import open_media
from recitant_io.store import conform as conforming
from recitant_io.store.conform import FileSource, StoredSource, conform, stored_energy
from recitant_text.sentences import sentence
from signals import RATE_HZ, programme, sine

AUDIO = programme(4, 1.5)


def _read(path):
    with open_media(path) as (facts, blocks):
        return facts, np.concatenate(list(blocks))


def _encode(path, codec, container=None):
    with av.open(str(path), "w", format=container) as file:
        stream = file.add_stream(codec, rate=RATE_HZ, layout="stereo")
        planar = np.ascontiguousarray(AUDIO.T)
        frame = av.AudioFrame.from_ndarray(planar, format="fltp", layout="stereo")
        frame.sample_rate = RATE_HZ
        for packet in (*stream.encode(frame), *stream.encode(None)):
            file.mux(packet)


@pytest.mark.parametrize(
    ("name", "subtype"),
    [("a.wav", "PCM_16"), ("a.wav", "PCM_24"), ("a.wav", "FLOAT"), ("a.flac", "PCM_24"), ("a.aiff", "PCM_16")],
)
def test_pcm_comes_in_to_the_sample(tmp_path, name, subtype):
    soundfile.write(tmp_path / name, AUDIO, RATE_HZ, subtype)
    facts, audio = _read(tmp_path / name)
    assert (facts.rate_hz, facts.layout.name, facts.is_seekable_pcm) == (RATE_HZ, "stereo", True)
    assert np.allclose(audio, AUDIO, atol=2.0**-15)


@pytest.mark.parametrize(("name", "codec"), [("a.m4a", "aac"), ("a.mkv", "ac3"), ("a.mka", "aac")])
def test_the_sound_of_containers(tmp_path, name, codec):
    _encode(tmp_path / name, codec)
    facts, audio = _read(tmp_path / name)
    assert facts.rate_hz == RATE_HZ
    assert abs(len(audio) - len(AUDIO)) <= 4_096
    assert np.abs(audio).max() == pytest.approx(np.abs(AUDIO).max(), rel=0.3)


def _bytes(path, data):
    path.write_bytes(data)
    return path


def _wav(path, audio, subtype="PCM_16", rate_hz=RATE_HZ):
    soundfile.write(path, audio, rate_hz, subtype)
    return path


def _cut(path):
    data = _wav(path, AUDIO).read_bytes()
    return _bytes(path, data[: len(data) // 2])


def _lying(path):
    data = bytearray(_wav(path, AUDIO[:100]).read_bytes())
    at = data.index(b"data")
    data[at + 4 : at + 8] = struct.pack("<I", 1 << 30)
    return _bytes(path, bytes(data))


def _nan(path):
    audio = AUDIO.copy()
    audio[30_000, 1] = np.nan
    return _wav(path, audio, "FLOAT")


def _infinite(path):
    audio = AUDIO.copy()
    audio[100, 0] = -np.inf
    return _wav(path, audio, "FLOAT")


def _silent_movie(path):
    with av.open(str(path), "w", format="mp4") as file:
        stream = file.add_stream("libx264", rate=25)
        stream.width = stream.height = 64
        stream.pix_fmt = "yuv420p"
        frame = av.VideoFrame.from_ndarray(np.zeros((64, 64, 3), np.uint8), format="rgb24")
        for packet in (*stream.encode(frame), *stream.encode(None)):
            file.mux(packet)
    return path


BAD = {
    "empty_file": lambda p: _bytes(p, b""),
    "cut_short": _cut,
    "not_media": lambda p: _bytes(p, b"This is a shopping list, not a sound.\n" * 50),
    "unsupported_layout": lambda p: _wav(p, np.zeros((1_000, 8), np.float32)),
    "not_numbers": _nan,
    "no_audio": _silent_movie,
}


@pytest.mark.parametrize("code", BAD)
def test_bad_files_say_what_is_wrong(tmp_path, code):
    path = BAD[code](tmp_path / "take.wav")
    folder = tmp_path / "conformed"
    with pytest.raises(MediaError) as caught:
        conform(path, folder)
    assert caught.value.code == code
    assert not list(folder.glob("*"))
    words = sentence(caught.value)
    assert "{" not in words and words.endswith(".")


def test_headers_that_lie_and_infinite_samples(tmp_path):
    for make, code in ((_lying, "cut_short"), (_infinite, "not_numbers")):
        with pytest.raises(MediaError) as caught:
            _read(make(tmp_path / "x.wav"))
        assert caught.value.code == code


def test_a_missing_file_and_a_folder(tmp_path):
    for path, code in ((tmp_path / "none.wav", "missing_file"), (tmp_path, "is_a_folder")):
        with pytest.raises(RecitantError) as caught:
            _read(path)
        assert caught.value.code == code


@pytest.mark.parametrize("rate_hz", [8_000, 44_100, 96_000, 192_000])
def test_conformed_to_48_khz(tmp_path, rate_hz):
    tone = sine(-12, 2.0, 440.0, rate_hz=rate_hz)
    made = conform(_wav(tmp_path / "a.wav", tone, "PCM_24", rate_hz), tmp_path / "c")
    assert abs(made.length_samples - 2 * RATE_HZ) <= 2
    source = StoredSource(tmp_path / "c" / "audio.f32", "k", made.n_channels)
    middle = source.read(24_000, 48_000)
    expected = sine(-12, 2.0, 440.0)[24_000:72_000]
    assert np.abs(middle - expected).max() < 2e-3
    assert stored_energy(tmp_path / "c").shape == (made.length_samples // 480, {1: 1, 2: 3}[made.n_channels])


def test_the_outline_holds_every_extreme(tmp_path):
    conform(_wav(tmp_path / "a.wav", AUDIO, "FLOAT"), tmp_path / "c")
    wave = np.fromfile(tmp_path / "c" / "wave.i16", np.int16).reshape(-1, 2, 2)
    assert len(wave) == -(-len(AUDIO) // 256)
    whole = len(AUDIO) // 256 * 256
    cut = AUDIO[:whole].reshape(-1, 256, 2)
    assert np.abs(wave[: len(cut), :, 0] - cut.min(axis=1) * 32_767).max() <= 0.51
    assert np.abs(wave[: len(cut), :, 1] - cut.max(axis=1) * 32_767).max() <= 0.51


def test_two_samples_are_a_recording(tmp_path):
    made = conform(_wav(tmp_path / "a.wav", AUDIO[:2]), tmp_path / "c")
    assert made.length_samples == 2
    assert made.readings.integrated_lufs is None


def test_a_source_reads_any_place(tmp_path):
    path = _wav(tmp_path / "a.wav", AUDIO, "FLOAT")
    source = FileSource(path, "k")
    for start in (50_000, 0, 71_000):
        assert np.array_equal(source.read(start, 1_000), AUDIO[start : start + 1_000])


def test_a_full_disk_is_said_and_leaves_nothing(tmp_path, monkeypatch):
    path = _wav(tmp_path / "a.wav", AUDIO)

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(conforming.os, "fsync", full)
    with pytest.raises(StorageFull):
        conform(path, tmp_path / "c")
    assert not list((tmp_path / "c").iterdir())
