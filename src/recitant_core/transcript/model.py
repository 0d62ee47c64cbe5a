"""Words with their times, and turns of speakers."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from recitant_core.units.clock import SampleSpan, samples_from_s

UNSURE: Final = 0.5
"""Confidence under which a word is shown as uncertain."""
LEAST_CONFIDENCE: Final = 0.72
LEAST_WORDS_S: Final = 0.5
DOUBT_FROM_S: Final = 4.0
LONG_TURN_S: Final = 20.0
"""From which on a turn ends with its sentence: a question and its answer by voices that were not told apart."""
TURN_PAUSE_S: Final = 2.0
"""Pause that begins another turn of the same speaker."""


@dataclass(frozen=True)
class Word:
    """A spoken word with its punctuation."""

    text: str
    start_sample: int
    end_sample: int
    confidence: float = 1.0
    """Probability that the model gives it, 0 to 1; 1 for a word written by hand."""
    speaker: str = ""
    """Id of who says it; empty where that is unknown."""
    is_left_out: bool = False
    """Whether it is no part of the text, such as a word of a song."""

    @property
    def span(self) -> SampleSpan:
        """Stretch of the recording."""
        return SampleSpan(self.start_sample, self.end_sample - self.start_sample)

    @property
    def is_unsure(self) -> bool:
        """Whether the model was uncertain."""
        return self.confidence < UNSURE

    def moved(self, by_samples: int) -> "Word":
        """The word that much later."""
        start, end = self.start_sample + by_samples, self.end_sample + by_samples
        return Word(self.text, start, end, self.confidence, self.speaker, self.is_left_out)


@dataclass(frozen=True)
class Transcript:
    """Words of one recording, in order of their start."""

    words: tuple[Word, ...]
    language: str
    """ISO 639-1 code, such as ``en``; empty where nobody speaks."""


@dataclass(frozen=True)
class Turn:
    """Words of one speaker without a long pause, in order."""

    words: tuple[Word, ...]

    @property
    def speaker(self) -> str:
        """Id of who speaks."""
        return self.words[0].speaker

    @property
    def text(self) -> str:
        """The words as running text."""
        return running_text(self.words)

    @property
    def span(self) -> SampleSpan:
        """From the first word to the end of the last."""
        start = self.words[0].start_sample
        return SampleSpan(start, max(word.end_sample for word in self.words) - start)


def is_doubtful(words: Sequence[Word], speech_s: float) -> bool:
    """Whether a model hardly understood what it heard, as it does of a language that it does not know.

    Args:
        words: as heard, with the confidence of the model.
        speech_s: how long somebody speaks.

    Held to: tests/io/test_transcribing.py: recorded English comes to a mean confidence of 0.93 and two words a
    second, other
        languages under an English model to 0.4 to 0.6, or to hardly any words.
    """
    if speech_s < DOUBT_FROM_S:
        return False
    mean = sum(word.confidence for word in words) / len(words) if words else 0.0
    return len(words) < LEAST_WORDS_S * speech_s or mean < LEAST_CONFIDENCE


def running_text(words: Sequence[Word]) -> str:
    """Words as running text, one space between them.

    >>> running_text([Word("Now!", 0, 10), Word("Not", 20, 30)])
    'Now! Not'
    """
    return " ".join(word.text for word in words)


def turns_of(words: Sequence[Word], pause_s: float = TURN_PAUSE_S) -> list[Turn]:
    """Words in order as turns: another speaker or a pause of ``pause_s`` begins the next, and so does a new sentence
    once a turn is long.
    """
    pause, long = samples_from_s(pause_s), samples_from_s(LONG_TURN_S)
    found: list[list[Word]] = []
    for word in words:
        last = found[-1][-1] if found else None
        is_long = last is not None and last.end_sample - found[-1][0].start_sample >= long
        if (
            last is None
            or last.speaker != word.speaker
            or word.start_sample - last.end_sample >= pause
            or (is_long and last.text.rstrip("\"'”’)").endswith((".", "!", "?", "…")))
        ):
            found.append([word])
        else:
            found[-1].append(word)
    return [Turn(tuple(one)) for one in found]
