"""Laying: a pile of recordings becomes tracks in order, whatever its names, roles and times of day."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.timeline.laying import Laid, Laying, LayingOrder, Piece, laid_out, name_stem, natural_order
from recitant_core.units.roles import ROLES, Role

S = 48_000


def piece(name, length_s=10, role=Role.DIALOGUE, reference_s=None, at_s=0):
    reference = None if reference_s is None else reference_s * S
    return Piece(name, name, role, length_s * S, at_s * S, reference)


def told(laid: list[Laid]):
    return [(one.name, one.role.value, [(p.name, at // S) for p, at in one.pieces]) for one in laid]


@pytest.mark.parametrize(
    ("name", "stem"),
    [
        ("interview 01", "interview"),
        ("interview_02b", "interview"),
        ("Interview (3)", "Interview"),
        ("VO_take3", "VO"),
        ("boom-ch 2", "boom"),
        ("scene 4 part 12", "scene 4"),
        ("24", "24"),
        ("street", "street"),
    ],
)
def test_a_name_without_its_number(name, stem):
    assert name_stem(name) == stem


def test_people_sort_two_before_ten():
    names = ["take 10", "take 2", "Take 1", "b 1"]
    assert sorted(names, key=natural_order) == ["b 1", "Take 1", "take 2", "take 10"]


def test_twenty_files_are_not_twenty_tracks():
    pile = [piece(f"interview {n:02}", 180) for n in range(20, 0, -1)]
    (track,) = laid_out(pile, Laying.ROW)
    assert track.name == "interview" and track.role is Role.DIALOGUE
    assert [p.name for p, _ in track.pieces] == [f"interview {n:02}" for n in range(1, 21)]
    assert [at for _, at in track.pieces] == [n * 180 * S for n in range(20)]
    (chosen,) = laid_out(pile, Laying.ROW, LayingOrder.CHOSEN, gap_samples=2 * S)
    assert [(p.name, at // S) for p, at in chosen.pieces][:2] == [("interview 20", 0), ("interview 19", 182)]


def test_by_name_each_person_has_a_track():
    pile = [piece("anna 2"), piece("ben 1", 5), piece("anna 1"), piece("ben 2", 5), piece("wind", 60, Role.ATMOSPHERE)]
    assert told(laid_out(pile, Laying.NAMES)) == [
        ("anna", "dialogue", [("anna 1", 0), ("anna 2", 10)]),
        ("ben", "dialogue", [("ben 1", 0), ("ben 2", 5)]),
        ("wind", "atmosphere", [("wind", 0)]),
    ]


def test_by_role():
    pile = [piece("b", 3, Role.MUSIC), piece("c"), piece("a", 4, Role.MUSIC)]
    assert told(laid_out(pile, Laying.ROLES)) == [
        ("Music", "music", [("a", 0), ("b", 4)]),
        ("Dialogue", "dialogue", [("c", 0)]),
    ]


def test_by_the_time_of_day_what_overlaps_gets_another_track_and_what_has_none_follows():
    pile = [
        piece("boom 2", 10, reference_s=36_020),
        piece("boom 1", 10, reference_s=36_000),
        piece("boom 3", 10, reference_s=36_025),
        piece("loose", 5),
    ]
    assert told(laid_out(pile, Laying.TIMES)) == [
        ("boom", "dialogue", [("boom 1", 0), ("boom 2", 20)]),
        ("boom", "dialogue", [("boom 3", 25)]),
        ("loose", "dialogue", [("loose", 35)]),
    ]
    # Against a picture that began a minute before.
    first = laid_out(pile, Laying.TIMES, origin=35_940 * S)[0].pieces[0]
    assert first == (pile[1], 60 * S)
    # A picture from another day says nothing.
    assert laid_out(pile, Laying.TIMES, origin=80_000 * S)[0].pieces[0][1] == 0


def test_apart_each_stays_where_it_came():
    assert told(laid_out([piece("b", at_s=7), piece("a")], Laying.APART)) == [
        ("a", "dialogue", [("a", 0)]),
        ("b", "dialogue", [("b", 7)]),
    ]


_pieces = st.lists(
    st.builds(
        Piece,
        st.uuids().map(str),
        st.sampled_from(["a 1", "a 2", "b", "10", "take 3", ""]),
        st.sampled_from(list(ROLES)),
        st.integers(1, 500),
        st.just(0),
        st.none() | st.integers(1, 2_000),
    ),
    min_size=1,
    max_size=25,
)


@given(
    _pieces,
    st.sampled_from([how for how in Laying if how is not Laying.APART]),
    st.sampled_from(list(LayingOrder)),
    st.integers(0, 50),
)
def test_every_piece_is_laid_once_and_none_over_another(pile, how, order, gap):
    laid = laid_out(pile, how, order, gap_samples=gap)
    assert sorted(p.key for one in laid for p, _ in one.pieces) == sorted(p.key for p in pile)
    for one in laid:
        assert all(at >= 0 for _, at in one.pieces)
        spans = sorted((at, at + p.length_samples) for p, at in one.pieces)
        assert all(a[1] <= b[0] for a, b in pairwise(spans))


def test_the_order_of_a_pile_is_by_name_by_time_or_as_it_was_chosen():
    pile = [piece("b", reference_s=5), piece("c", reference_s=1), piece("a", reference_s=9)]
    laid = {
        order: [one.name for one, _ in laid_out(pile, Laying.ROW, order)[0].pieces]
        for order in (LayingOrder.NAME, LayingOrder.TIME, LayingOrder.CHOSEN)
    }
    assert laid == {
        LayingOrder.NAME: ["a", "b", "c"],
        LayingOrder.TIME: ["c", "b", "a"],
        LayingOrder.CHOSEN: ["b", "c", "a"],
    }
