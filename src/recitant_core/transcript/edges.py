"""Edges of words moved to where the sound begins and ends: models stretch words over the pauses beside them."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Final

import numpy as np
import numpy.typing as npt

from recitant_core.transcript.model import Word
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ, samples_from_s

BoolArray = npt.NDArray[np.bool_]
UNDER_PEAK_DB: Final = 26.0
"""Below the loudest 10 ms of the word and its neighbours: sound under it counts as pause."""
ABOVE_FLOOR_DB: Final = 8.0
REACH_S: Final = 0.35
"""How far before its start, and after its end, a word may reach into sound that belongs to no other."""
LEAST_PAUSE_S: Final = 0.12
_HOP: Final = RATE_HZ // 100


def at_sound(words: Sequence[Word], energy: FloatArray) -> tuple[Word, ...]:
    """Words in order with starts and ends at the sound; none overlaps the next.

    Args:
        energy: float64 (hops,), 10 ms energies of the recording.
    """
    if not len(energy):
        return tuple(words)
    level_db = 10.0 * np.log10(np.maximum(energy, 1e-12))
    floor_db = float(np.percentile(level_db, 5))
    found: list[Word] = []
    for at, word in enumerate(words):
        before = found[-1].end_sample if found else 0
        after = words[at + 1].start_sample if at + 1 < len(words) else len(energy) * _HOP
        found.append(_at_sound(word, before, after, level_db, floor_db))
    return tuple(found)


def _at_sound(word: Word, before: int, after: int, level_db: FloatArray, floor_db: float) -> Word:
    reach = samples_from_s(REACH_S)
    first = max(before, word.start_sample - reach) // _HOP
    last = min(len(level_db), -(-min(after, word.end_sample + reach) // _HOP))
    start, end = word.start_sample // _HOP, min(len(level_db), -(-word.end_sample // _HOP))
    if end <= start or last <= first:
        return word
    limit_db = max(float(level_db[start:end].max()) - UNDER_PEAK_DB, floor_db + ABOVE_FLOOR_DB)
    sounding = level_db >= limit_db
    if not sounding[start:end].any():
        return word
    start = _onset(sounding, first, start, end)
    end = _release(sounding, max(start + 1, end), last, start)
    begin = max(before, start * _HOP)
    return replace(word, start_sample=begin, end_sample=max(min(end * _HOP, after), begin + _HOP))


def _onset(sounding: BoolArray, first: int, start: int, end: int) -> int:
    if sounding[start]:
        while start > first and sounding[start - 1]:
            start -= 1
        return start
    # Silence at the start of a word is a pause where it is long enough; a stop consonant is shorter.
    inside = start + int(np.argmax(sounding[start:end]))
    return max(start, inside - 1)


def _release(sounding: BoolArray, end: int, last: int, start: int) -> int:
    if sounding[end - 1]:
        while end < last and sounding[end]:
            end += 1
        return end
    inside = end - int(np.argmax(sounding[start:end][::-1]))
    least = round(LEAST_PAUSE_S * RATE_HZ / _HOP)
    return inside + 1 if end - inside >= least else end
