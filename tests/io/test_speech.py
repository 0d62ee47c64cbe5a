"""Speech activity by the packaged model: recorded speech is found, music, noise and silence are not."""

from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr
from scipy import ndimage

from recitant_core.speech.activity import THRESHOLD, energy_probability, spans_from_probabilities, speech_share
from recitant_io.hearing import speech
from recitant_io.hearing.speech import model_probabilities, speech_spans
from signals import MemorySource

DATA = Path(__file__).parents[1] / "data"


def recording(name):
    audio, rate_hz = soundfile.read(DATA / name, dtype="float32", always_2d=True)
    return np.ascontiguousarray(soxr.resample(audio, rate_hz, 48_000), dtype=np.float32)


@pytest.fixture(scope="module")
def prompt():
    """Recorded speech (origin and licence: docs/licences.md) with a second of silence on either side."""
    silence = np.zeros((48_000, 1), np.float32)
    return np.concatenate([silence, recording("speech-prompt.flac")[:, :1], silence])


def share(audio):
    return speech_share(speech_spans(MemorySource("k", audio), np.zeros(0)), len(audio))


def test_speech_is_found_where_it_is(prompt):
    spans = speech_spans(MemorySource("k", prompt), np.zeros(0))
    assert abs(spans[0].start_sample - 48_000) < 0.35 * 48_000
    assert abs(spans[-1].span.end_sample - (len(prompt) - 48_000)) < 0.6 * 48_000
    assert speech_share(spans, len(prompt)) > 0.6 * (len(prompt) - 96_000) / len(prompt)
    assert all(0.5 < span.confidence <= 1.0 for span in spans)


def test_a_voice_in_reverse_polarity_is_heard_too(prompt):
    both = np.concatenate([prompt, -prompt], axis=1)
    assert share(both) == pytest.approx(share(prompt), abs=0.05)


def test_music_noise_and_silence_are_no_speech():
    assert share(recording("music-excerpt.ogg")) < 0.1
    assert share((np.random.default_rng(1).standard_normal((10 * 48_000, 1)) * 0.05).astype(np.float32)) < 0.05
    assert share(np.zeros((5 * 48_000, 2), np.float32)) == 0.0


def test_speech_in_noise_is_found(prompt):
    rng = np.random.default_rng(2)
    level = np.sqrt(np.mean(prompt[48_000:-48_000] ** 2)) * 10 ** (-10 / 20)
    noisy = prompt + (rng.standard_normal(prompt.shape) * level).astype(np.float32)
    assert share(noisy) > 0.8 * share(prompt)


def test_where_the_model_cannot_run_energy_answers(prompt, monkeypatch):
    def missing(*_):
        raise ImportError

    heard = share(prompt)
    monkeypatch.setattr(speech, "model_probabilities", missing)
    energy = np.add.reduceat(prompt[:, 0].astype(np.float64) ** 2, np.arange(0, len(prompt), 480))
    spans = speech_spans(MemorySource("k", prompt), energy)
    assert speech_share(spans, len(prompt)) == pytest.approx(heard, abs=0.3)


def test_pauses_are_bridged_and_scraps_dropped():
    probability = np.zeros(400)
    probability[50:100] = probability[130:200] = 0.9  # 0.3 s apart: one stretch
    probability[300:305] = 0.9  # 0.05 s: a scrap
    spans = spans_from_probabilities(probability, 480, 400 * 480)
    assert [(s.start_sample, s.span.end_sample) for s in spans] == [(50 * 480 - 4_800, 200 * 480 + 7_200)]


def test_one_steady_level_is_all_or_nothing():
    assert energy_probability(np.full(500, 1.0)).min() == 1.0
    assert energy_probability(np.full(500, 1e-9)).max() == 0.0
    assert energy_probability(np.zeros(0)).size == 0


def test_probabilities_cover_the_whole_recording(prompt):
    found = model_probabilities(MemorySource("k", prompt))
    assert abs(len(found) - len(prompt) / 1_536) < 2


@pytest.mark.parametrize(("snr_db", "least_hit"), [(20.0, 0.97), (10.0, 0.95), (5.0, 0.9)])
@pytest.mark.parametrize("what", ["music", "noise"])
def test_recorded_speech_in_recorded_music_and_noise(prompt, snr_db, least_hit, what):
    """Frames of 10 ms against the clean recording's own energy; docs/benchmarks.md has nine minutes of this."""
    pause = np.zeros((3 * 48_000, 1), np.float32)
    speech = np.concatenate([prompt, pause, prompt])
    speech = speech[: len(speech) // 480 * 480]
    power = (speech.astype(np.float64) ** 2).reshape(-1, 480).mean(axis=1)
    truth = ndimage.binary_closing(power > np.percentile(power, 95) * 10**-3.5, np.ones(20), border_value=0)
    if what == "music":
        noise = np.resize(recording("music-excerpt.ogg")[:, :1], speech.shape)
    else:
        noise = np.random.default_rng(3).standard_normal(speech.shape).astype(np.float32)
    level = np.sqrt(power[truth].mean() / np.mean(noise**2) / 10 ** (snr_db / 10))
    mixed = speech + noise * np.float32(level)
    probability = model_probabilities(MemorySource("k", mixed))
    raw = probability[np.minimum(np.arange(len(truth)) * 480 // 1_536, len(probability) - 1)] >= THRESHOLD
    assert raw[truth].mean() >= least_hit
    assert raw[~truth].mean() <= 0.12  # two short takes: their edges alone make some of it
    spans = speech_spans(MemorySource("k", mixed), np.zeros(0))
    assert len([s for s in spans if s.start_sample < 48_000 * 0.7]) == 0  # nothing before the first word
    assert spans[0].start_sample <= np.flatnonzero(truth)[0] * 480 + 4_800  # and not late
