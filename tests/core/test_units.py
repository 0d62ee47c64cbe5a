"""Levels, spans, seconds, and the checks of arrays and layouts."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.errors import RangeError, ShapeError, UnsupportedLayout
from recitant_core.units.arrays import require_audio
from recitant_core.units.channels import layout_from_count
from recitant_core.units.clock import SampleSpan, samples_from_s
from recitant_core.units.level import db_from_factor, factor_from_db, lufs_from_power, power_from_lufs


@given(st.floats(-90, 24))
def test_levels_there_and_back(level):
    assert db_from_factor(factor_from_db(level)) == pytest.approx(level, abs=1e-9)
    assert lufs_from_power(power_from_lufs(level)) == pytest.approx(level, abs=1e-9)


def test_spans():
    span = SampleSpan(10, 20)
    assert span.intersect(SampleSpan(25, 10)) == SampleSpan(25, 5)
    assert span.intersect(SampleSpan(30, 1)) is None
    assert [b.length_samples for b in span.blocks(8)] == [8, 8, 4]
    with pytest.raises(RangeError):
        SampleSpan(0, -1)


@given(st.integers(0, 10**9))
def test_seconds_hold_every_sample(samples):
    assert samples_from_s(Fraction(str(samples / 48_000))) == samples


def test_audio_and_layouts_are_checked_where_they_come_in():
    with pytest.raises(ShapeError):
        require_audio(np.zeros(5, np.float32))
    with pytest.raises(ShapeError):
        require_audio(np.zeros((5, 2), np.float32), 1)
    with pytest.raises(UnsupportedLayout):
        layout_from_count(8)
