"""Routing, polarity, DC and fade shapes: what each does to the sound, to the estimate and to the plan's data."""

import json
from dataclasses import replace

import numpy as np
import pytest

from recitant_core.dsp.kweighting import KState, k_energies, k_pairs
from recitant_core.errors import PlanError
from recitant_core.gain.envelope import CurvePoint, FadeShape, fade_factors
from recitant_core.interchange.plan_json import plan_from_data, plan_to_data
from recitant_core.render.estimate import clip_energy
from recitant_core.render.mix import render_mix
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.arrays import Audio
from recitant_core.units.channels import LAYOUTS, MONO, STEREO, Routing
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role
from signals import MemorySource, programme, sine

N = 96_000


def heard(audio: Audio, pan: float = 0.0, *, is_mono: bool = False, **settings: object) -> Audio:
    clip = Clip("c", "k", 0, 0, len(audio), **settings)
    plan = Plan("t", "25", (Track("1", "a", Role.DIALOGUE, 0.0, pan, (clip,), is_mono),))
    return render_mix(plan, {"k": MemorySource("k", audio)}, SampleSpan(0, len(audio)))


def two():
    return np.concatenate([programme(1, 2.0, 1), programme(2, 2.0, 1)], axis=1)


def test_one_channel_alone_is_as_loud_as_it_was_on_its_side():
    audio = two()
    out = heard(audio, routing=Routing.FIRST)
    assert out[:, 0] == pytest.approx(out[:, 1])
    assert (out**2).sum() == pytest.approx((audio[:, 0] ** 2).sum(), rel=1e-5)
    assert heard(audio, routing=Routing.SECOND)[:, 0] == pytest.approx(audio[:, 1] * np.sqrt(0.5), abs=1e-6)


def test_a_sum_of_equal_channels_changes_nothing():
    audio = sine(-20, 1.0)
    assert heard(audio, routing=Routing.SUM) == pytest.approx(audio, abs=1e-6)


def test_swapped_channels_change_places_and_follow_the_balance():
    audio = two()
    assert heard(audio, routing=Routing.SWAPPED) == pytest.approx(audio[:, ::-1])
    turned_right = heard(audio, pan=1.0, routing=Routing.SWAPPED)
    assert np.abs(turned_right[:, 0]).max() < 1e-6
    assert turned_right[:, 1] == pytest.approx(audio[:, 0])


def test_polarity_and_dc():
    audio = two()
    assert heard(audio, reversed_channels=(1,)) == pytest.approx(audio * [1.0, -1.0])
    assert heard((audio + np.float32([0.1, -0.05])), dc_offset=(0.1, -0.05)) == pytest.approx(audio, abs=1e-6)
    assert not heard(np.concatenate([audio[:, :1], -audio[:, :1]], axis=1), routing=Routing.SUM).any()


def test_a_mono_track_gives_both_sides_the_same():
    audio = two()
    out = heard(audio, is_mono=True)
    assert (out[:, 0] == out[:, 1]).all()
    assert out[:, 0] == pytest.approx(audio.mean(axis=1), abs=1e-6)
    mono = programme(3, 1.0, 1)
    assert heard(mono, is_mono=True) == pytest.approx(heard(mono), abs=1e-6)
    assert np.abs(heard(audio, 1.0, is_mono=True)[:, 0]).max() < 1e-6


def test_mono_and_wide_recordings_ignore_routing():
    for n_channels in (1, 6):
        audio = programme(3, 1.0, n_channels)
        assert (heard(audio, routing=Routing.SECOND) == heard(audio)).all()
    assert LAYOUTS[6].routed_matrix(Routing.SUM).shape == (6, 2)


def test_pairs_are_the_energies_of_the_sides_however_the_blocks_fall():
    audio = two()
    whole, _ = k_pairs(audio, KState.at_rest(STEREO, RATE_HZ))
    parts, state = [], KState.at_rest(STEREO, RATE_HZ)
    for start in range(0, len(audio), 7_001):
        part, state = k_pairs(np.ascontiguousarray(audio[start : start + 7_001]), state)
        parts.append(part)
    assert np.concatenate(parts) == pytest.approx(whole, rel=1e-12, abs=1e-15)
    for column in (0, 1):
        alone, _ = k_energies(np.ascontiguousarray(audio[:, [column]]), KState.at_rest(MONO, RATE_HZ))
        assert whole[:, column] == pytest.approx(alone)
    joined, _ = k_energies((audio[:, :1] + audio[:, 1:]), KState.at_rest(MONO, RATE_HZ))
    assert whole.sum(axis=1) + whole[:, 2] == pytest.approx(joined, rel=1e-4, abs=1e-9)


