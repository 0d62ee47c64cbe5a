"""Sounds in a recording of speech that are not speech, and those that belong to the performance."""

import numpy as np
import pytest

from recitant_core.measure.other_sounds import other_sounds
from recitant_core.measure.phrases import phrases
from recitant_core.units.clock import SampleSpan

HOP = 480


def at(lufs):
    return HOP * 10 ** ((lufs + 0.691) / 10)


def scene(length_s=30.0, noise=-75.0):
    return np.full(round(100 * length_s), at(noise))


def say(energy, first_s, seconds, lufs):
    for begin in np.arange(first_s, first_s + seconds, 0.4):
        energy[round(100 * begin) : round(100 * begin) + 32] = at(lufs)
    return SampleSpan(round(first_s * 48_000), round(seconds * 48_000))


def talk(noise=-75.0):
    energy = scene(noise=noise)
    return energy, [say(energy, 2.0, 4.0, -33.0), say(energy, 14.0, 4.0, -33.0), say(energy, 24.0, 3.0, -33.0)]


def found_in(energy, spans, left_out=()):
    return other_sounds(energy, spans, phrases(energy, spans), left_out)


def test_a_loud_burst_between_words_is_found_with_its_level():
    energy, spans = talk()
    energy[900:1050] = at(-20.0)
    (burst,) = found_in(energy, spans)
    assert (burst.first_hop, burst.last_hop) == (pytest.approx(900, abs=4), pytest.approx(1050, abs=4))
    assert burst.level_lufs == pytest.approx(-20.0, abs=0.2) and not burst.is_performance


def test_quiet_talk_alone_has_none():
    energy, spans = talk()
    assert found_in(energy, spans) == []
    energy[900:1050] = at(-60.0)  # far under the words
    assert found_in(energy, spans) == []
    assert other_sounds(energy, [], []) == []


def test_steady_noise_is_no_sound_of_its_own():
    energy, spans = talk(noise=-42.0)
    assert found_in(energy, spans) == []


def test_a_breath_beside_a_word_belongs_to_it_and_a_bark_far_louder_does_not():
    energy, spans = talk()
    energy[660:700] = at(-38.0)
    energy[1820:1845] = at(-18.0)
    breath, bark = found_in(energy, spans)
    assert breath.is_performance and not bark.is_performance


def test_laughter_is_told_by_its_notes_and_hammering_is_not_laughter():
    energy, spans = talk()
    for begin in range(800, 1000, 21):
        energy[begin : begin + 11] = at(-22.0)
    (laugh,) = found_in(energy, spans)
    assert laugh.is_performance
    energy, spans = talk()
    for begin in range(800, 1100, 50):
        energy[begin : begin + 15] = at(-22.0)
    assert not any(one.is_performance for one in found_in(energy, spans))


def test_what_is_left_out_of_levels_is_no_sound():
    energy, spans = talk()
    energy[900:1050] = at(-20.0)
    assert found_in(energy, spans, [SampleSpan(8 * 48_000, 4 * 48_000)]) == []
