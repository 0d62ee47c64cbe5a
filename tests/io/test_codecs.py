"""Codecs: in step to the sample with what went in, as long as it, and as loud; read by FFmpeg and libsndfile."""

import av
import numpy as np
import pytest
import soundfile

from recitant_core.errors import PlanError, StorageFull
from recitant_core.measure.meter import measure
from recitant_core.units.channels import MONO, STEREO
from recitant_io.delivery.encodes import CodecCopy, Places, decoded
from recitant_io.formats.codecs import CODECS, checked_bit_rate, codec_by_name, decoded_blocks, encode, round_trip
from recitant_io.media.labels import Labels
from signals import RATE_HZ, programme, sine

LENGTH_SAMPLES = 12 * RATE_HZ + 17
SOUND = programme(5, 13.0)[:LENGTH_SAMPLES].astype(np.float32)


def blocks_of(audio, size=70_001):
    return (audio[at : at + size] for at in range(0, len(audio), size))


def windows_of(audio):
    places = Places(len(audio))
    for block in blocks_of(audio, 96_000):
        places.feed(block)
    return places.windows()


@pytest.mark.parametrize("name", CODECS)
@pytest.mark.parametrize("n_channels", [1, 2])
def test_what_comes_back_is_in_step_and_as_long(tmp_path, name, n_channels):
    codec, audio = codec_by_name(name), SOUND[:, :n_channels]
    path = tmp_path / f"a{codec.suffix}"
    encode(blocks_of(audio), path, codec, n_channels)
    found = decoded(CodecCopy(path, codec, 2), windows_of(audio))
    assert found.shift_samples == codec.delay_samples  # told as it plays back
    # MP3 and AC-3 end with a whole block: 1,152 and 1,536 samples, of which MP3 declares most as padding.
    more = found.length_samples - codec.delay_samples - LENGTH_SAMPLES
    assert 0 <= more <= {"mp3": 31, "ac3": 1_536}.get(name, 0)
    before = measure(audio, MONO if n_channels == 1 else STEREO)
    assert found.readings.integrated_lufs == pytest.approx(before.integrated_lufs, abs=0.5)
    if codec.is_lossless:
        assert found.readings.true_peak_dbtp == pytest.approx(before.true_peak_dbtp, abs=1e-4)


def test_a_lossless_file_holds_the_very_samples(tmp_path):
    whole = np.round(SOUND.astype(np.float64) * (1 << 23)).astype(np.int32)
    encode(blocks_of((whole / (1 << 23)).astype(np.float32)), tmp_path / "a.flac", codec_by_name("flac"), 2)
    back, _ = soundfile.read(tmp_path / "a.flac", dtype="int32")
    assert np.array_equal(back >> 8, whole)


def test_a_file_that_is_late_is_found_out(tmp_path):
    codec = codec_by_name("flac")
    late = np.concatenate([np.zeros((7, 2), np.float32), SOUND])
    encode(blocks_of(late), tmp_path / "late.flac", codec, 2)
    assert decoded(CodecCopy(tmp_path / "late.flac", codec, 2), windows_of(SOUND)).shift_samples == 7
    encode(blocks_of(SOUND[5:]), tmp_path / "early.flac", codec, 2)
    assert decoded(CodecCopy(tmp_path / "early.flac", codec, 2), windows_of(SOUND)).shift_samples == -5


def test_the_periods_of_a_tone_are_no_shift(tmp_path):
    codec, tone = codec_by_name("m4a"), sine(-20, 6.0).astype(np.float32)
    encode(blocks_of(tone), tmp_path / "a.m4a", codec, 2)
    assert decoded(CodecCopy(tmp_path / "a.m4a", codec, 2), windows_of(tone)).shift_samples == 0


