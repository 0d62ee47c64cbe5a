"""Broadcast WAV and RF64, read by readers that are not ours: wavinfo, FFmpeg, libsndfile, Python's wave."""

import struct
import wave
from dataclasses import replace
from datetime import datetime
from fractions import Fraction

import av
import numpy as np
import pytest
import soundfile
import wavinfo

from recitant_core.measure.meter import Readings
from recitant_io.formats import riff
from recitant_io.formats.riff import Description, RiffWriter

MADE_AT = datetime(2026, 11, 29, 12, 0, 1)
TEN_O_CLOCK = 10 * 3_600 * 48_000
FOUND = Description("Ténor & Bass, mix", "Tenor", "abc", MADE_AT, TEN_O_CLOCK, "29.97df", ("L", "R"), "A=PCM,T=x\r\n")
READINGS = Readings(
    integrated_lufs=-23.04,
    max_momentary_lufs=-17.5,
    max_short_term_lufs=-19.0,
    range_lu=7.256,
    true_peak_dbtp=-1.02,
    sample_peak_dbfs=-1.3,
)


def written(path, values, description=FOUND, readings=None, bit_depth=24):
    file = RiffWriter(path, 48_000, values.shape[1], bit_depth, len(values), description)
    (file.write_float if bit_depth == riff.FLOAT_BITS else file.write_integers)(values)
    if readings is not None:
        file.measured(readings)
    file.close()
    return path


def counted(n_frames, n_channels=2):
    return np.arange(n_frames * n_channels, dtype=np.int32).reshape(-1, n_channels) - 1_000


def test_a_reader_of_broadcast_files_finds_every_field(tmp_path):
    path = written(tmp_path / "a.wav", counted(1_001), readings=READINGS)
    found = wavinfo.WavInfoReader(str(path))
    bext = found.bext
    assert (bext.description, bext.originator, bext.originator_ref) == ("Tenor & Bass, mix", "Recitant", "abc")
    assert (bext.originator_date, bext.originator_time) == ("2026-11-29", "12:00:01")
    assert (bext.version, bext.time_reference, bext.coding_history) == (2, TEN_O_CLOCK, "A=PCM,T=x\r\n")
    loudness = (
        bext.loudness_value,
        bext.loudness_range,
        bext.max_true_peak,
        bext.max_momentary_loudness,
        bext.max_shortterm_loudness,
    )
    assert loudness == pytest.approx((-23.04, 7.26, -1.02, -17.5, -19.0))
    assert [track.name for track in found.ixml.track_list] == ["L", "R"]
    speed = found.ixml.parsed.find("SPEED")
    assert speed.findtext("TIMECODE_RATE") == "30000/1001" and speed.findtext("TIMECODE_FLAG") == "DF"
    assert int(speed.findtext("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO")) == TEN_O_CLOCK
    assert found.data.frame_count == 1_001


def test_what_was_not_measured_is_marked_as_unknown(tmp_path):
    # EBU Tech 3285: 7FFFh where a value is not known.
    silent = replace(READINGS, integrated_lufs=float("-inf"), range_lu=None)
    bext = wavinfo.WavInfoReader(str(written(tmp_path / "a.wav", counted(10), readings=silent))).bext
    assert (bext.loudness_value, bext.loudness_range, bext.max_true_peak) == (327.67, 327.67, pytest.approx(-1.02))


@pytest.mark.parametrize(("n_channels", "bit_depth"), [(1, 16), (2, 24), (1, 24), (6, 24), (2, 32), (6, 32)])
def test_samples_come_back_exactly(tmp_path, n_channels, bit_depth):
    values = counted(777, n_channels)
    if bit_depth == riff.FLOAT_BITS:
        values = (values / 900.0).astype(np.float32)
    path = written(tmp_path / "a.wav", values, bit_depth=bit_depth)
    dtype = "float32" if bit_depth == riff.FLOAT_BITS else "int32"
    read, rate_hz = soundfile.read(path, dtype=dtype, always_2d=True)
    shift = 0 if bit_depth == riff.FLOAT_BITS else 32 - bit_depth
    assert rate_hz == 48_000 and np.array_equal(read, values if not shift else values << shift)
    with av.open(str(path)) as file:
        stream = file.streams.audio[0]
        assert (stream.duration, stream.channels) == (777, n_channels)
        assert file.metadata["time_reference"] == str(TEN_O_CLOCK)
    if bit_depth != riff.FLOAT_BITS and n_channels <= 2:
        with wave.open(str(path)) as plain:
            assert (plain.getnframes(), plain.getsampwidth()) == (777, bit_depth // 8)


@pytest.mark.parametrize("description", [None, FOUND])
def test_past_the_limit_of_wav_it_is_rf64(tmp_path, monkeypatch, description):
    # EBU Tech 3306: the sizes stand in a chunk `ds64`, first of all.
    monkeypatch.setattr(riff, "MOST_RIFF_BYTES", 1_000)
    values = counted(1_000)
    path = written(tmp_path / "a.wav", values, description, READINGS)
    head = path.read_bytes()[:48]
    assert head[:4] == b"RF64" and head[8:16] == b"WAVEds64"
    n_riff, n_data, n_frames = struct.unpack("<QQQ", head[20:44])
    assert (n_riff, n_data, n_frames) == (path.stat().st_size - 8, 6_000, 1_000)
    read, _ = soundfile.read(path, dtype="int32")
    assert soundfile.info(path).format == "RF64" and np.array_equal(read >> 8, values)
    with av.open(str(path)) as file:
        assert file.streams.audio[0].duration == 1_000
        assert Fraction(file.streams.audio[0].time_base) == Fraction(1, 48_000)


def test_a_chunk_of_odd_length_is_padded(tmp_path):
    path = written(tmp_path / "a.wav", counted(1, 1))
    assert path.stat().st_size % 2 == 0
    assert struct.unpack("<I", path.read_bytes()[4:8])[0] == path.stat().st_size - 8
    assert soundfile.info(path).frames == 1


def test_fewer_frames_than_announced_are_an_error(tmp_path):
    file = RiffWriter(tmp_path / "a.wav", 48_000, 2, 24, 11)
    file.write_integers(counted(10))
    with pytest.raises(ValueError, match="10 frames for a file of 11"):
        file.close()
