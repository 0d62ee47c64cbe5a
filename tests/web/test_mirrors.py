"""Numbers that stand in the pages' modules and in Python are the same."""

from recitant_core.units.clock import RATE_HZ
from recitant_web.words.queries import BY_HAND, LEFT_OUT, UNSURE


def test_numbers_that_stand_in_both_are_the_same(scripts):
    found = scripts("mirror_cases.js")("numbers")
    assert found == {"RATE_HZ": RATE_HZ, "BY_HAND": BY_HAND, "LEFT_OUT": LEFT_OUT, "UNSURE": UNSURE}
