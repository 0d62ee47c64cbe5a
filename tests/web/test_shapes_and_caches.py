"""What comes in from outside as values of a shape, and what a process keeps."""

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.errors import EditRefused, MalformedRequest
from recitant_web.shared.caches import Cache, cache_sizes, clear_caches
from recitant_web.shared.shapes import Db, Id, Ids, Name, Place, Points, Share, converted


class Sent(msgspec.Struct, kw_only=True):
    """A shape with one field of each sort."""

    ids: Ids = msgspec.field(default_factory=Ids)
    gain_db: Db = Db(0.0)
    at: Place = Place(0)
    share: Share = Share(0.0)
    name: Name = Name("a")
    points: Points = msgspec.field(default_factory=Points)


@pytest.mark.parametrize(
    ("sent", "field", "value"),
    [
        ({"gain_db": "−3,5"}, "gain_db", -3.5),
        ({"gain_db": -3}, "gain_db", -3.0),
        ({"ids": [3, "03", "4"]}, "ids", ["3", "4"]),
        ({"at": -5.4}, "at", 0),
        ({"at": 10**12}, "at", 24 * 3_600 * 48_000),
        ({"share": "25"}, "share", 0.25),
        ({"share": 400}, "share", 1.0),
        ({"name": "  Two \t words\u0000 "}, "name", "Two words"),
        ({"points": [[0, 1], [48000.4, "-2,5"]]}, "points", [(0, 1.0), (48_000, -2.5)]),
    ],
)
def test_values_are_read_as_somebody_typed_them(sent, field, value):
    assert getattr(converted(Sent, sent), field) == value


@pytest.mark.parametrize(
    ("sent", "code"),
    [
        ({"gain_db": "loud"}, "not_a_number"),
        ({"gain_db": "nan"}, "not_a_number"),
        ({"gain_db": "1e999"}, "not_a_number"),
        ({"share": ""}, "not_a_figure"),
        ({"name": " "}, "not_a_name"),
        ({"ids": []}, "malformed"),
        ({"ids": ["1; drop"]}, "malformed"),
        ({"ids": ["²"]}, "malformed"),
        ({"ids": "1"}, "malformed"),
        ({"at": float("inf")}, "malformed"),
        ({"at": None}, "malformed"),
        ({"points": [[1]]}, "malformed"),
        ({"points": [[0, 0]] * 5_001}, "malformed"),
        ([], "malformed"),
        (None, "malformed"),
    ],
)
def test_what_is_no_value_is_refused_once_and_in_words(sent, code):
    with pytest.raises((EditRefused, MalformedRequest), match=code):
        converted(Sent, sent)


@given(st.one_of(st.none(), st.text(), st.integers(), st.floats(), st.lists(st.integers()), st.binary()))
def test_nothing_gets_in_as_the_number_of_a_row_that_is_none(value):
    try:
        found = converted(Sent, {"ids": [value]}).ids
    except MalformedRequest:
        return
    assert all(one.isascii() and one.isdecimal() and int(one) == Id(one).number for one in found)


def test_a_cache_stays_under_its_size_and_lets_the_least_used_go():
    kept = Cache("for a test", 10_000)
    for key in ("a", "b", "c"):
        kept.put(key, np.zeros(200))
        kept.get("a")
    kept.put("d", np.zeros(200))
    assert kept.get("a") is not None and kept.get("b") is None
    assert 0 < kept.kept_bytes <= 10_000
    assert len(kept.put("too large", np.zeros(10_000))) == 10_000
    assert kept.get("too large") is None and kept.get("a") is not None


def test_everything_is_thrown_away_at_once():
    kept = Cache("for another test", 10_000)
    assert kept.get_or_make("a", lambda: np.ones(3)).sum() == 3.0
    assert kept.get_or_make("a", lambda: pytest.fail("was kept")).sum() == 3.0
    assert cache_sizes()["for another test"] > 0
    clear_caches()
    assert set(cache_sizes().values()) == {0}
