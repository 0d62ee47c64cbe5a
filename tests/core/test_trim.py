"""Trims: one gain a scene, slow lines between, scenes set by hand that stay."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.balance.placing import with_kept
from recitant_core.gain.trim import TrimScene, trim_lowered, trim_points, trim_set

S = 48_000


def scene(at_s, gain_db, is_kept=False):
    return TrimScene(round(at_s * S), gain_db, is_kept)


def test_two_seconds_from_one_scene_to_the_next():
    points = trim_points((scene(0, 0.0), scene(60, 5.5)))
    assert [(p.at_sample / S, p.gain_db) for p in points] == [(0, 0.0), (59, 0.0), (61, 5.5)]


def test_no_gain_no_points():
    assert trim_points(()) == () and trim_points((scene(0, 0.0), scene(9, 0.0))) == ()


@given(st.lists(st.tuples(st.integers(1, 400_000), st.floats(-12, 6)), min_size=1, max_size=10))
def test_points_are_in_order_however_short_the_scenes(parts):
    at, scenes = 0, []
    for step, gain in parts:
        scenes.append(TrimScene(at, round(gain, 1)))
        at += step
    points = trim_points(tuple(scenes))
    assert all(a.at_sample < b.at_sample for a, b in pairwise(points))


def test_a_scene_set_by_hand_stays_when_the_trim_is_made_anew():
    old = trim_set((scene(0, 0.0), scene(60, 5.5), scene(120, 2.0)), 60 * S, 0.0)
    assert old[1] == scene(60, 0.0, True)
    made = (scene(0, 1.0), scene(80, 4.0))
    assert with_kept(made, old, 200 * S) == (scene(0, 1.0), scene(60, 0.0, True), scene(120, 4.0))
    assert with_kept((), old, 200 * S)[-1] == scene(120, 0.0)


def test_a_scene_lowered_by_hand_is_the_one_around_the_place():
    trim = trim_lowered((scene(0, 0.0), scene(60, 5.0)), 70 * S, -4.0, 100 * S)
    assert trim == (scene(0, 0.0), scene(60, 1.0, True))
    assert trim_lowered((), 70 * S, -4.0, 100 * S) == (scene(0, -4.0, True),)
    assert trim_lowered((), 0, -90.0, 100 * S)[0].gain_db == pytest.approx(-24.0)
