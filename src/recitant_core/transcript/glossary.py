"""Names and terms of a workspace, put in place of what was heard for them."""

import difflib
from collections.abc import Sequence
from dataclasses import replace
from typing import Final

from recitant_core.transcript.model import Word
from recitant_core.transcript.spelling import plain

LEAST_LIKENESS: Final = 0.75
MOST_CONFIDENCE: Final = 0.85
"""A word that the model is surer of stays as it is, unless only case or marks differ."""


def with_glossary(words: Sequence[Word], terms: Sequence[str]) -> tuple[Word, ...]:
    """Words with terms put in: written as the glossary has them, and in place of uncertain words much like them.

    Args:
        terms: single words or several, such as ``Casting the Tenor``; those of several words only correct how these
            are written.
    """
    single = {plain(term): term for term in terms if plain(term) and len(term.split()) == 1}
    found = [_corrected(word, single) for word in words]
    for term in terms:
        wanted = [plain(part) for part in term.split()]
        for at in range(len(found) - len(wanted) + 1 if len(wanted) > 1 else 0):
            if [plain(word.text) for word in found[at : at + len(wanted)]] == wanted:
                for k, part in enumerate(term.split()):
                    found[at + k] = _written(found[at + k], part)
    return tuple(found)


def _corrected(word: Word, terms: dict[str, str]) -> Word:
    bare = plain(word.text)
    if bare in terms:
        return _written(word, terms[bare])
    if word.confidence > MOST_CONFIDENCE or len(bare) < 4:
        return word
    near = difflib.get_close_matches(bare, [term for term in terms if len(term) >= 4], 1, LEAST_LIKENESS)
    return _written(word, terms[near[0]]) if near else word


def _written(word: Word, term: str) -> Word:
    before = word.text[: len(word.text) - len(word.text.lstrip("\"'“‘(—–-"))]
    after = word.text[len(word.text.rstrip(".,;:!?…\"'”’)—–-")) :]
    return replace(word, text=f"{before}{term}{after}")