@pytest.mark.parametrize("routing", list(Routing))
@pytest.mark.parametrize("pan", [0.0, -0.7, 0.4])
@pytest.mark.parametrize("is_mono", [False, True])
def test_the_estimate_knows_routing(routing, pan, is_mono):
    audio = two()
    audio[:, 1] += 0.5 * audio[:, 0]  # related, so that the product of both counts
    pairs, _ = k_pairs(audio, KState.at_rest(STEREO, RATE_HZ))
    clip = Clip("c", "k", 0, 0, len(audio), routing=routing, reversed_channels=(1,))
    exact, _ = k_energies(
        heard(audio, pan, is_mono=is_mono, routing=routing, reversed_channels=(1,)), KState.at_rest(STEREO, RATE_HZ)
    )
    _, found = clip_energy(clip, Track("1", "a", Role.DIALOGUE, 0.0, pan, (), is_mono), 0.0, pairs)
    assert found.sum() == pytest.approx(exact.sum(), rel=1e-3, abs=1e-6)


@pytest.mark.parametrize("shape", list(FadeShape))
def test_a_crossfade_keeps_power_or_gain(shape):
    """Of a shape with itself; early and late are each other's counterpart."""
    counterpart = {FadeShape.EARLY: FadeShape.LATE, FadeShape.LATE: FadeShape.EARLY}.get(shape, shape)
    places = np.arange(1_000.0)
    rise = fade_factors(places, 10_000, 1_000, 0, fade_in_shape=shape)
    fall = fade_factors(places, 1_000, 0, 1_000, fade_out_shape=counterpart)
    kept = rise**2 + fall**2 if shape is FadeShape.EQUAL_POWER else rise + fall
    assert kept == pytest.approx(np.ones(1_000))
    assert (np.diff(rise) > 0).all()


def test_the_plans_data_keeps_every_setting():
    audio = two()
    clip = Clip(
        "tracks[0].clips[0]", "k", 4_800, 480, 48_000, -3.0, 480, 960, (), FadeShape.SMOOTH, FadeShape.EQUAL_GAIN,
        Routing.SECOND, (0, 1), (0.01, -0.02),
    )  # fmt: skip
    plan = Plan("t", "25", (Track("0", "a", Role.DIALOGUE, 0.0, 0.0, (clip,), True),))
    data = plan_to_data(plan, {"k": "a.wav"})
    again = plan_from_data(data, {"a.wav": MemorySource("k", audio)})
    assert replace(again.tracks[0].clips[0], name=clip.name) == clip and again.tracks[0].is_mono
    plain = replace(clip, routing=Routing.AS_RECORDED, reversed_channels=(), dc_offset=())
    data = plan_to_data(replace(plan, tracks=(replace(plan.tracks[0], clips=(plain,)),)), {"k": "a.wav"})
    assert "routing" not in data["tracks"][0]["clips"][0]
    data["tracks"][0]["clips"][0]["dc_offset"] = [0.1]
    with pytest.raises(PlanError, match="dc_channels"):
        plan_from_data(data, {"a.wav": MemorySource("k", audio)})


def test_a_trimmed_curve_sounds_the_same_after_its_way_through_data():
    audio = two()
    curve = (CurvePoint(-9_600, -20.0), CurvePoint(20_000, 3.0), CurvePoint(60_000, -7.5))
    clip = Clip("tracks[0].clips[0]", "k", 1_234, 480, 40_000, -1.25, 333, 777, curve)
    plan = Plan("t", "25", (Track("0", "a", Role.DIALOGUE, -2.0, 0.3, (clip,)),))
    source = MemorySource("k", audio)
    again = plan_from_data(json.loads(json.dumps(plan_to_data(plan, {"k": "a.wav"}))), {"a.wav": source})
    span = SampleSpan(0, 60_000)
    assert (render_mix(again, {"k": source}, span) == render_mix(plan, {"k": source}, span)).all()
