"""SMPTE ST 12-1: frame counts and the drop-frame rule."""

import pytest

from recitant_core.errors import RangeError
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.timecode import FRAME_RATES, samples_from_timecode, timecode_from_samples

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


@pytest.mark.parametrize("rate", list(FRAME_RATES))
def test_every_timecode_names_the_frame_it_was_made_from(rate):
    for frame in (*range(0, 400), *range(17_900, 18_400), 107_892, 215_784, 1_000_003):
        first = -(-frame * FRAME_RATES[rate].denominator * RATE_HZ // FRAME_RATES[rate].numerator)
        text = timecode_from_samples(first, rate)
        assert samples_from_timecode(text, rate) == first


def test_typed_timecodes():
    assert samples_from_timecode("1:00:00:00", "25") == 3_600 * RATE_HZ
    assert samples_from_timecode("02:10", "25") == 2 * RATE_HZ + 10 * 1_920
    assert samples_from_timecode("50", "25") == 2 * RATE_HZ
    assert samples_from_timecode("01.00.00.00", "24") == samples_from_timecode("01:00:00;00", "24")


@pytest.mark.parametrize(
    ("text", "rate"),
    [
        ("00:01:00;00", "29.97df"),  # ST 12-1: numbers 0 and 1 are left out at every minute but the tens
        ("00:01:00;03", "59.94df"),
        ("00:00:00:25", "25"),
        ("00:00:60:00", "25"),
        ("00:61:00:00", "25"),
        ("", "25"),
        ("soon", "25"),
        ("1:2:3:4:5", "25"),
        ("-1:00", "25"),
        ("٣", "25"),
    ],
)
def test_what_is_no_timecode_is_refused(text, rate):
    with pytest.raises(RangeError):
        samples_from_timecode(text, rate)
