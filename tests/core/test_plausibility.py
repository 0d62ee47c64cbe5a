"""What looks like a mistake before a programme is balanced."""

from dataclasses import replace

from recitant_core.balance.plausibility import doubts
from recitant_core.measure.moments import Moment
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.takes import gathered
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role
from recitant_text.first_balance import doubt_data

S = 48_000
TALK = tuple(SpeechSpan(k * 4 * S, 3 * S, 0.9) for k in range(8))


def clip(name, start_s=0, source=None, **more):
    return Clip(name, source or name, start_s * S, 0, 32 * S, name=name, **more)


def plan_of(*clips, role=Role.NARRATION, **more):
    return Plan("Casting", "25", tuple(Track(c.clip_id, c.name, role, clips=(c,), **more) for c in clips))


def codes(plan, speech, picture=None):
    return [one.code for one in doubts(plan, speech, picture)]


def test_twenty_voices_at_once_are_no_programme():
    names = [f"line {k}" for k in range(20)]
    # Each has its pauses elsewhere, so none is another's double.
    speech = {
        name: tuple(SpeechSpan(s.start_sample + k * S // 7, s.length_samples - k * S // 10, 0.9) for s in TALK)
        for k, name in enumerate(names)
    }
    plan = plan_of(*map(clip, names))
    found = doubts(plan, speech)
    assert found[0].code == "many-voices" and found[0].share > 0.5
    told = doubt_data(found[0])
    assert "at the same time" in told["words"] and told["press"] == "arrange"
    in_a_row = plan_of(*(clip(name, k * 33) for k, name in enumerate(names)))
    assert codes(in_a_row, speech) == []


def test_two_who_interrupt_each_other_are_one():
    other = tuple(SpeechSpan(s.start_sample + 2 * S, 2 * S, 0.9) for s in TALK)
    assert codes(plan_of(clip("Founder"), clip("Apprentice")), {"Founder": TALK, "Apprentice": other}) == []


def test_the_same_voice_twice_names_the_one_that_came_with_the_picture():
    film = clip("cut 3", sync_sample=0)
    plan = plan_of(clip("Boom"), film)
    found = doubts(plan, {"Boom": TALK, "cut 3": TALK})
    assert [one.code for one in found] == ["doubled"] and found[0].names[0] == "cut 3"
    spare, kept = doubt_data(found[0])["clip_ids"]
    assert (spare, kept) == ("cut 3", "Boom")
    # Held as takes, one is heard and the other kept.
    held = gathered(plan, [kept, spare])
    assert doubts(held, {"Boom": TALK, "cut 3": TALK}) == ()
    assert [(c.name, [t.name for t in c.takes]) for track in held.tracks for c in track.clips] == [("Boom", ["cut 3"])]
    # Takes of one recording, cut in two, are no doubles.
    assert codes(plan_of(clip("a", source="x"), clip("b", source="x")), {"x": TALK}) == []


def test_speech_tracks_without_speech_and_nothing_in_the_mix():
    plan = plan_of(clip("rain"))
    assert codes(plan, {"rain": ()}) == ["no-speech"]
    assert codes(plan_of(clip("rain"), role=Role.ATMOSPHERE), {"rain": ()}) == []
    assert codes(plan_of(clip("a"), clip("b"), is_out=True), {"a": TALK, "b": TALK}) == ["all-excluded"]
    assert codes(replace(plan, tracks=()), {}) == []


def test_clips_behind_the_picture_are_named():
    plan = plan_of(clip("inside"), clip("late", 100))
    found = doubts(plan, {"inside": TALK, "late": TALK}, SampleSpan(0, 60 * S))
    assert [(one.code, one.names) for one in found] == [("outside-picture", ("late",))]


def test_recordings_of_one_moment_are_named_unless_they_lie_in_step():
    moment = Moment("Boom", "camera", 2 * S, 0.8)
    guide = clip("camera", 200, sync_sample=0)
    plan = plan_of(clip("Boom"), guide)
    speech = {"Boom": TALK, "camera": tuple(replace(s, start_sample=s.start_sample - 2 * S) for s in TALK[1:])}
    found = doubts(plan, speech, moments=[moment])
    assert [(one.code, one.names) for one in found] == [("same-moment", ("camera", "Boom"))]
    assert "recordings of the same moment" in doubt_data(found[0])["words"]
    in_step = plan_of(clip("Boom"), clip("camera", 2))
    assert [one.code for one in doubts(in_step, speech, moments=[moment])] == ["doubled"]
    # Parts of the recordings that share nothing are no takes of each other.
    apart = plan_of(replace(clip("Boom"), length_samples=10 * S), replace(clip("camera"), in_sample=20 * S))
    assert doubts(apart, speech, moments=[moment]) == ()
    # Of three, one sounds, and no clip is offered twice.
    three = plan_of(clip("a"), clip("b", 50), clip("c", 90))
    talking = dict.fromkeys("abc", TALK)
    moments = [Moment("a", "b", S, 0.9), Moment("a", "c", S, 0.8), Moment("b", "c", S, 0.7)]
    assert [one.names for one in doubts(three, talking, moments=moments)] == [("b", "a"), ("c", "a")]
