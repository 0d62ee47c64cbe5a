"""First balances of programmes whose truth is known, heard by a judge that shares no code: what ./recitant bench ear
measures in full."""

import json
from functools import cache

import pytest

from oracles.ear_judge import heard
from signals import ear


@pytest.fixture(scope="module")
def listened(tmp_path_factory):
    """A case, what the judge heard of its delivery, and the actions of its report; made once a case."""

    @cache
    def made(make):
        case = make()
        out = ear.delivered(case, tmp_path_factory.mktemp(make.__name__))
        actions = {one["step"]: one for one in json.loads((out / "report.json").read_text())["actions"]}
        return case, heard(case, out), actions

    return made


def test_a_shout_stays_a_shout_and_is_told(listened):
    _, found, actions = listened(ear.shout)
    shouts = [now for kind, _, now in found.phrases if kind == "shout"]
    assert len(shouts) == 2 and all(4.0 <= over <= 8.0 for over in shouts) and found.order_kept == 1.0
    told = [change for change in actions["even-out"]["changes"] if change["what"] == "performance"]
    assert len(told) == 2 and all(change["as_recorded_db"] > change["nearer_db"] for change in told)
    assert "over the phrases around it" in " ".join(actions["even-out"]["changed_words"])


def test_a_whisper_stays_a_whisper(listened):
    _, found, _ = listened(ear.whisper)
    whispers = [now for kind, _, now in found.phrases if kind == "whisper"]
    assert len(whispers) == 3 and all(-6.0 <= under <= -4.0 for under in whispers)


def test_animals_and_machines_are_never_raised_over_the_words_and_are_told(listened):
    case, found, actions = listened(ear.animals)
    assert found.others and all(level <= found.speech_lufs + 0.1 for _, level, *_ in found.others)
    assert all(gain <= min(beside) + 0.1 for _, _, gain, beside in found.others)
    told = [change for change in actions["even-out"]["changes"] if change["what"] == "sound"]
    for begin, end, _ in case.others:
        middle = (begin + end) / 2 * ear.RATE
        assert any(one["at_sample"] <= middle <= one["at_sample"] + one["length_samples"] for one in told)
    spoken = [((begin + end) / 2 * ear.RATE) for begin, end, *_ in case.speech]
    assert not any(one["at_sample"] <= at <= one["at_sample"] + one["length_samples"] for one in told for at in spoken)
    fit = actions["fit"]["measured"]
    assert abs(fit["dialogue_lufs"] - fit["target_lufs"]) <= 1.5


def test_the_gain_stands_still_inside_sounds_where_turns_follow_at_once(listened):
    _, found, _ = listened(ear.two_hander)
    assert all(by <= 1.0 or fast <= 6.5 for by, fast in found.moved_inside)
    assert found.furthest <= 8.0


def test_music_comes_back_in_real_pauses_and_lies_still_in_short_ones(listened):
    _, found, _ = listened(ear.pauses)
    long = [(dip, up) for seconds, dip, up in found.returns if seconds >= 5.0]
    assert len(long) >= 6 and all(up >= 0.48 * dip for dip, up in long)
    assert all(up <= 0.3 for seconds, _, up in found.returns if seconds < 4.0)


def test_dialogue_without_speech_is_left_as_it_came_and_said_so(listened):
    _, found, actions = listened(ear.nobody)
    assert all(abs(gain - found.others[0][2]) < 0.1 for _, _, gain, _ in found.others)
    assert actions["even-out"]["changes"] == [{"what": "wordless", "name": "dialogue", "by_db": 0.0}]
    assert actions["even-out"]["changed_words"] == ["dialogue: no speech found in it; left as it came"]
