"""Words as they are compared: without case, punctuation, and ways of writing the same word."""

import re
import unicodedata
from functools import lru_cache
from typing import Final

_MARKS: Final = re.compile(r"[^\w']+")
_MOST_KEPT_LETTERS: Final = 60
"""Of a word that is kept in memory as it is compared: longer ones are no words."""
_SMALL_NUMBERS: Final = {
    "0": "zero", "1": "one", "2": "two", "3": "three", "4": "four", "5": "five", "6": "six", "7": "seven",
    "8": "eight", "9": "nine", "10": "ten", "11": "eleven", "12": "twelve",
}  # fmt: skip


def plain(text: str) -> str:
    """A word as it is compared; empty for punctuation alone.

    >>> plain("Now!"), plain("It’s"), plain("4"), plain("—")
    ('now', "it's", 'four', '')
    """
    return _kept_plain(text) if len(text) <= _MOST_KEPT_LETTERS else _plain(text)


@lru_cache(maxsize=65_536)
def _kept_plain(text: str) -> str:
    return _plain(text)


def _plain(text: str) -> str:
    caseless = unicodedata.normalize("NFKC", text).casefold().replace("’", "'")
    bare = _MARKS.sub("", caseless).strip("'_")
    return _SMALL_NUMBERS.get(bare, bare)


def plain_words(text: str) -> list[str]:
    """Running text as the words that are compared; hyphens part words.

    >>> plain_words("Well-made, and 3 of them.")
    ['well', 'made', 'and', 'three', 'of', 'them']
    """
    return [word for part in re.split(r"[\s\-–—/]+", text) if (word := plain(part))]
