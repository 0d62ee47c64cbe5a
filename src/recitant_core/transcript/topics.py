"""Chapters proposed from what is said: where the words change, at the longest pauses, named by what stands out.

Source of the method: lexical cohesion of the blocks before and after each pause, after Hearst, "TextTiling" (1997).
"""

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from recitant_core.transcript.model import Turn
from recitant_core.transcript.spelling import plain
from recitant_core.units.clock import samples_from_s

LEAST_CHAPTER_S: Final = 20.0
BLOCK_S: Final = 75.0
_MOST_NAME: Final = 60
_COMMON: Final = frozenset({
    "the", "a", "an", "and", "but", "or", "of", "to", "in", "on", "at", "by", "for", "with", "from", "as", "is", "are",
    "was", "were", "be", "been", "it", "its", "that", "this", "these", "those", "he", "she", "they", "we", "you", "i",
    "his", "her", "their", "my", "your", "our", "not", "no", "so", "then", "there", "when", "what", "who", "will",
    "would", "have", "has", "had", "do", "does", "did", "one", "all", "if", "me", "him", "them", "us", "which", "can",
    "could",
})  # fmt: skip


@dataclass(frozen=True)
class Proposed:
    """A chapter that may be set."""

    at_sample: int
    title: str


def proposed_chapters(turns: Sequence[Turn], n_chapters: int | None = None) -> list[Proposed]:
    """Chapters in order, the first at the start of the programme; empty where too little is said.

    Args:
        turns: in the order of their start.
        n_chapters: at most; about one in four minutes if None, three at least.
    """
    if len(turns) < 2:
        return []
    length_s = (turns[-1].span.end_sample - turns[0].span.start_sample) / samples_from_s(1)
    wanted = n_chapters or max(3, min(12, round(length_s / 240.0)))
    scores = [(_depth(turns, at), at) for at in range(1, len(turns))]
    chosen: list[int] = []
    least = samples_from_s(LEAST_CHAPTER_S)
    for _, at in sorted(scores, key=lambda pair: (-pair[0], pair[1])):
        start = turns[at].span.start_sample
        places = [0, *(turns[other].span.start_sample for other in chosen)]
        if len(chosen) < wanted - 1 and all(abs(start - place) >= least for place in places):
            chosen.append(at)
    found = [Proposed(0, _title(turns[0]))]
    return found + [Proposed(turns[at].span.start_sample, _title(turns[at])) for at in sorted(chosen)]


def _depth(turns: Sequence[Turn], at: int) -> float:
    # How little the words before share with those after, and how long the pause between is.
    place, block = turns[at].span.start_sample, samples_from_s(BLOCK_S)
    before = _words([turn for turn in turns[:at] if turn.span.end_sample > place - block])
    after = _words([turn for turn in turns[at:] if turn.span.start_sample < place + block])
    pause_s = max(0, place - turns[at - 1].span.end_sample) / samples_from_s(1)
    return 1.0 - _similarity(before, after) + 0.35 * math.log1p(pause_s)


def _words(turns: Sequence[Turn]) -> Counter[str]:
    spelled = (plain(word.text) for turn in turns for word in turn.words)
    return Counter(text for text in spelled if len(text) > 2 and text not in _COMMON)


def _similarity(one: Counter[str], other: Counter[str]) -> float:
    norm = math.sqrt(sum(n * n for n in one.values()) * sum(n * n for n in other.values()))
    return sum(n * other[text] for text, n in one.items()) / norm if norm else 0.0


def _title(turn: Turn) -> str:
    # The first sentence or clause, as it stands.
    text = turn.text
    for end, letter in enumerate(text):
        if letter in ".!?;:" or (letter == "," and end > _MOST_NAME // 3):
            text = text[:end]
            break
    words: list[str] = []
    for word in text.split():
        if len(" ".join([*words, word])) > _MOST_NAME:
            break
        words.append(word)
    return " ".join(words).strip(" ,;:—–-") or "…"
