"""Two sequences of words against each other, by the least number of changes.

Source of the measure: word error rate as substitutions, deletions and insertions over the words of the reference,
found by the edit distance of Levenshtein (1965); common practice in speech recognition.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from numba import njit

from recitant_core.errors import EditRefused

Ids = npt.NDArray[np.int64]
_SAME, _OTHER, _GONE, _ADDED = 0, 1, 2, 3
_BAND_WORDS = 1_500
"""How far alignment may drift; longer texts are compared in windows around the diagonal."""
MOST_CELLS = 80_000_000
"""Of the band, a byte each: two texts of 26,000 words, which are three hours of talk."""


@dataclass(frozen=True)
class Pair:
    """A place of the alignment: indices into both sequences, None where one has no word."""

    reference: int | None
    heard: int | None
    is_same: bool


@dataclass(frozen=True)
class WordErrors:
    """Counts of words in a heard text against its reference."""

    n_reference: int
    n_other: int
    n_gone: int
    n_added: int

    @property
    def share(self) -> float:
        """Word error rate; over 1 where more is added than there is."""
        return (self.n_other + self.n_gone + self.n_added) / max(1, self.n_reference)


def aligned(reference: Sequence[str], heard: Sequence[str]) -> list[Pair]:
    """The alignment with the fewest changes, in order.

    Args:
        reference, heard: words as they are compared; see spelling.

    Raises:
        EditRefused: texts that are too long, or too unlike in length, to be compared.
    """
    # Texts of unlike length need a band that reaches the last cell.
    band = max(_BAND_WORDS, abs(len(reference) - len(heard)) + 50)
    if (len(reference) + 1) * (2 * band + 1) > MOST_CELLS:
        raise EditRefused("texts_too_unlike", n_reference=len(reference), n_heard=len(heard))
    ids: dict[str, int] = {}
    first = np.array([ids.setdefault(word, len(ids)) for word in reference], dtype=np.int64)
    second = np.array([ids.setdefault(word, len(ids)) for word in heard], dtype=np.int64)
    pairs: list[Pair] = []
    i, j = 0, 0
    for step in _steps(first, second, band):
        if step in (_SAME, _OTHER):
            pairs.append(Pair(i, j, bool(step == _SAME)))
            i, j = i + 1, j + 1
        elif step == _GONE:
            pairs.append(Pair(i, None, False))
            i += 1
        else:
            pairs.append(Pair(None, j, False))
            j += 1
    return pairs


def word_errors(reference: Sequence[str], heard: Sequence[str]) -> WordErrors:
    """Substituted, missing and added words of a heard text against its reference.

    >>> found = word_errors(["one", "two", "three"], ["one", "too"])
    >>> (found.n_reference, found.n_other, found.n_gone, found.n_added)
    (3, 1, 1, 0)
    """
    pairs = aligned(reference, heard)
    other = sum(1 for p in pairs if p.reference is not None and p.heard is not None and not p.is_same)
    gone = sum(1 for p in pairs if p.heard is None)
    return WordErrors(len(reference), other, gone, sum(1 for p in pairs if p.reference is None))


@njit(cache=True, nogil=True)
def _steps(first: Ids, second: Ids, band: int) -> npt.NDArray[np.uint8]:
    # Costs of whole rows inside a band around the diagonal; the way back is kept as one byte a cell.
    n, m = len(first), len(second)
    width = 2 * band + 1
    far = 1 << 30
    ways = np.zeros((n + 1, width), np.uint8)
    before = np.full(width, far, np.int64)
    now = np.full(width, far, np.int64)
    for i in range(n + 1):
        # The band follows the straight line from the first pair of words to the last.
        middle = i * m // n if n else 0
        shift = middle - ((i - 1) * m // n if i else middle)
        for k in range(width):
            j = middle - band + k
            if j < 0 or j > m:
                now[k] = far
                continue
            best, way = far, 0
            if i == 0:
                # Before the first word of the reference everything heard is added.
                best, way = j, 3
            else:
                up, across = k + shift, k + shift - 1
                if 0 <= across < width and j > 0 and before[across] < far:
                    is_same = first[i - 1] == second[j - 1]
                    best, way = before[across] + (0 if is_same else 1), 0 if is_same else 1
                if 0 <= up < width and before[up] + 1 < best:
                    best, way = before[up] + 1, 2
                if k > 0 and j > 0 and now[k - 1] + 1 < best:
                    best, way = now[k - 1] + 1, 3
            now[k] = best
            ways[i, k] = way
        before, now = now, before
    # Back from the last cell by what each cell was reached from.
    steps = np.zeros(n + m, np.uint8)
    count, i, j = 0, n, m
    while i > 0 or j > 0:
        middle = i * m // n if n else 0
        way = ways[i, j - middle + band]
        steps[count] = way
        count += 1
        if way != 3:
            i -= 1
        if way != 2:
            j -= 1
    return steps[:count][::-1]
