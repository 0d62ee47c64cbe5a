"""Alignment by sound, joins of music, room tone: against recordings whose answer is known."""

import numpy as np
import pytest
from scipy.signal import butter, sosfilt

from recitant_core.measure.similarity import Alignment, align, best_join, correlation, quietest_stretch
from recitant_core.units.clock import RATE_HZ, SampleSpan
from signals import MemorySource, programme, sine


def test_correlation_knows_same_opposite_and_unrelated():
    a, b = programme(1, 1.0), programme(2, 1.0)
    assert correlation(a, a) == pytest.approx(1.0)
    assert correlation(a, -a) == pytest.approx(-1.0)
    assert abs(correlation(a, b)) < 0.1
    assert correlation(a, np.zeros_like(a)) == 0.0


@pytest.mark.parametrize("shift_s", [0.0, 1.2345, 3.7, -0.61])
@pytest.mark.parametrize("is_reversed", [False, True])
def test_the_same_scene_through_another_microphone_is_found(shift_s, is_reversed):
    scene = programme(5, 14.0, 1)
    shift = round(shift_s * RATE_HZ)
    begin = 4 * RATE_HZ
    first = scene[begin : begin + 6 * RATE_HZ]
    second = scene[begin + shift : begin + shift + 5 * RATE_HZ].astype(np.float64)
    dull = sosfilt(butter(1, [150, 4_000], "bandpass", fs=RATE_HZ, output="sos"), second, axis=0)
    dull += np.random.default_rng(1).standard_normal(dull.shape) * 1e-3
    found = align(first, (dull * (-0.4 if is_reversed else 0.4)).astype(np.float32))
    assert found.offset_samples == pytest.approx(shift, abs=24)
    assert found.confidence > 0.5


def test_a_clap_aligns_two_recordings():
    rng = np.random.default_rng(3)
    clap = rng.standard_normal(2_000) * np.exp(-np.arange(2_000) / 300)
    recordings = []
    for at in (30_000, 81_234):
        audio = rng.standard_normal(150_000) * 1e-3
        audio[at : at + 2_000] += clap * 0.5
        recordings.append(audio.astype(np.float32)[:, None])
    found = align(*recordings)
    assert found.offset_samples == pytest.approx(30_000 - 81_234, abs=2)
    assert found.confidence > 0.5


def test_unrelated_recordings_give_no_confidence():
    found = align(programme(1, 6.0), programme(2, 6.0))
    assert found.confidence < 0.35
    assert align(sine(-99, 0.01), sine(-20, 1.0)).confidence == 0.0


def test_a_join_is_found_where_the_music_repeats():
    rng = np.random.default_rng(0)
    beat = RATE_HZ // 2
    notes = [rng.choice([220, 262, 330, 392, 440], 2) for _ in range(8)]
    bar = np.concatenate(
        [
            sum(np.sin(2 * np.pi * f * np.arange(beat) / RATE_HZ) for f in pair) * np.exp(-np.arange(beat) / 9_000)
            for pair in notes
        ]
    )
    intro = rng.standard_normal(3 * RATE_HZ) * 0.1
    audio = (
        np.concatenate([intro, bar, bar, bar, rng.standard_normal(3 * RATE_HZ) * 0.1]).astype(np.float32)[:, None] * 0.2
    )
    join = best_join(MemorySource("m", audio), SampleSpan(0, len(audio)), 3 * RATE_HZ)
    loop = join.leave_sample - join.enter_sample
    assert loop % len(bar) in (*range(30), *range(len(bar) - 30, len(bar)))  # whole bars, to the sample nearly
    assert join.similarity > 0.9


def test_too_short_for_a_join():
    audio = programme(1, 3.0)
    assert best_join(MemorySource("m", audio), SampleSpan(0, len(audio)), RATE_HZ) is None


def test_room_tone_comes_from_the_quietest_free_stretch():
    energy = np.full(1_000, 1.0)
    energy[200:300] = 0.01
    energy[600:700] = 0.05
    energy[900:] = 0.0
    assert quietest_stretch(energy, 80, []) in range(200, 221)
    assert quietest_stretch(energy, 80, [SampleSpan(200 * 480, 100 * 480)]) in range(600, 621)
    assert quietest_stretch(energy[:50], 80, []) is None
    assert quietest_stretch(np.zeros(100), 20, []) is None


def test_silence_beside_silence_is_no_match():
    silent = np.zeros((RATE_HZ, 1), np.float32)
    clap = silent.copy()
    clap[20_000:20_100] = 0.5
    for one, other in ((silent, silent), (clap, silent), (silent, clap)):
        assert align(one, other) == Alignment(0, 0.0)


def test_how_alike_two_recordings_are_does_not_hang_on_their_level():
    one = programme(3, 4.0, 1)
    loud, quiet = align(one, one), align(one, one * np.float32(0.01))
    assert loud.confidence == pytest.approx(1.0, abs=0.01)
    assert (quiet.offset_samples, quiet.confidence) == (loud.offset_samples, pytest.approx(loud.confidence, abs=0.01))
