"""Dynamics against the formulae of D. Giannoulis, M. Massberg, J. Reiss, JAES 60(6), 2012, and common practice."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.measure.true_peak import true_peak_factor
from recitant_core.processors.chain import through_chain
from recitant_core.processors.dynamics import compressed_db, expanded_db, gains_db
from recitant_core.processors.dynamics_kernels import CONTROL_SAMPLES
from recitant_core.processors.model import Processor
from recitant_core.units.clock import RATE_HZ
from signals import programme, sine


@given(
    level=st.floats(-90, 6), threshold=st.floats(-60, 0), ratio=st.floats(1, 30), knee=st.sampled_from([0.0, 3.0, 12.0])
)
def test_static_curve_is_equation_4(level, threshold, ratio, knee):
    x, t, r, w = level, threshold, ratio, knee
    if 2 * (x - t) < -w:
        y = x
    elif 2 * abs(x - t) <= w and w > 0:
        y = x + (1 / r - 1) * (x - t + w / 2) ** 2 / (2 * w)
    else:
        y = t + (x - t) / r if x > t else x
    assert x - compressed_db(np.array([x]), t, r, w)[0] == pytest.approx(y, abs=1e-9)


def test_expander_mirrors_it():
    found = expanded_db(np.array([-60.0, -50.0, -45.0, -40.0]), -45.0, 2.0, 0.0, 12.0)
    assert found == pytest.approx([12.0, 5.0, 0.0, 0.0])


@pytest.mark.parametrize("hears", ["rms", "peak"])
@pytest.mark.parametrize("level_dbfs", [-40.0, -24.0, -20.0, -6.0])
def test_a_tone_comes_out_where_the_curve_says(hears, level_dbfs):
    processor = Processor("compressor").with_values(
        threshold_dbfs=-24.0, ratio=4.0, knee_db=0.0, attack_ms=5.0, release_ms=100.0, hears=hears
    )
    # By rms a sine reads 3.01 dB under its peak.
    heard = level_dbfs - (3.0103 if hears == "rms" else 0.0)
    expected = level_dbfs - max(0.0, heard + 24.0) * 0.75
    out = through_chain((processor,), sine(level_dbfs, 1.0, 6_000.0), 0)[24_000:]
    assert 20 * math.log10(np.abs(out).max()) == pytest.approx(expected, abs=0.05)


def test_four_to_one_and_four_over_come_out_as_one():
    # Common practice: at 4:1, 4 dB over the threshold come out as 1 dB.
    assert 4.0 - compressed_db(np.array([-20.0]), -24.0, 4.0, 0.0)[0] == pytest.approx(1.0)


@pytest.mark.parametrize(("attack_ms", "release_ms"), [(10.0, 200.0), (100.0, 1000.0)])
def test_times_are_those_of_one_pole(attack_ms, release_ms):
    # 1 - 1/e of the way in the time constant, on a step of level.
    processor = Processor("compressor").with_values(
        threshold_dbfs=-30.0, ratio=30.0, knee_db=0.0, attack_ms=attack_ms, release_ms=release_ms
    )
    step_ms = 1000 * CONTROL_SAMPLES / RATE_HZ
    level = np.concatenate([np.full(3000, -60.0), np.full(9000, -10.0), np.full(9000, -60.0)])
    reduction = -gains_db(processor, level, 0)
    deepest = 20.0 * (1 - 1 / 30.0)
    risen = np.argmax(reduction >= deepest * (1 - 1 / math.e)) - 3000
    fallen = np.argmax(reduction[12000:] <= reduction[11999] / math.e)
    assert risen * step_ms == pytest.approx(attack_ms, rel=0.05, abs=step_ms)
    assert fallen * step_ms == pytest.approx(release_ms, rel=0.05, abs=step_ms)


def test_lookahead_is_down_before_the_peak_comes():
    tone = np.concatenate([sine(-50, 0.5), sine(-6, 0.5)])
    late = Processor("compressor").with_values(threshold_dbfs=-30.0, ratio=20.0, attack_ms=2.0, hears="peak")
    early = late.with_values(lookahead_ms=8.0)
    first = slice(24_000, 24_100)
    assert (
        np.abs(through_chain((early,), tone, 0)[first]).max()
        < 0.3 * np.abs(through_chain((late,), tone, 0)[first]).max()
    )


def test_parallel_mix_adds_both():
    tone = sine(-10.0, 1.0)
    wet = Processor("compressor").with_values(threshold_dbfs=-30.0, ratio=10.0, make_up_db=3.0)
    half = wet.with_values(mix_percent=50.0)
    expected = 0.5 * tone + 0.5 * through_chain((wet,), tone, 0)
    assert np.allclose(through_chain((half,), tone, 0), expected, atol=1e-6)


def test_a_gate_holds_then_closes_to_its_range():
    tone = np.concatenate([sine(-20, 0.5), sine(-70, 1.5)])
    gate = Processor("gate").with_values(threshold_dbfs=-50.0, range_db=30.0, hold_ms=200.0, release_ms=50.0)
    heard = tone[:, 0] != 0
    gain = np.ones(len(tone))
    gain[heard] = through_chain((gate,), tone, 0)[heard, 0] / tone[heard, 0]
    assert gain[12_000:30_000] == pytest.approx(1.0, abs=1e-3)
    assert 20 * math.log10(gain[-1000:].min()) == pytest.approx(-30.0, abs=0.1)


def test_de_esser_lowers_only_its_band():
    esser = Processor("de-esser").with_values(freq_hz=6500.0, threshold_dbfs=-40.0, ratio=20.0, range_db=10.0)
    high, low = sine(-12, 1.0, 6_500.0), sine(-12, 1.0, 300.0)
    lowered = through_chain((esser,), high, 0)[24_000:]
    assert 20 * math.log10(np.abs(lowered).max()) == pytest.approx(-22.0, abs=0.2)
    assert np.abs(through_chain((esser,), low, 0)[24_000:]).max() == pytest.approx(np.abs(low).max(), rel=0.01)


def test_three_bands_at_rest_keep_every_level():
    quiet = Processor("three-band").with_values(
        low_ratio=1.0, middle_ratio=1.0, high_ratio=1.0, low_hz=300.0, high_hz=3000.0
    )
    for freq in (50.0, 300.0, 900.0, 3000.0, 11_000.0):
        out = through_chain((quiet,), sine(-20, 1.0, freq), 0)[24_000:].astype(np.float64)
        assert 10 * math.log10(2 * np.mean(out**2)) == pytest.approx(-20.0, abs=0.05)
    tamed = quiet.with_values(low_threshold_dbfs=-40.0, low_ratio=4.0)
    assert np.abs(through_chain((tamed,), sine(-20, 1.0, 60.0), 0)[24_000:]).max() < 0.06
    assert np.abs(through_chain((tamed,), sine(-20, 1.0, 9000.0), 0)[24_000:]).max() == pytest.approx(0.1, rel=0.02)


def inter_sample_worst_case():
    """A quarter of the rate at 45 degrees: samples 3 dB under what is between them, in bursts."""
    n = np.arange(RATE_HZ)
    wave = np.sin(np.pi / 2 * n + np.pi / 4) * (np.sin(2 * np.pi * 3 * n / RATE_HZ) > 0)
    return np.repeat(wave.astype(np.float32)[:, None], 2, axis=1)


def square_bursts():
    n = np.arange(RATE_HZ)
    wave = np.sign(np.sin(2 * np.pi * 220 * n / RATE_HZ)) * (np.sin(2 * np.pi * 5 * n / RATE_HZ) > 0)
    # Under 18 kHz, as anything that went through a converter.
    spectrum = np.fft.rfft(wave)
    spectrum[18_000:] = 0
    return np.repeat(np.fft.irfft(spectrum, RATE_HZ).astype(np.float32)[:, None], 2, axis=1)


@pytest.mark.parametrize(
    "audio",
    [programme(3, 4.0) * np.float32(6), inter_sample_worst_case(), square_bursts()],
    ids=["programme", "between samples", "bursts"],
)
@pytest.mark.parametrize("ceiling_db", [-1.0, -6.0])
def test_a_limiter_in_a_chain_holds_its_ceiling(audio, ceiling_db):
    limiter = Processor("limiter").with_values(gain_db=6.0, ceiling_db=ceiling_db)
    out = through_chain((limiter,), audio, 0)
    assert 20 * math.log10(true_peak_factor(out)) <= ceiling_db + 0.1
    by_samples = through_chain((limiter.with_values(hears="sample-peak"),), audio, 0)
    assert 20 * math.log10(np.abs(by_samples).max()) <= ceiling_db + 1e-4
