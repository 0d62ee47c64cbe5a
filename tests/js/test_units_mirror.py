"""The page's figures and times are those of the core: the same values through both."""

import random

import pytest

from recitant_core.units.clock import RATE_HZ
from recitant_core.units.timecode import FRAME_RATES, samples_from_timecode, timecode_from_samples
from recitant_text.sentences import gain_text, signed


@pytest.fixture(scope="module")
def units(scripts):
    """Calls a function of units.js with many argument lists."""
    call = scripts("lib/units.js")
    return lambda name, calls: [call(name, *given) for given in calls]


def test_timecodes_and_figures_agree(units):
    rng = random.Random(1)
    awkward = [0, 1, 1_919, 1_920, 2_882_880, 2_882_879, RATE_HZ * 60, RATE_HZ * 600 - 1]
    places = [*awkward, *(rng.randrange(RATE_HZ * 3600 * 5) for _ in range(40))]
    for rate in FRAME_RATES:
        assert units("timecode", [[at, rate] for at in places]) == [timecode_from_samples(at, rate) for at in places]
    levels = [0.0, -0.04, -23.04, 0.06, 7.0, -114.26]
    assert units("signed", [[v] for v in levels]) == [signed(v) for v in levels]
    assert units("gainText", [[v] for v in levels]) == [gain_text(v) for v in levels]


def test_steps_by_frames_land_on_frames(units):
    rng = random.Random(2)
    for rate in FRAME_RATES:
        places = [rng.randrange(RATE_HZ * 900) for _ in range(20)]
        landed = units("samplesOfFrames", [[at, 0, rate] for at in places])
        # The first sample of a frame is the sample that its timecode names.
        assert landed == [samples_from_timecode(timecode_from_samples(at, rate), rate) for at in places]
        after = units("samplesOfFrames", [[at, 1, rate] for at in places])
        assert all(later > now for later, now in zip(after, landed, strict=True))
