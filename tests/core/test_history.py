"""The curve of a delivery over its length, and where its limiter works."""

import numpy as np
import pytest

from recitant_core.delivery.fitting.history import MOST_POINTS, LimiterHistory, history
from recitant_core.dsp.kweighting import KState, k_energies
from recitant_core.units.channels import STEREO
from signals import sine


def energies_of(audio):
    return k_energies(audio, KState.at_rest(STEREO, 48_000))[0]


def test_a_steady_tone_is_a_level_line():
    found = history(energies_of(sine(-23.0, 20.0)), [])
    # EBU Tech 3341: a stereo sine of 1 kHz at -23 dBFS reads -23 LUFS.
    assert found.step_s == 0.1 and len(found.short_term_lufs) == 200
    assert found.short_term_lufs[20:-20] == pytest.approx([-23.0] * 160, abs=0.05)


def test_silence_has_no_level_and_long_programmes_no_more_points():
    quiet = history(np.zeros(40_000), [])
    assert set(quiet.short_term_lufs) == {None}
    assert len(history(np.ones(1_000_000), []).short_term_lufs) <= MOST_POINTS
    assert history(np.zeros(0), []).short_term_lufs == ()


@pytest.mark.parametrize("piece", [1, 997, 48_000, 200_000])
def test_the_deepest_reduction_of_each_second(piece):
    factor = np.ones((3 * 48_000 + 10, 1), np.float32)
    factor[48_000 + 5] = 10 ** (-6.0 / 20)
    found = LimiterHistory()
    for start in range(0, len(factor), piece):
        found.feed(factor[start : start + piece])
    assert found.reduction_db() == (0.0, 6.0, 0.0, 0.0)
