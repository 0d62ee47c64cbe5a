"""A stretch of a programme as a programme of its own sounds as that stretch does."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from recitant_core.errors import PlanError
from recitant_core.render.mix import render_output
from recitant_core.timeline.excerpt import clips_alone, clips_named, excerpt, span_of_clips, talk_in
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.speech import Spans, Talk
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role
from signals import MemorySource, programme

SECOND = 48_000
SOURCES = {"s": MemorySource("s", programme(2, 6.0))}
PLAN = Plan(
    "t",
    "25",
    (
        Track("1", "a", Role.DIALOGUE, -3.0, clips=(Clip("a", "s", 0, 0, 3 * SECOND),)),
        Track("2", "b", Role.MUSIC, clips=(Clip("b", "s", SECOND, 2 * SECOND, 4 * SECOND),)),
    ),
)


def heard(plan, span):
    return render_output(plan, SOURCES, span)


@settings(max_examples=25)
@given(st.integers(0, 50), st.integers(1, 60))
def test_any_stretch_sounds_as_it_does_in_the_whole(start, length):
    length *= SECOND // 10
    span = SampleSpan(start * SECOND // 10, length)
    inside = span.intersect(PLAN.span)
    if inside is None:
        return
    found = excerpt(PLAN, span)
    whole = heard(PLAN, SampleSpan(inside.start_sample, found.span.length_samples))
    assert found.span.length_samples <= length
    assert np.abs(heard(found, found.span) - whole).max(initial=0.0) < 1e-6


def test_nothing_sounds_behind_the_end():
    with pytest.raises(PlanError, match="nothing_in_range"):
        excerpt(PLAN, SampleSpan(10 * SECOND, SECOND))


def test_speech_goes_with_its_stretch():
    talk = Talk(Spans([SampleSpan(0, SECOND), SampleSpan(2 * SECOND, SECOND)]), Spans([SampleSpan(5 * SECOND, 10)]))
    found = talk_in(talk, SampleSpan(SECOND // 2, 2 * SECOND))
    assert list(found.spans) == [SampleSpan(0, SECOND // 2), SampleSpan(3 * SECOND // 2, SECOND // 2)]
    assert list(found.over) == []


def test_clips_alone_sound_as_they_do_among_the_others():
    ids = clips_named(PLAN, ["b"])
    alone, span = clips_alone(PLAN, ids), span_of_clips(PLAN, ids)
    assert span == SampleSpan(SECOND, 4 * SECOND)
    found = heard(excerpt(alone, span), SampleSpan(0, span.length_samples))
    both = heard(PLAN, span)
    rest = heard(clips_alone(PLAN, ["a"]), span)
    assert np.allclose(found + rest, both, atol=1e-6) and np.abs(found).max() > 0.01


def test_clips_that_are_not_there_or_not_in_the_mix_are_refused():
    with pytest.raises(PlanError, match="no_such_clip"):
        clips_named(PLAN, ["a", "missing"])
    with pytest.raises(PlanError, match="no_clips_in_mix"):
        span_of_clips(clips_alone(PLAN, ["a"]), ["b"])
