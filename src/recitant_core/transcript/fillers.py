"""Filler words and long pauses, to be taken out.

Source of the list: common practice of transcription; sounds of hesitation, and words said twice.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

from recitant_core.transcript.model import Word
from recitant_core.transcript.spelling import plain
from recitant_core.units.clock import SampleSpan, samples_from_s

LONG_PAUSE_S: Final = 2.0
KEPT_PAUSE_S: Final = 0.6
"""What is left of a long pause."""
_HESITATIONS: Final = frozenset({
    "um", "uhm", "umm", "uh", "uhh", "er", "erm", "err", "ah", "eh", "hm", "hmm", "mm", "mmm", "mhm",
    "äh", "ähm", "euh", "heu", "eee",
})  # fmt: skip


@dataclass(frozen=True)
class Superfluous:
    """A stretch that may be taken out."""

    span: SampleSpan
    text: str
    """The words; empty for a pause."""


def fillers_of(words: Sequence[Word]) -> list[Superfluous]:
    """Hesitations, and the first of a word that is said twice in a row within half a second, in order."""
    found = []
    for at, word in enumerate(words):
        text = plain(word.text)
        after = words[at + 1] if at + 1 < len(words) else None
        is_said_again = (
            after is not None
            and len(text) > 0
            and plain(after.text) == text
            and after.speaker == word.speaker
            and not word.text.endswith((".", "!", "?", ","))
            and after.start_sample - word.end_sample < samples_from_s(0.5)
        )
        if text in _HESITATIONS or is_said_again:
            end = after.start_sample if is_said_again and after is not None else word.end_sample
            found.append(Superfluous(SampleSpan(word.start_sample, end - word.start_sample), word.text))
    return found


def pauses_of(words: Sequence[Word], longer_than_s: float = LONG_PAUSE_S) -> list[Superfluous]:
    """Part of each long pause between words over KEPT_PAUSE_S, in order.

    Args:
        words: in order, of one track.
        longer_than_s: pauses from this length on; half of KEPT_PAUSE_S stays on each side.
    """
    least, side = samples_from_s(longer_than_s), samples_from_s(KEPT_PAUSE_S / 2)
    found = []
    for before, after in pairwise(words):
        if after.start_sample - before.end_sample >= least:
            start, end = before.end_sample + side, after.start_sample - side
            found.append(Superfluous(SampleSpan(start, end - start), ""))
    return found
