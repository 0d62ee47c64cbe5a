"""Recorded rides: how they meet what was there, in each mode, and that few points stay."""

from recitant_core.gain.envelope import CurvePoint
from recitant_core.gain.ride import recorded_ride


def test_how_a_recorded_ride_meets_the_old_one():
    old = (CurvePoint(0, 2.0), CurvePoint(1_000_000, 2.0))
    hand = [(200_000, -4.0), (300_000, -4.0)]
    touched = recorded_ride(old, hand, "touch", 2_000_000)
    assert touched[0] == (0, 2.0) and (324_000, 2.0) in touched and touched[-1] == (1_000_000, 2.0)
    latched = recorded_ride(old, hand, "latch", 2_000_000)
    assert latched[-1] == (2_000_000, -4.0)
    over = recorded_ride(old, hand, "overwrite", 2_000_000)
    assert (300_960, 2.0) in over


def test_a_first_ride_comes_back_to_the_fader():
    made = recorded_ride((), [(48_000, -3.0), (96_000, -6.0), (144_000, -9.0)], "touch", 500_000)
    assert made == [(47_040, 0.0), (48_000, -3.0), (144_000, -9.0), (168_000, 0.0)]
    assert recorded_ride((), [(0, -1.0), (4_800, -1.0)], "latch", 4_000)[-1] == (4_800, -1.0)
