"""Units, quantising, verdicts, estimates, the plan as data, and that any cut of a measurement equals the whole."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from recitant_core.delivery.fitting.trial import MixInMemory, render_once
from recitant_core.delivery.judging.judge import State, judge
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.dsp.quantise import audio_from_integers, quantise
from recitant_core.errors import PlanError, RangeError, ShapeError, UnsupportedLayout
from recitant_core.gain.envelope import CurvePoint, curve_db
from recitant_core.interchange.plan_json import plan_from_data, plan_to_data
from recitant_core.measure.meter import (
    MeterState,
    Readings,
    feed_meter,
    feed_stereo_meter,
    hop_energy,
    measure,
    read_meter,
)
from recitant_core.measure.running import LEAD_SAMPLES, running_readings
from recitant_core.render.estimate import clip_energy, stem_energies
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.arrays import require_audio
from recitant_core.units.channels import STEREO, layout_from_count
from recitant_core.units.clock import SampleSpan, samples_from_s
from recitant_core.units.level import db_from_factor, factor_from_db, lufs_from_power, power_from_lufs
from recitant_core.units.roles import Role
from signals import MemorySource, programme, steps

AUDIO = programme(9, 6.0)


@settings(max_examples=20)
@given(cuts=st.lists(st.integers(1, len(AUDIO) - 1), max_size=8, unique=True))
def test_any_cut_of_a_measurement_equals_the_whole(cuts):
    state = MeterState.at_rest(STEREO)
    for part in np.split(AUDIO, sorted(cuts)):
        state = feed_meter(part, state)
    found, whole = read_meter(state), measure(AUDIO, STEREO)
    assert found.integrated_lufs == pytest.approx(whole.integrated_lufs, abs=1e-9)
    assert found.true_peak_dbtp == whole.true_peak_dbtp
    assert found.max_short_term_lufs == pytest.approx(whole.max_short_term_lufs, abs=1e-9)


@given(st.floats(-90, 24))
def test_levels_there_and_back(level):
    assert db_from_factor(factor_from_db(level)) == pytest.approx(level, abs=1e-9)
    assert lufs_from_power(power_from_lufs(level)) == pytest.approx(level, abs=1e-9)


def test_spans():
    span = SampleSpan(10, 20)
    assert span.intersect(SampleSpan(25, 10)) == SampleSpan(25, 5)
    assert span.intersect(SampleSpan(30, 1)) is None
    assert [b.length_samples for b in span.blocks(8)] == [8, 8, 4]
    with pytest.raises(RangeError):
        SampleSpan(0, -1)


def test_the_doors():
    with pytest.raises(ShapeError):
        require_audio(np.zeros(5, np.float32))
    with pytest.raises(ShapeError):
        require_audio(np.zeros((5, 2), np.float32), 1)
    with pytest.raises(UnsupportedLayout):
        layout_from_count(8)


@pytest.mark.parametrize("bit_depth", [16, 24])
def test_dither_is_a_function_of_the_place(bit_depth):
    whole = quantise(AUDIO, bit_depth, 0)
    assert np.array_equal(
        np.concatenate([quantise(AUDIO[:777], bit_depth, 0), quantise(AUDIO[777:], bit_depth, 777)]), whole
    )
    error = audio_from_integers(whole, bit_depth).astype(np.float64) - AUDIO
    step = 2.0 ** (1 - bit_depth)
    assert abs(error.mean()) < 0.02 * step
    # Triangular dither and rounding: variance of a quarter of a step squared (common practice).
    assert error.std() == pytest.approx(0.5 * step, rel=0.05)


def test_quantising_holds_full_scale_and_silence():
    audio = np.array([[2.0], [-2.0], [0.0]], np.float32)
    assert quantise(audio, 16, 5).ravel().tolist() == [32_767, -32_768, 0]
    with pytest.raises(RangeError):
        quantise(audio, 20, 0)


def test_a_verdict_names_every_figure():
    readings = Readings(-21.4, 8.2, -15.0, -17.0, -0.4, -1.0)
    verdict = judge(readings, spec_by_id("ebu-r128-s1"))
    states = {finding.key: finding.state for finding in verdict.checks}
    misses = {finding.key: finding.miss for finding in verdict.checks}
    assert states["integrated_lufs"] is states["true_peak_dbtp"] is states["max_short_term_lufs"] is State.FAIL
    assert misses["integrated_lufs"] == pytest.approx(1.1)
    assert misses["true_peak_dbtp"] == pytest.approx(0.6)
    assert states["range_lu"] is State.REPORTED
    assert not verdict.is_passed


def test_limits_include_their_edge():
    assert judge(Readings(-22.5, 1.0, -20.0, -20.0, -1.0, -1.0), spec_by_id("ebu-r128")).is_passed
    assert not judge(Readings(-22.49, 1.0, -20.0, -20.0, -1.0, -1.0), spec_by_id("ebu-r128")).is_passed
    assert not judge(Readings(None, None, None, None, -9.0, -9.0), spec_by_id("ebu-r128")).is_passed


def test_mono_podcasts_have_their_own_target():
    readings = Readings(-19.0, 1.0, -18.0, -18.0, -2.0, -2.0)
    assert judge(readings, spec_by_id("podcast-16"), n_channels=1).is_passed
    assert not judge(readings, spec_by_id("podcast-16"), n_channels=2).is_passed


def _two_tracks():
    sources = {"v": MemorySource("v", programme(11, 20.0, 1)), "m": MemorySource("m", programme(12, 30.0))}
    tracks = (
        Track("1", "v", Role.DIALOGUE, 2.0, clips=(Clip("a", "v", 96_000, 4_800, 720_000, -1.0, 9_600, 9_600),)),
        Track("2", "m", Role.MUSIC, -8.0, clips=(Clip("b", "m", 0, 0, 1_440_000),)),
    )
    return Plan("t", "25", tracks, {Role.DIALOGUE: 1.0}), sources


def test_the_estimate_is_near_the_exact_figures():
    plan, sources = _two_tracks()
    energies = {}
    for key, source in sources.items():
        heard = (source.audio @ source.layout.stereo_matrix()).astype(np.float32)
        energies[key] = hop_energy(feed_meter(heard, MeterState.at_rest(STEREO)))[:, None]
    total = sum(stem_energies(plan, energies).values())
    state = MeterState.at_rest(STEREO)
    exact = render_once(plan, sources, MixInMemory()).untouched
    from recitant_core.measure.meter import readings_from

    estimate = readings_from(total, 0.0, 0.0, state.k.rate_hz)
    assert estimate.integrated_lufs == pytest.approx(exact.readings.integrated_lufs, abs=0.1)
    assert estimate.max_short_term_lufs == pytest.approx(exact.readings.max_short_term_lufs, abs=0.3)


def test_a_clips_energy_carries_its_gains():
    energy = np.ones((1_000, 1))
    first, found = clip_energy(Clip("a", "v", 480_000, 0, 480_000, -6.0), Track("1", "t", Role.MUSIC), -4.0, energy)
    assert first == 1_000
    assert found == pytest.approx(np.full(1_000, 0.1))  # -10 dB


def test_curves_are_straight_in_db():
    points = (CurvePoint(0, 0.0), CurvePoint(100, -10.0))
    assert curve_db(points, np.array([-5.0, 50.0, 500.0])) == pytest.approx([0.0, -5.0, -10.0])
    with pytest.raises(RangeError):
        curve_db((CurvePoint(5, 0.0), CurvePoint(5, 1.0)), np.array([0.0]))


def test_running_readings_are_those_of_the_whole():
    audio = steps((-30, 5), (-20, 5))
    lead = np.concatenate([np.zeros((LEAD_SAMPLES, 2), np.float32), audio])
    running = running_readings(lead, STEREO)
    assert running.short_term_lufs[-1] == pytest.approx(-20.0, abs=0.1)
    assert running.momentary_lufs[20] == pytest.approx(-30.0, abs=0.1)
    assert running.peak_dbfs[-1] == pytest.approx([-20.0, -20.0], abs=0.05)


def _plan_data(**clip):
    track = {"name": "v", "role": "dialogue", "gain_db": -1.5, "clips": [{"file": "v.wav", **clip}]}
    return {"plan": 1, "title": "t", "frame_rate": "29.97df", "tracks": [track]}


V = MemorySource("v", programme(1, 2.0, 1))


def test_a_plan_comes_back_from_its_data():
    data = _plan_data(at_s=0.1, in_s=0.25, length_s=1.2, fade_in_s=0.01, curve=[[0.0, -3], [0.5, 0]])
    plan = plan_from_data(data, {"v.wav": V})
    assert plan.tracks[0].clips[0].start_sample == 4_800
    assert plan_from_data(plan_to_data(plan, {"v": "v.wav"}), {"v.wav": V}) == plan


@given(st.integers(0, 10**9))
def test_seconds_hold_every_sample(samples):
    from fractions import Fraction

    assert samples_from_s(Fraction(str(samples / 48_000))) == samples


@pytest.mark.parametrize(
    ("clip", "code", "field"),
    [
        ({"in_s": 2.0}, "in_after_end", "tracks[0].clips[0].in_s"),
        ({"length_s": 2.5}, "past_end", "tracks[0].clips[0].length_s"),
        ({"curve": [[1, 0], [1, 2]]}, "curve_out_of_order", "tracks[0].clips[0].curve"),
    ],
)
def test_a_plan_that_cannot_be_says_where(clip, code, field):
    with pytest.raises(PlanError) as caught:
        plan_from_data(_plan_data(**clip), {"v.wav": V})
    assert caught.value.code == code
    assert caught.value.facts["field"] == field


def test_a_meter_that_is_fed_pairs_reads_what_any_meter_reads():
    audio = programme(9, 3.0)
    audio[:, 1] *= np.float32(0.25)
    state = MeterState.at_rest(STEREO, 48_000)
    for block in np.split(audio, [10_000, 70_001]):
        state, _ = feed_stereo_meter(np.ascontiguousarray(block), state)
    pairs, whole = read_meter(state), measure(audio, STEREO)
    assert pairs.integrated_lufs == pytest.approx(whole.integrated_lufs, abs=1e-9)
    assert pairs.max_momentary_lufs == pytest.approx(whole.max_momentary_lufs, abs=1e-9)
    assert pairs.true_peak_dbtp == whole.true_peak_dbtp
