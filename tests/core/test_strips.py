"""Chains and rides by target: set where they were asked for, nowhere else, and refused where there is nothing."""

import pytest

from recitant_core.errors import EditRefused
from recitant_core.gain.envelope import CurvePoint
from recitant_core.processors.model import Processor
from recitant_core.timeline.model import Clip, Plan, Ride, Track
from recitant_core.timeline.strips import target_chain, target_ride, with_chain, with_ride, without_chains
from recitant_core.units.roles import Role

CHAIN = (Processor("gain", (("gain_db", -3.0),)),)
RIDE = Ride((CurvePoint(0, -2.0),))
TARGETS = [("clip", "1"), ("track", "t"), ("stem", "dialogue"), ("master", "")]
MISSING = [("clip", "9"), ("track", "9"), ("stem", "nothing"), ("nowhere", "1")]


def plan():
    clips = (Clip("1", "k", 0, 0, 48_000), Clip("2", "k", 96_000, 0, 48_000))
    return Plan("p", "25", (Track("t", "one", Role.DIALOGUE, clips=clips), Track("u", "two", Role.MUSIC)))


@pytest.mark.parametrize("target, target_id", TARGETS)
def test_a_chain_is_found_where_it_was_set_and_nowhere_else(target, target_id):
    made = with_chain(plan(), target, [target_id], CHAIN)
    assert target_chain(made, target, target_id) == CHAIN
    others = [one for one in [*TARGETS, ("clip", "2"), ("track", "u"), ("stem", "music")] if one[0] != target]
    assert all(target_chain(made, *one) == () for one in others)
    assert without_chains(made) == without_chains(plan())


@pytest.mark.parametrize("target, target_id", MISSING)
def test_targets_that_are_gone_are_refused(target, target_id):
    for call in (
        lambda: target_chain(plan(), target, target_id),
        lambda: with_chain(plan(), target, [target_id], CHAIN),
        lambda: target_ride(plan(), target, target_id),
        lambda: with_ride(plan(), target, target_id, RIDE),
    ):
        with pytest.raises(EditRefused):
            call()


def test_nothing_is_set_where_one_of_several_is_gone():
    with pytest.raises(EditRefused):
        with_chain(plan(), "clip", ["1", "9"], CHAIN)


@pytest.mark.parametrize("target, target_id", [("track", "t"), ("stem", "music")])
def test_a_ride_is_of_a_track_or_a_stem(target, target_id):
    made = with_ride(plan(), target, target_id, RIDE)
    assert target_ride(made, target, target_id) == RIDE
    assert [t.ride for t in made.tracks if t.track_id != target_id] == [Ride()] * (2 if target == "stem" else 1)
    with pytest.raises(EditRefused):
        target_ride(made, "clip", "1")  # a clip has a curve instead
