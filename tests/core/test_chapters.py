"""Chapters as text, their faults, and their cure."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.delivery.orders.chapters import (
    Chapter,
    chapters_from_text,
    chapters_in,
    chapters_text,
    faults_of,
    mended,
    time_from_text,
    time_text,
)
from recitant_core.errors import PlanError
from recitant_core.units.clock import SampleSpan

SECOND = 48_000
LENGTH = 600 * SECOND


def at(*pairs):
    return [Chapter(round(at_s * SECOND), title) for at_s, title in pairs]


GOOD = at((0, "Casting"), (75.5, "The bell"), (400, "After"))


def codes(chapters, length=LENGTH):
    return [(fault.code, fault.index) for fault in faults_of(chapters, length)]


def test_good_chapters_have_no_fault_and_stay():
    assert codes(GOOD) == [] and mended(GOOD, LENGTH) == GOOD
    assert chapters_text(GOOD, LENGTH) == "00:00 Casting\n01:15 The bell\n06:40 After\n"
    assert chapters_text(GOOD, 4_000 * SECOND).splitlines()[1] == "0:01:15 The bell"
    assert faults_of([], LENGTH) == [] and mended([], LENGTH) == []


@pytest.mark.parametrize(
    ("chapters", "fault", "cure"),
    [
        (at((0, "A"), (20, "B")), ("few", None), at((0, "A"), (20, "B"))),
        (at((4, "A"), (20, "B"), (40, "C")), ("first", 0), at((0, "A"), (20, "B"), (40, "C"))),
        (at((15, "A"), (30, "B"), (50, "C")), ("first", 0), at((0, "Start"), (15, "A"), (30, "B"), (50, "C"))),
        (at((0, "A"), (50, "B"), (30, "C")), ("order", 2), at((0, "A"), (30, "C"), (50, "B"))),
        (at((0, "A"), (20, "B"), (29, "C"), (60, "D")), ("short", 1), at((0, "A"), (20, "B / C"), (60, "D"))),
        (at((0, "A"), (20, " "), (60, "D")), ("title", 1), at((0, "A"), (20, "Chapter 2"), (60, "D"))),
        (at((0, "A"), (20, "B"), (60, "C"), (900, "D")), ("late", 3), at((0, "A"), (20, "B"), (60, "C"))),
        (at((0, "A"), (20, "B"), (60, "C"), (595, "D")), ("short", 3), at((0, "A"), (20, "B"), (60, "C"))),
    ],
)
def test_each_fault_is_named_and_cured(chapters, fault, cure):
    assert fault in codes(chapters)
    assert mended(chapters, LENGTH) == cure
    assert [code for code, _ in codes(cure)] == (["few"] if fault[0] == "few" else [])


@given(st.lists(st.tuples(st.floats(0, 700), st.text(max_size=5)), max_size=12), st.integers(1, 700))
def test_what_is_mended_has_no_fault_left_but_too_few(pairs, length_s):
    length = length_s * SECOND
    cured = mended(at(*pairs), length)
    assert mended(cured, length) == cured
    # A film under ten seconds cannot hold one that is long enough.
    left = {code for code, _ in codes(cured, length)}
    assert left <= ({"few"} if length_s >= 10 else {"few", "short"})


def test_a_stretch_has_the_chapters_that_sound_in_it():
    span = SampleSpan(80 * SECOND, 400 * SECOND)
    assert chapters_in(GOOD, span) == at((0, "The bell"), (320, "After"))
    assert chapters_in(GOOD, SampleSpan(0, 10 * SECOND)) == at((0, "Casting"))


def test_text_is_read_as_people_write_it():
    text = "\n0:00 Casting\n 01:15.5 - The bell: once\n1:02:03 – Later\n"
    assert chapters_from_text(text) == at((0, "Casting"), (75.5, "The bell: once"), (3_723, "Later"))
    assert chapters_from_text(chapters_text(GOOD, LENGTH)) == at((0, "Casting"), (75, "The bell"), (400, "After"))


@pytest.mark.parametrize("line", ["Casting", "0:00", "00:0 A", "99 A", "0:00:00:00 A", "-1:00 A"])
def test_a_line_that_is_no_chapter_is_named(line):
    with pytest.raises(PlanError, match="not_a_chapter") as caught:
        chapters_from_text(f"0:00 A\n{line}")
    assert caught.value.facts["line"] == 2


def test_too_many_are_refused():
    with pytest.raises(PlanError, match="too_many_chapters"):
        chapters_from_text("0:00 A\n" * 101)


@given(st.integers(0, 90_000_000))
def test_a_time_comes_back_to_the_millisecond(thousandths):
    at_sample = thousandths * 48
    assert time_from_text(time_text(at_sample)) == at_sample


@pytest.mark.parametrize("text", ["", "12", "a:b", "1:2:3:4", "0:41.12345"])
def test_what_is_no_time_is_refused(text):
    with pytest.raises(PlanError, match="not_a_time"):
        time_from_text(text)
