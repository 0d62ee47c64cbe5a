"""Captions: lines and cues by rules of thumb, and what breaks them."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.captions.lines import lines_of
from recitant_core.captions.making import cues_of, timed
from recitant_core.captions.rules import Breach, CaptionRules, Cue, all_broken, broken_rules
from recitant_core.errors import RangeError
from recitant_core.transcript.model import Turn, Word

S = 48_000
RATE = Fraction(25)
RULES = CaptionRules()


def turn(text: str, at_s: float = 1.0, word_s: float = 0.35) -> Turn:
    """A turn of words that follow each other evenly."""
    parts = text.split()
    starts = [round((at_s + word_s * k) * S) for k in range(len(parts) + 1)]
    return Turn(tuple(Word(part, starts[k], starts[k + 1] - 960) for k, part in enumerate(parts)))


def test_lines_break_at_clauses_and_never_after_a_word_that_belongs_to_the_next() -> None:
    text = "When it stops roaring and begins to hum, it is ready."
    assert lines_of(text.split(), 42, 2) == ["When it stops roaring and begins to hum,", "it is ready."]
    broken = lines_of(["You", "let", "it", "go,", "and", "you", "wait", "for", "the", "bronze"], 30, 2)
    assert broken is not None
    assert broken[0] == "You let it go,"
    assert lines_of(["Now."], 42, 2) == ["Now."]
    assert lines_of([], 42, 2) == []
    assert lines_of(["word"] * 40, 42, 2) is None


def test_cues_end_with_sentences_and_keep_all_rules() -> None:
    text = (
        "My grandfather cast the treble. My mother cast the third. Nobody has dared to cast the tenor, until now. "
        "Stand where I can see your hands, and when I say tilt, you tilt."
    )
    cues = cues_of([turn(text)], RULES, RATE)
    assert " ".join(cue.text.replace("\n", " ") for cue in cues) == text
    assert [cue.text[-1] for cue in cues] == [".", ".", "."]
    assert not any(all_broken(cues, RULES, RATE))


@given(st.lists(st.text("abc,.", min_size=1, max_size=12), min_size=1, max_size=60), st.floats(0.12, 0.6))
def test_whatever_is_said_slowly_enough_is_shown_whole_in_order_and_apart(parts: list[str], word_s: float) -> None:
    cues = cues_of([turn(" ".join(parts), word_s=word_s)], RULES, RATE)
    assert " ".join(cue.text.replace("\n", " ") for cue in cues) == " ".join(parts)
    structural = {Breach.OVERLAPS, Breach.CLOSE, Breach.LONG_LINE, Breach.MANY_LINES, Breach.EMPTY}
    assert not [broken for found in all_broken(cues, RULES, RATE) for broken in found if broken.breach in structural]
    for cue in cues:
        frames = cue.start_sample * RATE / S
        assert abs(frames - round(frames)) < Fraction(1, 100)  # on a frame


def test_short_cues_stay_until_they_are_read_where_there_is_room() -> None:
    alone = timed([Cue(S, round(1.2 * S), "You let it go, and you wait.")], RULES, RATE)[0]
    assert alone.characters_s <= RULES.most_characters_s
    crowded = timed([Cue(S, round(1.2 * S), "You let it go, and you wait."), Cue(2 * S, 3 * S, "Now.")], RULES, RATE)
    assert crowded[0].end_sample == 2 * S - 2 * 1920  # two frames before the next
    assert [broken.breach for broken in broken_rules(crowded[0], crowded[1], RULES, RATE)] == [Breach.FAST]


def test_every_rule_says_what_breaks_it_and_by_how_much() -> None:
    def breaches(cue: Cue, after: Cue | None = None) -> dict[str, float]:
        return {found.breach.value: round(found.found, 2) for found in broken_rules(cue, after, RULES, RATE)}

    assert breaches(Cue(0, 3 * S, "x" * 43)) == {"long-line": 43}
    assert breaches(Cue(0, 3 * S, "a\nb\nc")) == {"many-lines": 3}
    assert breaches(Cue(0, S, "x" * 30)) == {"fast": 30}
    assert breaches(Cue(0, S // 2, "Now.")) == {"short": 0.5}
    assert breaches(Cue(0, 8 * S, "Now.")) == {"long": 8}
    assert breaches(Cue(0, S, " ")) == {"empty": 0}
    assert breaches(Cue(0, S, "Now."), Cue(S - 4800, 2 * S, "x")) == {"overlaps": 0.1}
    assert breaches(Cue(0, S, "Now."), Cue(S + 1920, 2 * S, "x")) == {"close": 1}
    assert breaches(Cue(0, S, "Now."), Cue(S + 3840, 2 * S, "x")) == {}


@pytest.mark.parametrize(("field", "value"), [("most_characters", 5), ("most_s", 60.0), ("least_s", 8.0)])
def test_rules_that_cannot_be_are_refused(field: str, value: float) -> None:
    with pytest.raises(RangeError):
        CaptionRules(**{field: value})  # type: ignore[arg-type]


def test_a_name_stands_before_the_first_cue_of_a_turn() -> None:
    cues = cues_of([turn("You tilt."), turn("And nobody sleeps.", 4.0)], RULES, RATE, ["FOUNDER:", ""])
    assert [cue.text for cue in cues] == ["FOUNDER: You tilt.", "And nobody sleeps."]
