"""People are called as somebody named them, else as clips and tracks call them."""

from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.people import named
from recitant_core.timeline.words import SpokenTurn
from recitant_core.transcript.model import Turn, Word
from recitant_core.units.roles import Role


def spoken(speaker, clip_id, n):
    words = tuple(Word("bell", k, k + 1, 0.9, speaker) for k in range(n))
    return SpokenTurn(Turn(words), "t", (clip_id,) * n)


def track(name, *clips, role=Role.DIALOGUE):
    return Track(name, name, role, clips=tuple(clips))


def clip(clip_id, **more):
    return Clip(clip_id, clip_id, 0, 0, 48_000, name=clip_id, **more)


NAMES = {"1": "Speaker 1", "2": "Speaker 2", "3": "Ines"}


def test_tracks_and_clips_propose_names_and_given_names_stay():
    plan = Plan("x", "25", (track("Narrator", clip("a")), track("Dialogue", clip("b", speaker="Founder"), clip("c"))))
    found = named(plan, [spoken("1", "a", 10), spoken("2", "b", 5), spoken("3", "c", 5)], NAMES)
    assert found == {"1": "Narrator", "2": "Founder", "3": "Ines"}


def test_a_track_called_after_a_role_names_nobody():
    plan = Plan("x", "25", (track("Dialogue", clip("a")),))
    assert named(plan, [spoken("1", "a", 10)], NAMES) == NAMES


def test_a_name_belongs_to_who_says_most_under_it_and_a_mixed_one_to_nobody():
    plan = Plan("x", "25", (track("Founder", clip("a")), track("Apprentice", clip("b"))))
    turns = [spoken("1", "a", 10), spoken("2", "a", 4), spoken("2", "b", 5)]
    assert named(plan, turns, NAMES) == NAMES | {"1": "Founder"}
    assert named(plan, [spoken("1", "a", 3), spoken("2", "a", 9)], NAMES)["2"] == "Founder"
