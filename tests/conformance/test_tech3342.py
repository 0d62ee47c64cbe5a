"""EBU Tech 3342: loudness range of stepped sines, tolerance +-1 LU."""

import pytest

from recitant_core.measure.meter import measure
from recitant_core.units.channels import STEREO
from signals import steps

CASES = [
    ([-20, -30], 10.0),
    ([-20, -15], 5.0),
    ([-40, -20], 20.0),
    ([-50, -35, -20, -35, -50], 15.0),
]


@pytest.mark.parametrize(("levels", "range_lu"), CASES)
def test_stepped_sines(levels, range_lu):
    assert measure(steps(*((level, 20) for level in levels)), STEREO).range_lu == pytest.approx(range_lu, abs=1.0)
