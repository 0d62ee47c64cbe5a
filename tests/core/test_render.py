"""Rendering: pure over any span, stems that add up, gains that are what they say."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from oracles import slow_mix
from recitant_core.gain.envelope import CurvePoint
from recitant_core.render.mix import render_heard, render_mix, render_output, render_segments, render_stems
from recitant_core.render.paths import Audibility
from recitant_core.timeline.model import Clip, Master, Plan, Track
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role
from signals import MemorySource, programme

SOURCES = {
    "mono": MemorySource("mono", programme(1, 4.0, 1)),
    "stereo": MemorySource("stereo", programme(2, 6.0, 2)),
    "surround": MemorySource("surround", programme(3, 3.0, 6)),
}
CURVE = (CurvePoint(1_000, 0.0), CurvePoint(50_000, -12.0), CurvePoint(90_000, 3.0))
PLAN = Plan(
    "test",
    "25",
    (
        Track("1", "voice", Role.DIALOGUE, -2.0, 0.3, (Clip("a", "mono", 10_000, 500, 150_000, 1.5, 2_400, 4_800),)),
        Track("2", "score", Role.MUSIC, -6.0, 0.0, (Clip("b", "stereo", 0, 0, 288_000, 0.0, 48_000, 96_000, CURVE),)),
        Track("3", "wide", Role.EFFECTS, 3.0, -0.5, (Clip("c", "surround", 60_001, 7, 100_000),)),
    ),
    {Role.MUSIC: -1.0},
)


def test_equals_the_slow_obvious_way():
    expected = slow_mix(PLAN, SOURCES)
    assert np.allclose(render_mix(PLAN, SOURCES, PLAN.span), expected, atol=2e-7)


@settings(max_examples=30)
@given(cuts=st.lists(st.integers(1, 287_999), max_size=6, unique=True), is_limited=st.booleans())
def test_any_spans_put_end_to_end_equal_the_whole(cuts, is_limited):
    plan = replace(PLAN, master=Master(12.0, -6.0 if is_limited else None))
    whole = render_output(plan, SOURCES, plan.span)
    edges = [0, *sorted(cuts), plan.span.length_samples]
    spans = [SampleSpan(a, b - a) for a, b in pairwise(edges)]
    parts = {span: render_output(plan, SOURCES, span) for span in reversed(spans)}
    assert np.array_equal(np.concatenate([parts[span] for span in spans]), whole)


@pytest.mark.parametrize("ceiling_dbtp", [None, -6.0])
def test_the_delivery_has_the_bits_of_the_preview(ceiling_dbtp):
    plan = replace(PLAN, master=Master(12.0, ceiling_dbtp))
    delivered = np.concatenate([segment.output for segment in render_segments(plan, SOURCES)])
    assert np.array_equal(delivered, render_output(plan, SOURCES, plan.span))


@pytest.mark.parametrize("ceiling_dbtp", [None, -6.0])
def test_what_is_heard_comes_with_its_stems(ceiling_dbtp):
    plan = replace(PLAN, master=Master(12.0, ceiling_dbtp))
    span = SampleSpan(20_000, 90_000)
    output, stems = render_heard(plan, SOURCES, span)
    assert np.array_equal(output, render_output(plan, SOURCES, span)) and list(stems) == list(plan.roles)
    louder = 10 ** (12.0 / 20)
    assert np.allclose(sum(stems.values()), render_mix(plan, SOURCES, span) * louder, atol=1e-6)
    only = render_heard(plan, SOURCES, span, Audibility(frozenset({"2"})))[1]
    assert np.abs(only[Role.MUSIC]).max() > 0.0 and not only.get(Role.DIALOGUE, np.zeros(1)).any()


def test_stems_add_up_to_the_mix_before_the_limiter():
    plan = replace(PLAN, master=Master(4.0, None))
    for segment in render_segments(plan, SOURCES):
        total = sum(stem.astype(np.float64) for stem in segment.stems.values())
        assert np.allclose(total, segment.output, atol=1e-6)


def test_outside_the_programme_is_silence():
    around = render_mix(PLAN, SOURCES, PLAN.span.widen(1_000, 2_000))
    assert not around[:1_000].any()
    assert not around[-2_000:].any()


def test_gain_is_gain():
    louder = replace(PLAN, stem_gains_db={Role.MUSIC: 5.0})
    before = render_stems(PLAN, SOURCES, PLAN.span)[Role.MUSIC]
    after = render_stems(louder, SOURCES, PLAN.span)[Role.MUSIC]
    assert np.allclose(after, before * 10 ** (6 / 20), atol=1e-6)  # from -1 to +5 dB


def test_mono_in_the_middle_is_as_loud_as_alone():
    plan = Plan("t", "25", (Track("1", "v", Role.DIALOGUE, clips=(Clip("a", "mono", 0, 0, 100_000),)),))
    mix = render_mix(plan, SOURCES, plan.span)
    alone = SOURCES["mono"].audio[:100_000]
    assert (mix.astype(np.float64) ** 2).sum() == pytest.approx((alone.astype(np.float64) ** 2).sum(), rel=1e-6)


def test_mute_and_only_are_heard_and_change_no_plan():
    only = render_mix(PLAN, SOURCES, PLAN.span, Audibility(only_tracks=frozenset({"2"})))
    rest = render_mix(PLAN, SOURCES, PLAN.span, Audibility(muted_tracks=frozenset({"2"})))
    assert np.allclose(only + rest, render_mix(PLAN, SOURCES, PLAN.span), atol=1e-6)
