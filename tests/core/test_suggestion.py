"""What the names, lengths and times of a pile suggest."""

import pytest

from recitant_core.timeline.laying import Laying
from recitant_core.timeline.suggestion import PileFile, most_at_once, suggested


def files(*names, length_s=30.0, **more):
    return [PileFile(name, length_s, **more) for name in names]


@pytest.mark.parametrize(
    ("pile", "how"),
    [
        # Twenty takes of a narration were twenty voices at once.
        (files(*(f"Narration {k:02d}" for k in range(1, 21))), Laying.ROW),
        (files("interview 01", "interview 02", "street 1", "street 2"), Laying.NAMES),
        (files("a", "b", "c", has_time=True), Laying.TIMES),
        (files("dialogue", "music", "effects", length_s=1_800.0), Laying.APART),
        (files("Anna", "Bob", "rain", "door"), Laying.ROLES),
        ([*files("Anna", length_s=300.0), *files("Bob", length_s=290.0)], Laying.ROLES),
        (files(*(f"hit {chr(97 + k)}x" for k in range(20)), length_s=2.0), Laying.ROLES),
        ([PileFile("cut 3", 600.0, is_film=True), *files("wild track")], Laying.APART),
        ([PileFile("cut 3", 600.0, is_film=True), *files("line 1", "line 2")], Laying.ROW),
        (files("only one"), Laying.APART),
    ],
)
def test_what_is_chosen_before_anybody_chooses(pile, how):
    assert suggested(pile) is how


def test_how_many_sound_at_once():
    assert most_at_once([]) == 0
    assert most_at_once([(0, 10), (10, 20)]) == 1  # one after another
    assert most_at_once([(0, 10)] * 20) == 20
    assert most_at_once([(0, 10), (5, 15), (8, 9)]) == 3