def test_samples_beyond_full_scale_are_counted(tmp_path):
    codec = codec_by_name("mp3")
    loud = np.sign(SOUND) * 0.99
    encode(blocks_of(loud), tmp_path / "loud.mp3", codec, 2)
    found = decoded(CodecCopy(tmp_path / "loud.mp3", codec, 2), windows_of(loud))
    assert found.clipped_samples > 1_000 and found.readings.sample_peak_dbfs > 0.0


def test_tags_are_in_the_file(tmp_path):
    tags = {"title": "Harbour", "artist": "Foundry Films", "date": "2026"}
    for name in ("mp3", "m4a", "opus", "flac"):
        path = tmp_path / f"a{CODECS[name].suffix}"
        encode(blocks_of(SOUND), path, CODECS[name], 2, labels=Labels(tags))
        with av.open(str(path)) as file:
            found = {key.lower(): value for key, value in {**file.metadata, **file.streams.audio[0].metadata}.items()}
        assert {key: found[key] for key in tags} == tags, name


def test_what_a_codec_does_not_offer_is_refused_and_nothing_stays(tmp_path):
    with pytest.raises(PlanError, match="no_such_bit_rate"):
        encode(blocks_of(SOUND), tmp_path / "a.mp3", codec_by_name("mp3"), 2, bit_rate_kbps=1_000)
    with pytest.raises(PlanError, match="unknown_codec"):
        codec_by_name("wma")

    def failing():
        yield SOUND[:48_000]
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        encode(failing(), tmp_path / "a.m4a", codec_by_name("m4a"), 2)
    assert list(tmp_path.iterdir()) == []


def test_silence_has_no_place_and_no_shift(tmp_path):
    codec, silence = codec_by_name("opus"), np.zeros((RATE_HZ, 2), np.float32)
    assert windows_of(silence) == []
    encode(blocks_of(silence), tmp_path / "a.opus", codec, 2)
    assert decoded(CodecCopy(tmp_path / "a.opus", codec, 2), []).shift_samples == 0
    assert sum(map(len, decoded_blocks(tmp_path / "a.opus"))) == RATE_HZ


def test_a_full_disk_is_said_and_another_fault_is_not_called_one(tmp_path, monkeypatch):
    plain = av.open
    monkeypatch.setattr(
        av, "open", lambda file, mode="r", **more: plain("/dev/full" if mode == "w" else file, mode, **more)
    )
    with pytest.raises(StorageFull):
        encode(blocks_of(SOUND), tmp_path / "a.mp3", codec_by_name("mp3"), 2)
    monkeypatch.undo()
    with pytest.raises(FileNotFoundError):
        encode(blocks_of(SOUND), tmp_path / "nowhere" / "a.mp3", codec_by_name("mp3"), 2)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize(("given", "kbps"), [(None, 192), (128, 128)])
def test_a_bit_rate_is_the_one_asked_for_or_the_usual_one(given, kbps):
    assert checked_bit_rate(codec_by_name("mp3"), given) == kbps
    assert checked_bit_rate(codec_by_name("flac"), None) is None
    with pytest.raises(PlanError, match="no_such_bit_rate"):
        checked_bit_rate(codec_by_name("mp3"), 0)


@pytest.mark.parametrize("n_channels", [1, 2])
def test_a_round_trip_in_memory_is_what_a_file_plays_back_as(tmp_path, n_channels):
    audio = programme(8, 4.0)[:, :n_channels]
    path = tmp_path / "a.m4a"
    encode([audio], path, codec_by_name("m4a"), n_channels, bit_rate_kbps=96)
    played = np.concatenate(list(decoded_blocks(path)))
    heard = round_trip(audio, codec_by_name("m4a"), 96)
    assert heard.shape == audio.shape
    assert np.abs(heard[:-2048] - played[: len(heard) - 2048]).max() < 1e-5


def test_a_round_trip_refuses_what_the_codec_has_not():
    with pytest.raises(PlanError):
        round_trip(programme(8, 1.0), codec_by_name("m4a"), 97)
