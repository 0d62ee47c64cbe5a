"""A text that somebody has, put in place of what was heard: aligned word for word, the times of the sound kept.

Held to: tests/core/test_script.py
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from recitant_core.transcript.alignment import aligned
from recitant_core.transcript.model import Word
from recitant_core.transcript.spelling import plain

MOST_MISSING: Final = 4
"""Words of the text in a row that were not heard and are put in all the same; more are another cut of the text."""
LEAST_SHARE: Final = 0.3
"""Share of heard words that must stand in the text for it to be the text of this sound."""


@dataclass(frozen=True)
class Retyped:
    """Heard words in a row, and what stands in the text in their place."""

    first: int
    last: int
    """Index of the first and of the last heard word."""
    text: str


@dataclass(frozen=True)
class Fitted:
    """Changes of a text against heard words."""

    changes: tuple[Retyped, ...]
    n_same: int
    """Heard words that stand in the text."""
    n_left: int
    """Words of the text that were not heard, and are in none of the changes."""

    def is_of_it(self, n_heard: int) -> bool:
        """Whether it is the text of this sound."""
        return n_heard > 0 and self.n_same >= LEAST_SHARE * n_heard


def fitted(words: Sequence[Word], text: str) -> Fitted:
    """Changes of a text against heard words: other words, and other spellings of the same ones.

    Words that were heard and do not stand in the text stay as they are.

    Args:
        words: as heard, in order.
    """
    written = [part for part in text.split() if plain(part)]
    pairs = aligned([plain(part) for part in written], [plain(word.text) for word in words])
    slots: list[list[str]] = [[] for _ in words]
    n_same = n_left = 0
    waiting: list[str] = []
    last = -1
    for pair in pairs:
        if pair.reference is None:
            n_left += _put(waiting, slots, last)
            last = pair.heard if pair.heard is not None else last
            continue
        if pair.heard is None:
            # Stands in the text and was not heard: it goes to a neighbour that was.
            waiting.append(written[pair.reference])
            continue
        n_left += _put(waiting, slots, last)
        last = pair.heard
        n_same += pair.is_same
        slots[pair.heard].append(written[pair.reference])
    n_left += _put(waiting, slots, last)
    return Fitted(tuple(_joined(words, slots)), n_same, n_left)


def _put(waiting: list[str], slots: list[list[str]], last: int) -> int:
    # What was not heard goes with the word before it, where it is little.
    n_left = 0
    if waiting and last >= 0 and len(waiting) <= MOST_MISSING and slots[last]:
        slots[last] += waiting
    else:
        n_left = len(waiting)
    waiting.clear()
    return n_left


def _joined(words: Sequence[Word], slots: Sequence[Sequence[str]]) -> list[Retyped]:
    found: list[Retyped] = []
    for at, (word, slot) in enumerate(zip(words, slots, strict=True)):
        if not slot or " ".join(slot) == word.text:
            continue
        before = found[-1] if found else None
        if before is not None and before.last == at - 1 and len(slot) == 1 and _is_one_for_one(before):
            found[-1] = Retyped(before.first, at, f"{before.text} {slot[0]}")
        else:
            found.append(Retyped(at, at, " ".join(slot)))
    return found


def _is_one_for_one(change: Retyped) -> bool:
    return len(change.text.split()) == change.last - change.first + 1
