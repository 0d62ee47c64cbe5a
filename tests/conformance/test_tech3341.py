"""EBU Tech 3341: what a loudness meter must read."""

import tomllib
from pathlib import Path

import numpy as np
import pytest

from recitant_core.dsp.kweighting import KState, k_energies
from recitant_core.measure.loudness import level_curve_lufs, window_powers
from recitant_core.measure.meter import measure
from recitant_core.units.channels import LAYOUTS, STEREO
from signals import RATE_HZ, sine, steps

CASES = tomllib.loads(Path(__file__).with_name("tech3341.toml").read_text())["case"]
TOLERANCE_LU = 0.1  # Tech 3341


@pytest.mark.parametrize("case", CASES, ids=lambda case: case["clause"])
def test_steady_and_stepped_sines(case):
    readings = measure(steps(*case["parts"]), STEREO)
    assert readings.integrated_lufs == pytest.approx(case["integrated"], abs=TOLERANCE_LU)
    assert readings.integrated_lufs == pytest.approx(case["last"], abs=0.005)
    if "momentary" in case:
        assert readings.max_momentary_lufs == pytest.approx(case["momentary"], abs=TOLERANCE_LU)
        assert readings.max_short_term_lufs == pytest.approx(case["short_term"], abs=TOLERANCE_LU)


def test_case_6_surround():
    levels = (-28.0, -28.0, -24.0, -30.0, -30.0)  # L R C Ls Rs
    audio = np.concatenate([sine(level, 20, n_channels=1) for level in levels], axis=1)
    assert measure(audio, LAYOUTS[5]).integrated_lufs == pytest.approx(-23.0, abs=TOLERANCE_LU)


def test_lfe_counts_for_nothing():
    audio = np.concatenate([sine(level, 5, n_channels=1) for level in (-28, -28, -24, 0, -30, -30)], axis=1)
    without = np.delete(audio, 3, axis=1)
    assert measure(audio, LAYOUTS[6]).integrated_lufs == measure(without, LAYOUTS[5]).integrated_lufs


def _curve(audio, window_hops):
    hops, _ = k_energies(audio, KState.at_rest(STEREO, RATE_HZ))
    return level_curve_lufs(window_powers(hops, window_hops, 1))


def test_case_9_short_term_is_steady_from_3_s_on():
    audio = steps(*([(-20, 1.34), (-30, 1.66)] * 5))
    assert _curve(audio, 300) == pytest.approx(-23.0, abs=TOLERANCE_LU)


def test_case_12_momentary_is_steady_from_1_s_on():
    audio = steps(*([(-20, 0.18), (-30, 0.22)] * 25))
    assert _curve(audio, 40)[60:] == pytest.approx(-23.0, abs=TOLERANCE_LU)


@pytest.mark.parametrize("shift_s", [0.0, 0.0013, 0.005, 0.0137, 0.15, 0.333])
@pytest.mark.parametrize(("burst_s", "field"), [(3.0, "max_short_term_lufs"), (0.4, "max_momentary_lufs")])
def test_cases_10_11_13_14_bursts_at_any_onset(shift_s, burst_s, field):
    """(memory) The highest value of a burst as long as its window is the burst's level, wherever it begins."""
    audio = np.concatenate([steps((-200, 1 + shift_s)), steps((-23, burst_s)), steps((-200, 4))])
    assert getattr(measure(audio, STEREO), field) == pytest.approx(-23.0, abs=TOLERANCE_LU)
