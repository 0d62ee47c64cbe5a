"""Pauses of talk: how much a curve may move over a programme, in which pauses a sound comes back, and spoken lists.

Held to: tests/core/test_two_levels.py
"""

from typing import Final

from recitant_core.measure.clearance import BoolArray
from recitant_core.speech.activity import PAD_AFTER_S, PAD_BEFORE_S
from recitant_core.units.clock import HOPS_PER_SECOND, RATE_HZ, SampleSpan

DENSE_TRAVEL_DB: Final = 13.0  # movement a minute where people talk most of the time
OPEN_TRAVEL_DB: Final = 22.0  # and elsewhere
RETURN_S: Final = 5.0  # in a pause this long the sound comes back, half of its dip at the least
DETECTED_RETURN_S: Final = RETURN_S - PAD_BEFORE_S - PAD_AFTER_S - 0.25  # speech is found with its pads, and late
_LIST_ITEM_S: Final = 3.0  # short items at even distances are a spoken list, and the bed lies still under it
_LIST_EVEN: Final = 0.25
_DENSE_SHARE: Final = 0.5


def in_lists(runs: list[SampleSpan], gaps: list[int]) -> set[int]:
    """Places of the gaps of spoken lists: three and more that are about as long, between short items.

    Args:
        runs: of talk, in order.
        gaps: between them, in samples.
    """
    is_item = [run.length_samples <= _LIST_ITEM_S * RATE_HZ for run in runs]
    found: set[int] = set()
    for index in range(len(gaps) - 2):
        three = gaps[index : index + 3]
        if all(is_item[index : index + 4]) and max(three) - min(three) <= _LIST_EVEN * max(three):
            found |= {index, index + 1, index + 2}
    return found


def travel_budget_db(is_speech: BoolArray) -> float:
    """Limit in dB of a curve's moves over a programme, up and down together.

    Args:
        is_speech: bool (hops of 10 ms,); minutes that are full of talk may move more than open ones.
    """
    total = 0.0
    minute = 60 * HOPS_PER_SECOND
    for first in range(0, len(is_speech), minute):
        part = is_speech[first : first + minute]
        a_minute = DENSE_TRAVEL_DB if part.mean() >= _DENSE_SHARE else OPEN_TRAVEL_DB
        total += a_minute * len(part) / minute
    return total
