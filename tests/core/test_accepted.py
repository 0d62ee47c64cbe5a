"""Accepted passages lie on recordings: they go with their clips, and half a passage is enough."""

from dataclasses import replace

from recitant_core.measure.clearance import ClosePassage
from recitant_core.render.accepted import accepted_spans, with_accepted, without_accepted
from recitant_core.timeline.edits import set_clips
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role

S = 48_000
VOICE = Clip("v", "voice", 10 * S, 2 * S, 20 * S)
PLAN = Plan("t", "25", (Track("1", "voice", Role.DIALOGUE, clips=(VOICE,)),))


def passage(first_s, last_s):
    return ClosePassage(SampleSpan(first_s * S, (last_s - first_s) * S), 3.0, 4.0)


def test_it_stands_on_the_recording_and_goes_with_the_clip():
    plan = with_accepted(PLAN, SampleSpan(12 * S, 2 * S), is_accepted_now=True)
    assert plan.tracks[0].clips[0].accepted == (SampleSpan(4 * S, 2 * S),)
    moved = set_clips(plan, ["v"], lambda clip: replace(clip, start_sample=40 * S))
    assert accepted_spans(moved) == [SampleSpan(42 * S, 2 * S)]


def test_half_of_a_passage_is_enough_and_less_is_not():
    plan = with_accepted(PLAN, SampleSpan(12 * S, 2 * S), is_accepted_now=True)
    kept = without_accepted([passage(11, 14), passage(13, 16), passage(20, 21)], plan)
    assert [p.span.start_sample // S for p in kept] == [13, 20]


def test_it_can_be_taken_back_and_touches_dialogue_alone():
    plan = with_accepted(PLAN, SampleSpan(12 * S, 2 * S), is_accepted_now=True)
    assert accepted_spans(with_accepted(plan, SampleSpan(13 * S, S // 2), is_accepted_now=False)) == []
    music = replace(PLAN, tracks=(replace(PLAN.tracks[0], role=Role.MUSIC),))
    assert accepted_spans(with_accepted(music, SampleSpan(0, 60 * S), is_accepted_now=True)) == []
