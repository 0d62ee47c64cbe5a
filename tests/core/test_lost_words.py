"""Words lost in a mix: only steady words count, and what is heard in their place is told."""

from collections.abc import Sequence

import numpy as np

from recitant_core.transcript.lost import WordState, counted, heard_as_listener, lost_passages, understood
from recitant_core.transcript.model import Transcript, Word
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan

S = 48_000


def said(text: str, confidence: float = 0.9) -> list[Word]:
    """Words of half a second each."""
    return [Word(part, k * S // 2, (k + 1) * S // 2, confidence) for k, part in enumerate(text.split())]


def test_only_words_that_are_heard_alike_whatever_the_level_are_judged() -> None:
    alone = said("Ladle up hold the bronze decides")
    others = [said("little up hold the bronze decides"), said("ladle up hold a bronze decides")]
    found = understood(alone, others, said("ladle cup hold the decides"))
    states = [one.state for one in found]
    assert states == [
        WordState.UNSTEADY, WordState.MISHEARD, WordState.KEPT, WordState.UNSTEADY, WordState.LOST, WordState.KEPT,
    ]  # fmt: skip
    assert found[1].heard_as == "cup"
    count = counted(found)
    assert (count.n_words, count.n_steady, count.n_lost) == (6, 4, 2)
    assert count.can_judge


def test_a_word_that_the_model_doubts_is_not_judged() -> None:
    text = "now pour"
    found = understood(said(text, 0.3), [said(text), said(text)], [])
    assert {one.state for one in found} == {WordState.UNSTEADY}
    assert not counted(found).can_judge
    assert not counted([]).can_judge


def test_case_and_punctuation_lose_no_word() -> None:
    found = understood(said("Now! Not so fast."), [said("now not so fast")] * 2, said("now, not so fast"))
    assert {one.state for one in found} == {WordState.KEPT}


def test_lost_words_near_each_other_are_one_passage() -> None:
    alone = said("the bronze decides my father said that then and there it was so and then no more")
    mix = said("the x y my father said that then and there it was so and then no")
    passages = lost_passages(understood(alone, [alone, alone], mix))
    assert [passage.text for passage in passages] == ["bronze decides", "more"]
    assert passages[0].span == SampleSpan(S // 2, S)


class Meter:
    """Hears "loud" where anything is over a threshold, else nothing; implements Transcriber."""

    name = "meter"

    def hear(self, audio: FloatArray, language: str, glossary: Sequence[str]) -> Transcript:  # noqa: ARG002
        """One word a chunk."""
        is_loud = float(np.abs(audio).max()) > 0.2
        return Transcript((Word("loud", 100, 4_000, 0.9),) if is_loud else (), "en")


def test_a_mix_is_heard_stretch_by_stretch_in_programme_time() -> None:
    told: list[float] = []

    def alone(span: SampleSpan) -> FloatArray:
        return np.full(span.length_samples, 0.5)

    def mix(span: SampleSpan) -> FloatArray:
        return np.full(span.length_samples, 0.5 if span.start_sample == 0 else 0.1)

    chunks = [SampleSpan(0, S), SampleSpan(5 * S, S)]
    found = heard_as_listener(alone, mix, chunks, Meter(), "en", told.append)
    assert [(one.word.start_sample, one.state) for one in found] == [
        (100, WordState.KEPT), (5 * S + 100, WordState.LOST),
    ]  # fmt: skip
    assert told == [0.5, 1.0]
