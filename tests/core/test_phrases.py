"""Phrases: spans of speech, cut where the level changes between words; clicks set none; noise of the pauses."""

import numpy as np
import pytest

from recitant_core.measure.phrases import phrases
from recitant_core.units.clock import RATE_HZ, SampleSpan

HOP = 480


def at(lufs):
    return HOP * 10 ** ((lufs + 0.691) / 10)


def talk(*parts, noise=-70.0):
    """Energies of words at levels with gaps of 0.2 s between them: (LUFS, seconds), None for a pause."""
    found = []
    for lufs, seconds in parts:
        if lufs is None:
            found.append(np.full(round(100 * seconds), at(noise)))
            continue
        for _ in range(round(seconds / 0.8)):
            found += [np.full(60, at(lufs)), np.full(20, at(noise))]
    return np.concatenate(found)


def span(first_s, last_s):
    return SampleSpan(round(first_s * 48_000), round((last_s - first_s) * 48_000))


def test_a_span_at_one_level_is_one_phrase():
    energy = talk((None, 1.0), (-25.0, 4.0), (None, 1.0))
    found = phrases(energy, [span(1.0, 5.0)])
    assert len(found) == 1
    assert found[0].level_lufs == pytest.approx(-26.2, abs=0.3)  # a quarter of the time is gaps
    assert found[0].noise_lufs == pytest.approx(-70.0, abs=0.1)


def test_a_question_and_a_louder_answer_without_a_pause_are_two():
    energy = talk((None, 1.0), (-34.0, 4.0), (-20.0, 4.0), (None, 1.0))
    found = phrases(energy, [span(1.0, 9.0)])
    assert [round(p.level_lufs) for p in found] == [-35, -21]
    assert found[0].last_hop <= found[1].first_hop and found[1].first_hop == pytest.approx(500, abs=25)


def test_one_loud_word_is_no_turn():
    energy = talk((None, 1.0), (-26.0, 3.2), (-19.0, 0.8), (-26.0, 3.2), (None, 1.0))
    assert len(phrases(energy, [span(1.0, 8.2)])) == 1


def test_a_click_and_silence_are_no_phrases():
    energy = talk((None, 1.0), (-25.0, 4.0), (None, 3.0))
    energy[700:705] = at(0.0)
    found = phrases(energy, [span(1.0, 5.0), span(6.95, 7.1)])
    assert len(found) == 1 and found[0].level_lufs == pytest.approx(-26.2, abs=0.3)
    assert phrases(np.zeros(500), [span(1.0, 4.0)]) == []


def test_what_is_left_out_of_levels_sets_none():
    energy = talk((None, 1.0), (-25.0, 8.0), (None, 1.0))
    energy[300:500] *= 20.0
    whole = phrases(energy, [span(1.0, 9.0)], [span(3.0, 5.0)])
    assert max(p.level_lufs for p in whole) < -24.0


def test_speech_that_begins_before_and_ends_after_is_cut_to_what_there_is():
    energy = talk((-25.0, 4.0))
    found = phrases(energy, [SampleSpan(-48_000, 20 * 48_000)])
    assert found[0].first_hop == 0 and found[-1].last_hop == len(energy) and found[0].noise_lufs is None


def test_what_is_left_out_and_bursts_set_no_level_at_all():
    energy = np.concatenate([np.full(300, 4.8), np.full(200, 0.48), np.full(300, 4.8)])
    without = energy.copy()
    without[300:500] = 0.0
    spans = [SampleSpan(0, 8 * RATE_HZ)]
    assert phrases(energy, spans, [SampleSpan(3 * RATE_HZ, 2 * RATE_HZ)]) == phrases(without, spans)
    burst, silent = np.full(800, 4.8), np.full(800, 4.8)
    burst[400:410], silent[400:410] = 4_800.0, 0.0
    levels = [phrases(one, spans, has_noise=False)[0].level_lufs for one in (burst, silent)]
    assert levels[0] == pytest.approx(levels[1], abs=0.02)  # a hop beside the burst goes with it
