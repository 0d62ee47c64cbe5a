"""The limiter: its ceiling, its silence, and that it forgets exactly."""

import numpy as np
import pytest
import soxr
from hypothesis import given, settings
from hypothesis import strategies as st

from recitant_core.errors import RangeError
from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES, limit
from recitant_core.measure.true_peak import true_peak_factor
from signals import RATE_HZ, programme

N = 3 * RATE_HZ


def _surrounded(audio):
    before = np.zeros((BEFORE_SAMPLES, audio.shape[1]), np.float32)
    return np.concatenate([before, audio, np.zeros((AFTER_SAMPLES, audio.shape[1]), np.float32)])


def _over_db(audio, ceiling_dbtp):
    padded = np.pad(audio.astype(np.float64), ((4_800, 4_800), (0, 0)))
    at_16x = soxr.resample(padded, RATE_HZ, 16 * RATE_HZ, quality="VHQ")
    return 20 * np.log10(np.abs(at_16x).max()) - ceiling_dbtp


def _square_bursts():
    t = np.arange(N)
    wave = np.sign(np.sin(2 * np.pi * 113 * t / RATE_HZ)) * ((t // 9_600) % 2)
    return wave.astype(np.float32)[:, None]


def _between_samples():
    """The worst case: alternate samples whose interpolation peaks far above them."""
    audio = np.zeros((N, 1), np.float32)
    for at in range(4_800, N - 64, 9_600):
        place = np.arange(32)
        audio[at : at + 32, 0] = np.where(place < 16, 0.7, -0.7) * (-1.0) ** place
    return audio


def _tone(freq_hz):
    return (1.4 * np.sin(2 * np.pi * freq_hz * np.arange(N) / RATE_HZ)).astype(np.float32)[:, None]


HARD = {
    "noise": lambda: programme(2, 3.0) * np.float32(12),
    "square bursts": _square_bursts,
    "between samples": _between_samples,
    "12 kHz": lambda: _tone(12_000),
    "19 kHz": lambda: _tone(19_000),
}


@pytest.mark.parametrize("name", HARD)
@pytest.mark.parametrize("ceiling_dbtp", [-1.0, -9.0])
def test_over_its_ceiling_by_at_most_a_tenth(name, ceiling_dbtp):
    """Ours: at most 0.1 dB at a reading oversampled 16 times, by another library (soxr)."""
    audio = HARD[name]()
    limited, factor = limit(_surrounded(audio), ceiling_dbtp)
    assert factor.min() < 1.0
    assert _over_db(limited, ceiling_dbtp) <= 0.1


def test_what_stays_under_the_ceiling_passes_untouched():
    audio = programme(4, 2.0) * np.float32(0.3)
    limited, factor = limit(_surrounded(audio), -1.0)
    assert np.array_equal(limited, audio)
    assert (factor == 1.0).all()
    silent, _ = limit(_surrounded(np.zeros((1_000, 2), np.float32)), -1.0)
    assert not silent.any()


def test_gain_returns_to_exactly_one():
    audio = np.zeros((N, 1), np.float32)
    audio[1_000] = 1.0
    _, factor = limit(_surrounded(audio), -12.0)
    assert factor.min() < 0.3
    assert (factor[RATE_HZ:] == 1.0).all()


def test_both_channels_get_one_gain():
    audio = np.zeros((N, 2), np.float32)
    audio[:, 1] = 0.1
    audio[5_000:5_100, 0] = 1.0
    limited, factor = limit(_surrounded(audio), -6.0)
    assert np.allclose(limited[:, 1], 0.1 * factor[:, 0])


@settings(max_examples=25)
@given(cut=st.integers(1, N - 1), seed=st.integers(0, 5))
def test_any_cut_equals_the_whole(cut, seed):
    audio = _surrounded(programme(seed, N / RATE_HZ) * np.float32(10))
    whole, _ = limit(audio, -3.0)
    first, _ = limit(audio[: BEFORE_SAMPLES + cut + AFTER_SAMPLES], -3.0)
    second, _ = limit(audio[cut:], -3.0)
    assert np.array_equal(np.concatenate([first, second]), whole)


def test_too_little_around_is_a_callers_bug():
    with pytest.raises(RangeError):
        limit(np.zeros((10, 1), np.float32), -1.0)


def test_true_peak_reading_agrees():
    limited, _ = limit(_surrounded(HARD["noise"]()), -1.0)
    assert 20 * np.log10(true_peak_factor(limited)) == pytest.approx(-1.0, abs=0.1)
