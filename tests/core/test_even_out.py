"""Evening clips out: common practice in figures, limits that hold, fewer points for a drawn curve."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.balance.even_out import EvenInput, EvenOut, evened
from recitant_core.gain.thinning import thinned
from recitant_core.timeline.model import Clip


def clip_of(seconds, **more):
    return Clip("1", "voice", 0, 0, round(48_000 * seconds), **more)


def given_clip(clip_id, level, gain_db=0.0):
    return EvenInput(Clip(clip_id, "v", 0, 0, 48_000, gain_db), level, 1.0, -60.0, -10.0)


def test_all_equal_or_half_way():
    clips = [given_clip("a", -30.0), given_clip("b", -20.0)]
    whole = {s.clip_id: s.change_db for s in evened(clips, EvenOut(-23.0))}
    assert whole == {"a": 7.0, "b": -3.0}
    half = {s.clip_id: s.change_db for s in evened(clips, EvenOut(-23.0, strength=0.5))}
    assert half == {"a": 3.5, "b": -1.5}


def test_a_group_moves_as_one():
    steps = evened([given_clip("a", -30.0), given_clip("b", -20.0)], EvenOut(-23.0, is_group=True))
    assert steps[0].change_db == steps[1].change_db
    together = 10 * np.log10((10**-3.0 + 10**-2.0) / 2)
    assert steps[0].change_db == pytest.approx(-23.0 - together, abs=0.01)


def test_limits_hold_and_are_said_and_noise_is_foretold():
    (step,) = evened([given_clip("a", -50.0)], EvenOut(-23.0, most_change_db=6.0))
    assert (step.change_db, step.held_by) == (6.0, "limit")
    assert (step.noise_lufs, step.peak_db) == (-54.0, -4.0)
    (step,) = evened([given_clip("a", -60.0, gain_db=20.0)], EvenOut(-23.0, most_change_db=60.0))
    assert (step.gain_db, step.held_by) == (24.0, "range")


def test_what_cannot_be_measured_stays():
    assert evened([given_clip("a", None), given_clip("b", float("-inf"))], EvenOut(-23.0)) == []


@given(values=st.lists(st.floats(-20, 6), min_size=2, max_size=60))
def test_thinning_stays_near(values):
    points = [(i * 100, v) for i, v in enumerate(values)]
    few = thinned(points, 0.25)
    line = np.interp([p[0] for p in points], [p[0] for p in few], [p[1] for p in few])
    assert np.abs(line - values).max() <= 0.25 + 1e-9
    assert few[0] == points[0] and few[-1] == points[-1]
