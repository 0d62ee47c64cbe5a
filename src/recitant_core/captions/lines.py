"""Text broken into lines where it reads well."""

import re
from collections.abc import Sequence
from typing import Final

SENTENCE, CLAUSE, PHRASE, WORD, BAD = 0.0, 1.0, 3.5, 7.0, 15.0
"""Cost of a break after a word: end of a sentence, of a clause, before a small word that begins a phrase, anywhere,
and after a word that belongs to the next."""
_ENDS: Final = re.compile(r"[.!?…][\"'”’)\]]*$")
_CLAUSES: Final = re.compile(r"[,;:—–][\"'”’)\]]*$")
_BEGINS: Final = frozenset({
    "and", "but", "or", "nor", "so", "because", "if", "when", "while", "where", "who", "which", "that", "as",
    "than", "until", "before", "after", "since", "though", "although", "to", "of", "in", "on", "at", "by", "for",
    "from", "with", "into", "over", "under", "through", "about", "between", "without",
})  # fmt: skip
_BELONGS: Final = frozenset({
    "a", "an", "the", "this", "that", "these", "those", "my", "your", "his", "her", "its", "our", "their", "no",
    "every", "some", "any", "to", "of", "in", "on", "at", "by", "for", "from", "with", "into", "and", "but", "or",
    "as", "is", "are", "was", "were", "be", "been", "has", "have", "had", "will", "would", "can", "could", "i",
    "you", "he", "she", "it", "we", "they", "mr", "mrs", "dr", "not", "very", "more",
})  # fmt: skip


def break_cost(before: str, after: str) -> float:
    """Cost of ending a line or a cue between two words, 0 at the end of a sentence.

    >>> break_cost("over.", "Then") < break_cost("water,", "and") < break_cost("the", "river")
    True
    """
    if _ENDS.search(before):
        return SENTENCE
    if _CLAUSES.search(before):
        return CLAUSE
    bare = before.casefold().strip("\"'“‘(")
    if bare in _BELONGS:
        return BAD
    return PHRASE if after.casefold() in _BEGINS else WORD


def lines_of(words: Sequence[str], most_characters: int, most_lines: int) -> list[str] | None:
    """Words as lines: as few as hold them, broken where it reads well, lines alike in length; None where they do not
    fit.

    A single word longer than a line stands alone.
    """
    best: list[tuple[float, list[str]] | None] = [None] * (len(words) + 1)
    best[0] = (0.0, [])
    total = len(" ".join(words))
    if total <= most_characters:
        return [" ".join(words)] if words else []
    aim = total / -(-total // most_characters)
    for end in range(1, len(words) + 1):
        for start in range(end - 1, -1, -1):
            line = " ".join(words[start:end])
            if len(line) > most_characters and end - start > 1:
                break
            before = best[start]
            if before is None or len(before[1]) == most_lines or len(line) > most_characters:
                continue
            is_last = end == len(words)
            cost = before[0] + 0.004 * (len(line) - aim) ** 2 + 20.0
            cost += 0.0 if is_last else break_cost(words[end - 1], words[end])
            # Of two lines the upper is the shorter where nothing else decides: it covers less of the picture.
            cost += 0.5 if not before[1] and len(line) > aim else 0.0
            known = best[end]
            if known is None or cost < known[0]:
                best[end] = (cost, [*before[1], line])
    found = best[len(words)]
    return None if found is None else found[1]
