"""What is found in a recording: its spectrum, hum, resonances, and starting points with values of its own."""

import math

import numpy as np
import pytest

from recitant_core.errors import EditRefused, MalformedRequest
from recitant_core.processors.analysis import (
    CHAIN_PRESETS,
    hum_in,
    pauses,
    resonances,
    spectrum_db,
    starting_point,
    voice_figures,
)
from recitant_core.processors.chain import through_chain
from recitant_core.processors.filters import bell, filtered
from recitant_core.processors.model import Processor
from recitant_core.processors.tone import log_frequencies
from recitant_core.units.clock import SampleSpan
from signals import MemorySource, programme, sine


def hum(mains_hz, seconds=8.0, level=0.01):
    t = np.arange(round(seconds * 48_000)) / 48_000
    wave = sum(level / n * np.sin(2 * np.pi * mains_hz * n * t) for n in range(1, 9))
    return wave.astype(np.float32)[:, None]


def noise(seconds=8.0, level=0.01, seed=3):
    return (level * np.random.default_rng(seed).standard_normal((round(seconds * 48_000), 1))).astype(np.float32)


@pytest.mark.parametrize("mains_hz", [50.0, 49.9, 60.0])
def test_hum_finds_itself_and_goes(mains_hz):
    audio = hum(mains_hz) + noise(level=0.0005)
    found = hum_in(audio)
    assert found.mains_hz == pytest.approx(mains_hz, abs=0.06)
    assert found.multiples >= 6
    out = through_chain((Processor("hum").with_values(mains_hz=found.mains_hz, multiples=8.0),), audio, 0)
    assert 10 * math.log10((out[96_000:] ** 2).mean() / (audio[96_000:] ** 2).mean()) < -15


def test_no_hum_is_no_hum():
    with pytest.raises(EditRefused, match="no_hum"):
        hum_in(noise())


def test_a_sine_has_its_level_in_its_band():
    freq_hz = log_frequencies(160)
    levels = spectrum_db(sine(-12, 2.0, 1_000.0), freq_hz)
    assert freq_hz[int(np.argmax(levels))] == pytest.approx(1_000.0, rel=0.05)
    assert levels.max() == pytest.approx(-15.0, abs=0.3)  # mean square of a sine: 3 dB under its peak


def test_a_resonance_is_found_where_it_is():
    boxy = filtered(noise(10.0, 0.05), np.array([bell(330.0, 14.0, 7.0)]))
    found = resonances(boxy)[0]
    assert found.freq_hz == pytest.approx(330.0, rel=0.05)
    assert -8.0 <= found.bell_db <= -3.0
    with pytest.raises(EditRefused, match="no_resonance"):
        resonances(noise(10.0))


def test_pauses_keep_away_from_words():
    speech = [SampleSpan(48_000, 48_000), SampleSpan(144_000, 48_000)]
    found = pauses(speech, SampleSpan(0, 240_000))
    assert len(found) == 3
    assert all(part.intersect(word.widen(7_000, 7_000)) is None for part in found for word in speech)


def test_starting_points_follow_the_recording():
    voice = programme(41, 20.0, 1)
    speech = [SampleSpan(0, 5 * 48_000), SampleSpan(7 * 48_000, 8 * 48_000)]
    quiet = MemorySource("quiet", voice * np.float32(0.1))
    loud = MemorySource("loud", voice)
    span = SampleSpan(0, len(voice))
    thresholds = []
    for source in (quiet, loud):
        chain = starting_point("voice-close", source, speech, span)
        thresholds.append(next(p for p in chain if p.kind == "compressor").number("threshold_dbfs"))
    assert thresholds[1] - thresholds[0] == pytest.approx(20.0, abs=0.3)
    for name in set(CHAIN_PRESETS) - {"hum", "voice-boxy"}:
        chain = starting_point(name, loud, speech, span)
        assert np.isfinite(through_chain(chain, voice, 0)).all()
    with pytest.raises(EditRefused, match="not_measurable"):
        starting_point("voice-close", MemorySource("s", np.zeros((96_000, 1), np.float32)), [], SampleSpan(0, 96_000))


def test_figures_of_a_voice_tell_speech_from_noise():
    audio = np.concatenate([sine(-20, 2.0, 200.0, 1), noise(2.0, 0.001)])
    mask = np.concatenate([np.ones(6_000, bool), np.zeros(6_000, bool)])
    figures = voice_figures(audio, mask)
    assert figures.speech_dbfs == pytest.approx(-23.0, abs=0.3)
    assert figures.noise_dbfs == pytest.approx(-60.0, abs=1.0)


def test_a_starting_point_that_is_none_is_refused():
    source = MemorySource("s", np.zeros((96_000, 1), np.float32))
    for name in ("", "nonsense"):
        with pytest.raises(MalformedRequest):
            starting_point(name, source, [], SampleSpan(0, 96_000))
