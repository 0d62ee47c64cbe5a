"""Curves of gain over a clip."""

import numpy as np
import pytest

from recitant_core.errors import RangeError
from recitant_core.gain.envelope import CurvePoint, curve_db


def test_curves_are_straight_in_db():
    points = (CurvePoint(0, 0.0), CurvePoint(100, -10.0))
    assert curve_db(points, np.array([-5.0, 50.0, 500.0])) == pytest.approx([0.0, -5.0, -10.0])
    with pytest.raises(RangeError):
        curve_db((CurvePoint(5, 0.0), CurvePoint(5, 1.0)), np.array([0.0]))
