"""Remedies on clips: applied once however often they are asked for, and taken back to what a fresh clip has."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.intake.findings import Remedy
from recitant_core.intake.mending import mended, unmended
from recitant_core.timeline.edits import LEAST_CLIP_SAMPLES
from recitant_core.timeline.model import Clip
from recitant_core.units.channels import Routing
from recitant_core.units.clock import RATE_HZ, SampleSpan

LENGTH = 10 * RATE_HZ
FRESH = Clip("1", "k", 5 * RATE_HZ, 0, LENGTH)
REMEDIES = [
    Remedy("left-only", True, routing=Routing.FIRST),
    Remedy("turn", True, reversed_channels=(1,)),
    Remedy("centre", True, dc_offset=(0.01, 0.02)),
    Remedy("raise", True, gain_change_db=6.0),
    Remedy("trim", True, keep=SampleSpan(RATE_HZ, 8 * RATE_HZ)),
    Remedy("leave-out", True, left_out=(SampleSpan(RATE_HZ, 100),)),
]


@pytest.mark.parametrize("remedy", REMEDIES, ids=lambda remedy: remedy.code)
def test_a_remedy_counts_once_and_comes_back(remedy):
    once = mended(FRESH, remedy)
    assert once != FRESH and once.mended == (remedy.code,)
    assert mended(once, remedy) == once
    assert unmended(once, remedy, LENGTH) == FRESH
    assert unmended(FRESH, remedy, LENGTH) == FRESH


def test_a_gain_is_not_raised_twice():
    raised = REMEDIES[3]
    assert mended(mended(FRESH, raised), raised).gain_db == 6.0


def test_a_trim_keeps_what_sounds_where_it_is():
    trimmed = mended(FRESH, REMEDIES[4])
    assert trimmed.start_sample - trimmed.in_sample == FRESH.start_sample - FRESH.in_sample
    assert (trimmed.in_sample, trimmed.length_samples) == (RATE_HZ, 8 * RATE_HZ)


def test_an_edge_that_was_moved_since_stays():
    trimmed = mended(FRESH, REMEDIES[4])
    moved = replace(trimmed, length_samples=4 * RATE_HZ)
    back = unmended(moved, REMEDIES[4], LENGTH)
    assert (back.in_sample, back.length_samples) == (0, 5 * RATE_HZ)


@given(st.integers(0, LENGTH), st.integers(0, LENGTH))
def test_no_trim_leaves_less_than_a_clip(first, length):
    keep = SampleSpan(first, length)
    assert mended(FRESH, Remedy("trim", True, keep=keep)).length_samples >= LEAST_CLIP_SAMPLES


@given(st.permutations(REMEDIES))
def test_remedies_do_not_disturb_each_other(order):
    clip = FRESH
    for remedy in order:
        clip = mended(clip, remedy)
    assert set(clip.mended) == {remedy.code for remedy in REMEDIES}
    for remedy in order:
        clip = unmended(clip, remedy, LENGTH)
    assert clip == FRESH
