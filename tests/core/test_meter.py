"""The meter: any cut of a measurement equals the whole, however it is fed."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from recitant_core.measure.meter import MeterState, feed_meter, feed_stereo_meter, measure, read_meter
from recitant_core.units.channels import STEREO
from signals import programme

AUDIO = programme(9, 6.0)


@settings(max_examples=20)
@given(cuts=st.lists(st.integers(1, len(AUDIO) - 1), max_size=8, unique=True))
def test_any_cut_of_a_measurement_equals_the_whole(cuts):
    state = MeterState.at_rest(STEREO)
    for part in np.split(AUDIO, sorted(cuts)):
        state = feed_meter(part, state)
    found, whole = read_meter(state), measure(AUDIO, STEREO)
    assert found.integrated_lufs == pytest.approx(whole.integrated_lufs, abs=1e-9)
    assert found.true_peak_dbtp == whole.true_peak_dbtp
    assert found.max_short_term_lufs == pytest.approx(whole.max_short_term_lufs, abs=1e-9)


def test_a_meter_that_is_fed_pairs_reads_what_any_meter_reads():
    audio = programme(9, 3.0)
    audio[:, 1] *= np.float32(0.25)
    state = MeterState.at_rest(STEREO, 48_000)
    for block in np.split(audio, [10_000, 70_001]):
        state, _ = feed_stereo_meter(np.ascontiguousarray(block), state)
    pairs, whole = read_meter(state), measure(audio, STEREO)
    assert pairs.integrated_lufs == pytest.approx(whole.integrated_lufs, abs=1e-9)
    assert pairs.max_momentary_lufs == pytest.approx(whole.max_momentary_lufs, abs=1e-9)
    assert pairs.true_peak_dbtp == whole.true_peak_dbtp
