"""A first balance that matches the takes of a speaker: tone within 3 dB a band group, and the same when run again."""

import numpy as np
import pytest

from oracles import ear_judge
from oracles.takes_judge import tone_steps
from signals import takes

RATE = 48_000


@pytest.fixture(scope="module")
def both(tmp_path_factory):
    """Report and dialogue of the takes balanced without and with matching."""
    case = takes.takes_apart()
    return case, {
        name: takes.balanced(case, tmp_path_factory.mktemp("takes"), *more)
        for name, more in (("as they came", ()), ("matched", ("--match-tone",)))
    }


def step(report):
    return next((action for action in report["actions"] if action["step"] == "match"), None)


def test_neighbouring_takes_come_within_three_decibels_a_band_group(both):
    case, made = both
    before, after = (max(tone_steps(case.speech, stem)) for _, stem in made.values())
    assert before > 6.0 and after < 3.0


def test_it_is_made_only_where_somebody_chose_it(both):
    _, made = both
    assert step(made["as they came"][0]) is None
    found = step(made["matched"][0])
    assert 3 <= len(found["changes"]) <= 6 and "differ by up to" in found["measured_words"]
    assert all(abs(change["most_db"]) <= 6.0 for change in found["changes"])
    assert [change["name"] for change in found["changes"] if change["room_db"]] == ["take 4"]
    assert any("dB around" in words for words in found["changed_words"])


def test_takes_at_three_rates_match_as_well(both, tmp_path):
    case, made = both
    report, stem = takes.balanced(case, tmp_path, "--match-tone", rates_hz=(44_100, 48_000, 96_000))
    assert max(tone_steps(case.speech, stem)) < 3.2
    names = [change["name"] for change in step(report)["changes"]]
    assert names == [change["name"] for change in step(made["matched"][0])["changes"]]


def test_levels_are_as_even_as_without_it(both):
    case, made = both
    for _, stem in made.values():
        spoken = [stem[int(a * RATE) : int(b * RATE)] for a, b in case.speech]
        levels = [ear_judge.gated_lufs(ear_judge.hop_energy(part)) for part in spoken]
        assert np.ptp(levels) < 2.5
