"""Corrections of a transcript, laid over what was heard: they stay when the recording is heard anew."""

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace

from recitant_core.transcript.model import Word
from recitant_core.units.clock import SampleSpan


@dataclass(frozen=True)
class WordMark:
    """Somebody's correction of the words whose middle lies in a stretch of a recording; later marks lie over
    earlier."""

    start_sample: int
    end_sample: int
    text: str | None = None
    """In place of what was heard, in the same time; empty for no word at all. None leaves the words."""
    speaker: str | None = None
    """Id of who speaks; None leaves that."""
    is_left_out: bool | None = None
    """Whether the words are no part of the text, such as those of a song; None leaves that."""

    def covers(self, word: Word) -> bool:
        """Whether the middle of a word lies in it."""
        return self.start_sample <= (word.start_sample + word.end_sample) // 2 < self.end_sample


def marked(words: Sequence[Word], marks: Sequence[WordMark]) -> tuple[Word, ...]:
    """Words with corrections laid over them, the oldest first; what is left out says so.

    Args:
        words: as they were heard, in any order.
        marks: each replaces the words whose middle it covers.
    """
    found = sorted(words, key=_start)
    longest = max((word.end_sample - word.start_sample for word in found), default=0)
    for mark in marks:
        # Only what lies near: an hour of words under a thousand corrections is still read in a moment.
        first = bisect_left(found, mark.start_sample - longest, key=_start)
        last = bisect_right(found, mark.end_sample, key=_start)
        near = _under(mark, found[first:last])
        longest = max([longest, *(word.end_sample - word.start_sample for word in near)])
        found[first:last] = near
    return tuple(found)


def _under(mark: WordMark, words: Sequence[Word]) -> list[Word]:
    covered = [word for word in words if mark.covers(word)]
    kept = [word for word in words if not mark.covers(word)]
    if mark.text is not None:
        covered = list(
            typed_over(covered, mark.text, SampleSpan(mark.start_sample, mark.end_sample - mark.start_sample))
        )
    if mark.speaker is not None:
        covered = [replace(word, speaker=mark.speaker) for word in covered]
    if mark.is_left_out is not None:
        covered = [replace(word, is_left_out=mark.is_left_out) for word in covered]
    return sorted([*kept, *covered], key=_start)


def _start(word: Word) -> int:
    return word.start_sample


def typed_over(words: Sequence[Word], text: str, span: SampleSpan) -> tuple[Word, ...]:
    """New text in the time of some words: one for one where there are as many, else by number of letters.

    Args:
        words: that are replaced, in order; may be none.
        span: where the text lies if there are none.
    """
    parts = text.split()
    if not parts:
        return ()
    if len(parts) == len(words):
        return tuple(replace(word, text=part, confidence=1.0) for word, part in zip(words, parts, strict=True))
    speaker = words[0].speaker if words else ""
    start = words[0].start_sample if words else span.start_sample
    end = max(words[-1].end_sample if words else span.end_sample, start + len(parts))
    ends = [0]
    for part in parts:
        ends.append(ends[-1] + len(part) + 1)
    places = [start + (end - start) * done // ends[-1] for done in ends]
    return tuple(Word(part, places[k], places[k + 1], 1.0, speaker) for k, part in enumerate(parts))


def scaled(words: Sequence[Word], speed: float) -> tuple[Word, ...]:
    """Words of a recording at another speed; 2 halves every time.

    >>> from recitant_core.transcript.model import Word
    >>> scaled([Word("hello", 100, 300, 0.9)], 2.0)[0].end_sample
    150
    """
    return tuple(
        replace(word, start_sample=round(word.start_sample / speed), end_sample=round(word.end_sample / speed))
        for word in words
    )
