"""Corrections of speech: the newest mark wins where it lies, and stays whatever is found anew."""

from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from recitant_core.speech.activity import SpeechSpan
from recitant_core.speech.corrections import SpeechMark, corrected, mark_laid, merged, without
from recitant_core.units.clock import SampleSpan

FOUND = [SpeechSpan(1_000, 2_000, 0.9), SpeechSpan(5_000, 1_000, 0.8)]


def edges(spans):
    return [(s.start_sample, s.span.end_sample) for s in spans]


def test_without_marks_it_is_as_found():
    assert corrected(FOUND, ()) == FOUND


def test_a_mark_adds_and_joins():
    assert edges(corrected(FOUND, mark_laid((), SpeechMark(3_000, 2_000, True)))) == [(1_000, 6_000)]


def test_a_mark_takes_away_from_the_middle():
    assert edges(corrected(FOUND, mark_laid((), SpeechMark(1_500, 500, False)))) == [
        (1_000, 1_500),
        (2_000, 3_000),
        (5_000, 6_000),
    ]


def test_the_newest_mark_wins_where_it_lies():
    marks = mark_laid(mark_laid((), SpeechMark(0, 10_000, True)), SpeechMark(4_000, 1_000, False))
    assert edges(corrected([], marks)) == [(0, 4_000), (5_000, 10_000)]
    assert marks == (SpeechMark(0, 4_000, True), SpeechMark(4_000, 1_000, False), SpeechMark(5_000, 5_000, True))


def test_marks_stay_when_speech_is_found_anew():
    marks = mark_laid((), SpeechMark(5_000, 1_000, False))
    for found in (FOUND, [SpeechSpan(4_000, 4_000, 0.5)], []):
        assert all(span.span.intersect(SampleSpan(5_000, 1_000)) is None for span in corrected(found, marks))


spans = st.tuples(st.integers(0, 500), st.integers(1, 120), st.booleans())


@given(st.lists(spans, max_size=8), st.lists(spans, max_size=6))
def test_every_sample_is_what_the_newest_word_on_it_says(found, marks):
    laid = ()
    speech = [False] * 700
    for start, length, _ in found:
        speech[start : start + length] = [True] * length
    for start, length, is_speech in marks:
        laid = mark_laid(laid, SpeechMark(start, length, is_speech))
        speech[start : start + length] = [is_speech] * length
    result = corrected([SpeechSpan(s, n, 0.5) for s, n, _ in sorted(found)], laid)
    said = [False] * 700
    for span in result:
        said[span.start_sample : span.span.end_sample] = [True] * span.length_samples
    assert said == speech
    assert all(a.span.end_sample < b.start_sample or not laid for a, b in pairwise(result))


def test_spans_are_cut_and_bridged():
    assert without(SampleSpan(0, 10), [SampleSpan(2, 3), SampleSpan(8, 9)]) == [SampleSpan(0, 2), SampleSpan(5, 3)]
    assert merged([SampleSpan(8, 2), SampleSpan(0, 5)], 3) == [SampleSpan(0, 10)]
    assert merged([SampleSpan(9, 2), SampleSpan(0, 5)], 3) == [SampleSpan(0, 5), SampleSpan(9, 2)]
