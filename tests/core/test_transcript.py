"""Words: turns, spelling, alignment, chunks, edges, corrections, glossary, and their way through clips."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.words import turns_in_programme, words_of_clip
from recitant_core.transcript.alignment import aligned, word_errors
from recitant_core.transcript.chunks import MOST_S, chunks_of
from recitant_core.transcript.edges import at_sound
from recitant_core.transcript.glossary import with_glossary
from recitant_core.transcript.marks import WordMark, marked, scaled
from recitant_core.transcript.model import Word, running_text, turns_of
from recitant_core.transcript.spelling import plain_words
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role

S = 48_000


def said(text: str, at_s: float = 0.0, speaker: str = "", confidence: float = 1.0) -> list[Word]:
    """Words of 0.3 s with pauses of 0.1 s."""
    return [
        Word(part, round((at_s + 0.4 * k) * S), round((at_s + 0.4 * k + 0.3) * S), confidence, speaker)
        for k, part in enumerate(text.split())
    ]


def test_a_turn_ends_with_its_speaker_and_with_a_long_pause() -> None:
    words = [*said("you do not pour", speaker="a"), *said("I tilt", 1.6, "b"), *said("Now", 9.0, "b")]
    assert [turn.text for turn in turns_of(words)] == ["you do not pour", "I tilt", "Now"]
    assert turns_of(words)[1].speaker == "b"
    assert turns_of([]) == []


def test_word_errors_are_those_of_the_textbook() -> None:
    # Counted by hand: "the" for "a", "bell" missing, "now" added.
    found = word_errors(plain_words("a cracked bell keeps no secret"), plain_words("the cracked keeps no secret now"))
    assert (found.n_other, found.n_gone, found.n_added) == (1, 1, 1)
    assert found.share == pytest.approx(3 / 6)
    assert word_errors([], ["one"]).share == 1.0
    assert word_errors(["one"], ["one"]).share == 0.0


def slow_distance(one: list[str], other: list[str]) -> int:
    row = list(range(len(other) + 1))
    for i, left in enumerate(one, 1):
        before, row[0] = row[0], i
        for j, right in enumerate(other, 1):
            before, row[j] = row[j], min(row[j] + 1, row[j - 1] + 1, before + (left != right))
    return row[-1]


@given(st.lists(st.sampled_from("abcd"), max_size=14), st.lists(st.sampled_from("abcd"), max_size=14))
def test_the_alignment_has_the_fewest_changes_and_holds_every_word_once(one: list[str], other: list[str]) -> None:
    pairs = aligned(one, other)
    assert sum(not pair.is_same for pair in pairs) == slow_distance(one, other)
    assert [pair.reference for pair in pairs if pair.reference is not None] == list(range(len(one)))
    assert [pair.heard for pair in pairs if pair.heard is not None] == list(range(len(other)))
    assert all(one[p.reference] == other[p.heard] for p in pairs if p.is_same)  # type: ignore[index]


def test_long_texts_are_aligned_past_a_long_hole() -> None:
    text = [f"w{k % 997}" for k in range(6_000)]
    pairs = aligned(text, text[:2_000] + text[3_000:])
    assert sum(pair.is_same for pair in pairs) == 5_000


def test_speech_is_heard_in_stretches_under_half_a_minute_cut_where_it_is_quiet() -> None:
    energy = np.full(10_000, 0.01)
    energy[2_300:2_320] = 1e-9
    spans = [SampleSpan(0, 40 * S), SampleSpan(41 * S, 3 * S), SampleSpan(60 * S, 5 * S)]
    chunks = chunks_of(spans, energy)
    assert chunks[0].end_sample == pytest.approx(23.1 * S, abs=0.1 * S)
    assert [chunk.start_sample for chunk in chunks[1:]] == [chunks[0].end_sample, 60 * S]
    assert all(chunk.length_samples <= MOST_S * S for chunk in chunks)
    assert chunks_of([], energy) == []


def test_edges_go_to_where_the_sound_begins_and_ends() -> None:
    energy = np.full(400, 1e-8)
    energy[50:90], energy[130:170] = 0.01, 0.02
    stretched = [Word("long", 20 * 480, 108 * 480), Word("late", 140 * 480, 210 * 480)]
    first, second = at_sound(stretched, energy)
    assert (first.start_sample, first.end_sample) == pytest.approx((50 * 480, 90 * 480), abs=480)
    assert (second.start_sample, second.end_sample) == pytest.approx((130 * 480, 170 * 480), abs=480)
    assert at_sound(stretched, np.zeros(0)) == tuple(stretched)


@given(st.lists(st.tuples(st.integers(0, 300), st.integers(1, 40)), max_size=12), st.integers(0, 2**31))
def test_edges_never_overlap_nor_turn_around(places: list[tuple[int, int]], seed: int) -> None:
    energy = np.random.default_rng(seed).random(320) ** 8
    at, words = 0, []
    for gap, length in places:
        words.append(Word("w", at + gap * 100, at + gap * 100 + length * 480))
        at = words[-1].end_sample
    found = at_sound([word for word in words if word.end_sample < 320 * 480], energy)
    for one, after in itertools.pairwise(found):
        assert one.start_sample < one.end_sample <= after.start_sample < after.end_sample


def test_a_correction_keeps_the_times_and_later_ones_lie_over_earlier() -> None:
    words = said("the poor takes four minutes")
    fixed = marked(words, [WordMark(words[1].start_sample, words[1].end_sample, text="pour")])
    assert running_text(fixed) == "the pour takes four minutes"
    assert fixed[1].span == words[1].span
    two_for_one = marked(words, [WordMark(words[1].start_sample, words[1].end_sample, text="long pour")])
    assert running_text(two_for_one) == "the long pour takes four minutes"
    assert two_for_one[1].start_sample == words[1].start_sample
    assert two_for_one[2].end_sample == words[1].end_sample
    again = WordMark(words[1].start_sample, words[1].end_sample, text="pour")
    assert running_text(marked(two_for_one, [again])) == "the pour takes four minutes"
    gone = marked(words, [WordMark(words[0].start_sample, words[1].end_sample, text="")])
    assert running_text(gone) == "takes four minutes"
    added = marked([], [WordMark(0, S, text="Now!")])
    assert added[0].span == SampleSpan(0, S)


@given(st.lists(st.tuples(st.integers(0, 40), st.integers(1, 8), st.sampled_from(["", "x", "x y", None])), max_size=8))
def test_corrections_touch_what_lies_in_them_alone(places: list[tuple[int, int, str | None]]) -> None:
    words = said(" ".join(f"w{k}" for k in range(40)))
    marks = [WordMark(at * S * 4 // 10, (at + n) * S * 4 // 10, text, "b") for at, n, text in places]
    found = marked(words, marks)
    outside = [word for word in words if not any(mark.covers(word) for mark in marks)]
    assert [word for word in found if word.speaker == ""] == outside
    assert [word.start_sample for word in found] == sorted(word.start_sample for word in found)


def test_a_stretch_is_given_to_another_speaker_and_left_out_of_the_text() -> None:
    words = said("one two three four", speaker="1")
    middle = WordMark(words[1].start_sample, words[2].end_sample, speaker="2")
    assert [word.speaker for word in marked(words, [middle])] == ["1", "2", "2", "1"]
    out = WordMark(words[1].start_sample, words[2].end_sample, is_left_out=True)
    assert [word.is_left_out for word in marked(words, [out])] == [False, True, True, False]
    clip = Clip("1", "k", 0, 0, 10 * S)
    assert running_text(words_of_clip(clip, {"k": marked(words, [out])})) == "one four"
    back = WordMark(words[1].start_sample, words[1].end_sample, is_left_out=False)
    assert running_text(words_of_clip(clip, {"k": marked(words, [out, back])})) == "one two four"


def test_the_glossary_mends_how_terms_are_written_and_what_was_heard_for_them() -> None:
    words = [*said("at recitant we cast the tenor, with", confidence=0.95), *said("Orlin", 4.0, confidence=0.4)]
    found = with_glossary(words, ["Recitant", "Casting the Tenor", "the Tenor", "Orlen"])
    assert running_text(found) == "at Recitant we cast the Tenor, with Orlen"
    sure = said("Orlin", confidence=0.95)
    assert running_text(with_glossary(sure, ["Orlen"])) == "Orlin"


def a_plan(*clips: Clip, role: Role = Role.NARRATION) -> Plan:
    """A plan of one track."""
    return Plan("p", "25", (Track("t", "Voice", role, clips=clips),))


def test_words_follow_the_moves_trims_and_copies_of_their_clips() -> None:
    words = {"k": said("one two three four five six")}
    whole = Clip("1", "k", 10 * S, 0, 3 * S)
    assert [word.start_sample for word in words_of_clip(whole, words)] == [round((10 + 0.4 * k) * S) for k in range(6)]
    trimmed = Clip("2", "k", 0, S, S)
    assert running_text(words_of_clip(trimmed, words)) == "four five"
    plan = a_plan(whole, trimmed)
    said_there = [one.turn.text for one in turns_in_programme(plan, words)]
    assert said_there == ["four five", "one two three four five six"]
    assert [turn.clip_ids for turn in turns_in_programme(plan, words)] == [("2", "2"), ("1",) * 6]
    assert turns_in_programme(a_plan(whole, role=Role.MUSIC), words) == []
    assert running_text(scaled(words["k"], 2.0)) == running_text(words["k"])
    assert scaled(words["k"], 2.0)[1].start_sample == round(0.2 * S)


def test_words_of_a_track_below_music_are_words_too() -> None:
    words = {"k": said("one two")}
    music, voice = Track("m", "Bed", Role.MUSIC), Track("t", "Voice", Role.DIALOGUE, clips=(Clip("1", "k", 0, 0, S),))
    plan = Plan("p", "25", (music, voice, replace(music, track_id="n")))
    assert [one.turn.text for one in turns_in_programme(plan, words)] == ["one two"]
