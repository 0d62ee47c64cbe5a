"""A text put in place of what was heard; chapters and captions proposed from words and names."""

import itertools

import pytest

from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.sounds import named_sounds, sound_name
from recitant_core.transcript.model import Turn, Word
from recitant_core.transcript.script import Retyped, fitted
from recitant_core.transcript.topics import proposed_chapters
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role

S = 48_000


def said(text: str, at_s: float = 0.0) -> list[Word]:
    """Words of 0.3 s."""
    starts = [at_s + 0.4 * k for k in range(len(text.split()))]
    return [Word(part, round(at * S), round((at + 0.3) * S)) for at, part in zip(starts, text.split(), strict=True)]


def test_words_are_written_as_in_the_text() -> None:
    fit = fitted(said("the poor takes for minutes nobody speaks"), "The pour takes four minutes. Nobody speaks.")
    assert fit.changes == (
        Retyped(0, 1, "The pour"), Retyped(3, 6, "four minutes. Nobody speaks."),
    )  # fmt: skip
    assert (fit.n_same, fit.n_left) == (5, 0)
    assert fitted(said("as it is"), "as it is").changes == ()


def test_few_words_that_were_not_heard_are_put_in_and_a_passage_is_not() -> None:
    words = said("you let it go and you wait")
    few = fitted(words, "You let it go, and then quietly you wait.")
    assert "and then quietly" in " ".join(change.text for change in few.changes)
    many = fitted(words, "You let it go, and this is a passage that was cut from the film, you wait.")
    assert many.n_left == 10
    assert "passage" not in " ".join(change.text for change in many.changes)


def test_what_the_text_does_not_hold_stays_and_another_text_is_told() -> None:
    words = said("um you let it go")
    fit = fitted(words, "you let it go")
    assert fit.changes == ()
    assert fit.is_of_it(len(words))
    other = fitted(words, "Four tonnes of copper and one of tin at eleven hundred degrees")
    assert not other.is_of_it(len(words))
    assert not fitted([], "anything").is_of_it(0)


def test_chapters_begin_where_the_words_change() -> None:
    bell = "the bell tower rings the bell over the valley and the bell answers."
    bread = "flour and water make dough, the baker kneads the dough before the oven."
    places = ((bell, 0), (bell, 15), (bell, 30), (bread, 48), (bread, 63), (bread, 78))
    turns = [Turn(tuple(said(text, at))) for text, at in places]
    found = proposed_chapters(turns, 2)
    assert [chapter.at_sample for chapter in found] == [0, 48 * S]
    assert found[1].title == "flour and water make dough"
    assert proposed_chapters(turns[:1]) == []


def test_chapters_keep_apart_as_platforms_ask() -> None:
    turns = [Turn(tuple(said(f"word{k} other{k}.", 5.0 * k))) for k in range(60)]
    places = [chapter.at_sample for chapter in proposed_chapters(turns, 8)]
    assert len(places) == 8
    assert all(b - a >= 20 * S for a, b in itertools.pairwise(places))


def a_plan(*clips: Clip) -> Plan:
    """A plan of one track of effects."""
    return Plan("p", "25", (Track("t", "Effects", Role.EFFECTS, clips=clips),))


@pytest.mark.parametrize(
    ("name", "shown"), [("Hammer strikes_02", "hammer strikes"), ("The pour", "the pour"), ("fx 03", "fx"), ("007", "")]
)
def test_sounds_are_called_by_their_names_without_numbers(name: str, shown: str) -> None:
    assert sound_name(name) == shown


def test_sounds_are_named_where_no_caption_stands_and_not_over_and_over() -> None:
    hammer = [Clip(str(at), "k", at * S, 0, S, name="Hammer 1") for at in (0, 3, 12)]
    pour = Clip("p", "k", 5 * S, 0, 6 * S, name="The pour")
    found = named_sounds(a_plan(*hammer, pour), [SampleSpan(0, S // 4), SampleSpan(4 * S, 3 * S)])
    assert [(span.start_sample, text) for span, text in found] == [(3 * S, "[hammer]"), (12 * S, "[hammer]")]
    free = named_sounds(a_plan(pour), [])
    assert free == [(SampleSpan(5 * S, 2 * S), "[the pour]")]
