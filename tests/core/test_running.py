"""Meters that run: a quasi-peak pointer as IEC 60268-10 type I has it (values from memory), true peak, correlation."""

import math

import numpy as np
import pytest

from recitant_core.measure.meter import measure
from recitant_core.measure.running import LEAD_SAMPLES, quasi_peaks, running_readings, stem_levels_lufs
from recitant_core.units.channels import STEREO, layout_from_count
from signals import sine, steps


def burst(ms, freq_hz=5_000.0):
    audio = np.zeros((48_000, 2), np.float32)
    n = round(ms * 48)
    audio[1_000 : 1_000 + n] = np.sin(2 * np.pi * freq_hz * np.arange(n) / 48_000)[:, None]
    return audio


@pytest.mark.parametrize(("ms", "reads_db", "within_db"), [(10, -1.0, 0.5), (5, -2.0, 0.5), (0.5, -14.0, 4.0)])
def test_short_bursts_read_low(ms, reads_db, within_db):
    assert 20 * math.log10(quasi_peaks(burst(ms), 480).max()) == pytest.approx(reads_db, abs=within_db)


@pytest.mark.parametrize("freq_hz", [100.0, 1_000.0, 10_000.0])
def test_a_steady_tone_reads_its_peak(freq_hz):
    assert 20 * math.log10(quasi_peaks(burst(900, freq_hz), 480).max()) == pytest.approx(0.0, abs=0.1)


def test_the_pointer_falls_20_db_in_1700_ms():
    audio = np.concatenate([sine(-3, 0.5), np.zeros((96_000, 2), np.float32)])
    shown = quasi_peaks(audio, 1)[:, 0]
    assert 20 * math.log10(shown[24_000 + 81_600] / shown[23_990]) == pytest.approx(-20.0, abs=0.3)


def test_readings_of_a_stretch():
    tone = sine(-12, 5.0, 12_000.0)
    tone[:, 1] *= -1
    readings = running_readings(tone, STEREO)
    assert len(readings.correlation) == (len(tone) - LEAD_SAMPLES) // 2_400
    assert readings.correlation == pytest.approx(-1.0, abs=1e-6)
    assert readings.true_peak_dbtp[1:-1].max() == pytest.approx(-12.0, abs=0.2)
    assert readings.quasi_peak_dbfs.shape == readings.peak_dbfs.shape
    one_sided = running_readings(np.stack([tone[:, 0], np.zeros(len(tone), np.float32)], axis=1), STEREO)
    assert (one_sided.correlation == 1.0).all()


def test_the_meter_of_a_stem_reads_as_a_loudness_meter():
    # A stereo sine of 997 Hz at -23 dBFS is -23 LUFS (EBU Tech 3341, 2.9).
    levels = stem_levels_lufs(sine(-23, 1.0, 997.0), STEREO)
    assert levels.shape == (10,) and levels[1:] == pytest.approx(-23.0, abs=0.1)
    assert stem_levels_lufs(np.zeros((9_600, 2), np.float32), STEREO).max() < -60


def test_the_true_peak_of_a_reading_knows_what_came_before_it():
    # A wave that is cut where a reading begins would ring over its own top.
    low = running_readings(sine(-6, 5.0, 37.0), STEREO)
    assert low.true_peak_dbtp.max() == pytest.approx(-6.0, abs=0.05)
    between = running_readings(sine(-6, 5.0, 11_999.0), STEREO)
    assert between.true_peak_dbtp == pytest.approx(-6.0, abs=0.1)


def test_readings_are_those_of_a_slow_look_at_every_sample():
    rng = np.random.default_rng(7)
    audio = (rng.standard_normal((LEAD_SAMPLES + 24_000, 2)) * 0.1).astype(np.float32)
    found = running_readings(audio, STEREO)
    for k in range(10):
        end = LEAD_SAMPLES + (k + 1) * 2_400
        assert found.peak_dbfs[k] == pytest.approx(20 * np.log10(np.abs(audio[end - 2_400 : end]).max(axis=0)))
        left, right = audio[end - 19_200 : end].astype(np.float64).T
        assert found.correlation[k] == pytest.approx(
            np.dot(left, right) / np.sqrt(np.dot(left, left) * np.dot(right, right))
        )
        assert found.quasi_peak_dbfs[k] == pytest.approx(
            20 * np.log10(quasi_peaks(audio, 1)[end - 2_400 : end].max(axis=0))
        )


@pytest.mark.parametrize("n_channels", [1, 3, 6])
def test_readings_of_a_bus_of_any_width(n_channels):
    layout = layout_from_count(n_channels)
    rng = np.random.default_rng(n_channels)
    gains = 0.02 * (1 + np.arange(n_channels))
    audio = (rng.standard_normal((LEAD_SAMPLES + 24_000, n_channels)) * gains).astype(np.float32)
    found = running_readings(audio, layout)
    # Every channel reads as it does alone; loudness takes the weights of BS.1770.
    for c in range(n_channels):
        alone = running_readings(audio[:, [c]], layout_from_count(1))
        assert np.array_equal(found.peak_dbfs[:, c], alone.peak_dbfs[:, 0])
        assert np.array_equal(found.quasi_peak_dbfs[:, c], alone.quasi_peak_dbfs[:, 0])
    whole = measure(audio, layout)
    assert found.short_term_lufs[-1] <= whole.max_short_term_lufs + 1e-6
    assert found.short_term_lufs[-1] == pytest.approx(whole.integrated_lufs, abs=0.5)
    assert stem_levels_lufs(audio, layout)[1:].mean() == pytest.approx(whole.integrated_lufs, abs=0.5)


def test_correlation_is_that_of_left_and_right_in_any_layout():
    layout = layout_from_count(6)
    audio = np.random.default_rng(3).standard_normal((LEAD_SAMPLES + 9_600, 6)).astype(np.float32) * 0.1
    audio[:, layout.channels.index("R")] = -audio[:, layout.channels.index("L")]
    assert running_readings(audio, layout).correlation == pytest.approx(-1.0, abs=1e-6)
    mono = layout_from_count(1)
    assert running_readings(audio[:, :1], mono).correlation == pytest.approx(1.0, abs=1e-6)


def test_running_readings_are_those_of_the_whole():
    audio = steps((-30, 5), (-20, 5))
    lead = np.concatenate([np.zeros((LEAD_SAMPLES, 2), np.float32), audio])
    running = running_readings(lead, STEREO)
    assert running.short_term_lufs[-1] == pytest.approx(-20.0, abs=0.1)
    assert running.momentary_lufs[20] == pytest.approx(-30.0, abs=0.1)
    assert running.peak_dbfs[-1] == pytest.approx([-20.0, -20.0], abs=0.05)
