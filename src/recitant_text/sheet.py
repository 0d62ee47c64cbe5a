"""States of a file on the delivery sheet, in words."""

from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True)
class DotWords:
    """Words of a state: for who hears the page, for a title, and the sign on it."""

    short: str
    title: str
    sign: str


DOT_WORDS: Final = {
    "made": DotWords("made", "made for this state", "✓"),
    "out": DotWords("out of date", "made for an earlier state, out of date", "!"),
    "under-way": DotWords("being made", "being made", "…"),
    "wanted": DotWords("to be made", "to be made", "•"),
    "left-out": DotWords("left out", "left out; press to add", "+"),
}
