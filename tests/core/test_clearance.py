"""Clearance: the distance it is made of, what is no passage, and what counts as one."""

import numpy as np
import pytest

from recitant_core.measure import clearance
from recitant_core.measure.clearance import (
    clear_share,
    clearance_lu,
    close_passages,
    speech_mask,
    window_clearance_lu,
    window_words_power,
)
from recitant_core.units.clock import HOP_SAMPLES, SampleSpan


def level(db, hops):
    return np.full(hops, 10 ** (db / 10) * HOP_SAMPLES)


def all_speech(hops):
    return np.ones(hops, bool)


@pytest.mark.parametrize("apart_lu", [-5.0, 0.0, 7.0, 20.0])
def test_steady_levels_are_as_far_apart_as_they_are(apart_lu):
    found = clearance_lu(level(-20, 500), level(-20 - apart_lu, 500), all_speech(500))
    assert found[100:400] == pytest.approx(np.full(300, apart_lu), abs=1e-9)


def test_gaps_between_syllables_do_not_lower_it():
    speech = level(-20, 600)
    speech[np.arange(600) % 30 < 12] = 1e-9  # 120 ms of every 300 ms are silent
    found = clearance_lu(speech, level(-27, 600), all_speech(600))
    assert found[100:500] == pytest.approx(np.full(400, 7.0), abs=0.01)


def test_where_nobody_speaks_or_nothing_else_sounds_there_is_no_limit():
    is_speech = speech_mask([SampleSpan(100 * HOP_SAMPLES, 100 * HOP_SAMPLES)], 400)
    found = clearance_lu(level(-20, 400), level(-20, 400), is_speech)
    assert np.isinf(found[:100]).all() and np.isinf(found[200:]).all() and np.isfinite(found[100:200]).all()
    assert np.isposinf(clearance_lu(level(-20, 400), np.zeros(400), all_speech(400))).all()


def test_speech_that_does_not_sound_is_not_clear():
    assert np.isneginf(clearance_lu(np.zeros(400), level(-30, 400), all_speech(400))[50:350]).all()


def test_passages_shorter_than_the_least_do_not_count():
    clear = np.full(1_000, 12.0)
    clear[100:140] = 3.0  # 0.4 s
    clear[300:360] = 4.0  # 0.6 s
    clear[330] = 1.5
    found = close_passages(clear, 7.0, 0.5)
    assert [(p.span.start_sample, p.span.length_samples, p.least_lu) for p in found] == [(144_000, 28_800, 1.5)]
    assert len(close_passages(clear, 7.0, 0.3)) == 2
    assert close_passages(clear, 1.0) == []


def test_a_pause_of_two_tenths_does_not_divide_a_passage():
    clear = np.full(400, 12.0)
    clear[100:140] = clear[150:190] = 3.0
    clear[140:150] = np.inf
    assert [p.span.length_samples for p in close_passages(clear, 7.0)] == [90 * HOP_SAMPLES]


def test_what_is_asked_for_exactly_is_enough():
    assert close_passages(np.full(400, 7.0), 7.0) == []


@pytest.mark.parametrize("window_hops", [1, 3, 40, 41, 100])
@pytest.mark.parametrize("n_hops", [0, 1, 39, 40, 41, 1_000])
def test_a_window_is_the_sum_around_each_hop_and_hangs_on_nothing_else(window_hops, n_hops):
    values = np.random.default_rng(n_hops).random(n_hops)
    half = window_hops // 2
    expected = [values[max(0, hop - half) : max(0, hop - half + window_hops)].sum() for hop in range(n_hops)]
    found = clearance._windowed(values, window_hops)
    assert found == pytest.approx(expected)
    if n_hops > 300:
        other = values.copy()
        other[:100] *= 1e9
        assert np.array_equal(clearance._windowed(other, window_hops)[300:], found[300:])  # to the last bit


def test_the_share_that_is_clear_counts_windows_of_400_ms_with_words_near_the_middle():
    speech = level(-20, 1_000)
    speech[400:500] = level(-40, 100)  # a second far under the middle is no word that counts
    words = window_words_power(speech, all_speech(1_000))
    assert (words[430:470] == 0.0).all()
    rest = np.concatenate([level(-30, 500), level(-25, 500)])
    found = window_clearance_lu(words, rest)
    assert clear_share(found, 7.0) == pytest.approx(45 / 95, abs=0.05) and clear_share(found, 4.0) > 0.97
    assert np.isposinf(window_clearance_lu(words, np.zeros(1_000))).all()
    nobody = window_words_power(speech, np.zeros(1_000, bool))
    assert clear_share(window_clearance_lu(nobody, rest), 7.0) is None


def test_a_pause_between_words_lowers_a_window_and_not_the_words_around():
    speech = level(-20, 600)
    speech[np.arange(600) % 60 < 24] = 1e-9
    around = clearance_lu(speech, level(-27, 600), all_speech(600))[100:500]
    windows = window_clearance_lu(window_words_power(speech, all_speech(600)), level(-27, 600))[10:50]
    assert around.min() > 6.9 and windows.min() < 6.0  # the stricter of both
