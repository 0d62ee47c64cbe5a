"""SMPTE ST 12-1: frame counts and the drop-frame rule."""

import pytest

from recitant_core.errors import RangeError
from recitant_core.units.timecode import timecode_from_samples

DROP_FRAME_SAMPLES = 8_008 / 5  # 48 kHz samples a frame at 30000/1001


def _sample_of(video_frame):
    return -(-video_frame * 8_008 // 5)


@pytest.mark.parametrize(
    ("video_frame", "timecode"),
    [
        (0, "00:00:00;00"),
        (1_799, "00:00:59;29"),
        (1_800, "00:01:00;02"),  # ;00 and ;01 skipped
        (17_981, "00:09:59;29"),
        (17_982, "00:10:00;00"),  # 17 982 frames in ten minutes; the tens keep theirs
        (107_892, "01:00:00;00"),  # 107 892 in an hour
    ],
)
def test_drop_frame(video_frame, timecode):
    assert timecode_from_samples(_sample_of(video_frame), "29.97df") == timecode


@pytest.mark.parametrize(("rate", "samples"), [("25", 1_920), ("24", 2_000), ("23.976", 2_002)])
def test_samples_a_frame(rate, samples):
    assert timecode_from_samples(samples - 1, rate).endswith(":00")
    assert timecode_from_samples(samples, rate).endswith(":01")


def test_bad_times_are_refused():
    with pytest.raises(RangeError):
        timecode_from_samples(-1, "25")
    with pytest.raises(RangeError):
        timecode_from_samples(0, "26")
