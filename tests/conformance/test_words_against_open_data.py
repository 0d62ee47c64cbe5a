"""Words and their times against open data: a reading of LibriVox, with the text and times that pocketsphinx 5.0.4
carries.

Times there come from a forced alignment of phones, which is good to some hundredths of a second.
"""

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr

from recitant_core.transcript.alignment import aligned, word_errors
from recitant_core.transcript.model import Transcript, running_text
from recitant_core.transcript.spelling import plain, plain_words
from recitant_io.hearing.transcriber import transcriber
from recitant_io.hearing.transcripts import recording_words
from signals import MemorySource

DATA = Path(__file__).parents[1] / "data"
S = 48_000
TITLES = {"mister": "mr", "mr": "mr"}


def memory(audio: np.ndarray, key: str = "memory") -> MemorySource:
    """A mono recording in memory."""
    return MemorySource(key, audio.astype(np.float32).reshape(-1, 1))


@pytest.fixture(scope="module")
def truth() -> list[tuple[str, float, float]]:
    """Each word with start and end in seconds."""
    return [(text, start, end) for text, start, end in json.loads((DATA / "reading.json").read_text())]


@pytest.fixture(scope="module")
def heard() -> Transcript:
    """What the packaged model hears."""
    audio, rate_hz = soundfile.read(DATA / "reading.flac")
    return recording_words(memory(soxr.resample(audio, rate_hz, S)), transcriber(None))


def spelled(text: str) -> str:
    """A word as it is compared, titles written alike."""
    return TITLES.get(plain(text), plain(text))


def test_the_reading_is_heard(truth: list[tuple[str, float, float]], heard: Transcript) -> None:
    wanted = [spelled(text) for text, _, _ in truth]
    found = [TITLES.get(word, word) for word in plain_words(running_text(heard.words))]
    assert word_errors(wanted, found).share < 0.09


def test_words_begin_and_end_where_the_alignment_says(truth: list[tuple[str, float, float]], heard: Transcript) -> None:
    pairs = aligned([spelled(text) for text, _, _ in truth], [spelled(word.text) for word in heard.words])
    same = [(truth[p.reference], heard.words[p.heard]) for p in pairs if p.is_same]  # type: ignore[index]
    assert len(same) > 55
    starts = np.array([abs(word.start_sample / S - start) for (_, start, _), word in same])
    ends = np.array([abs(word.end_sample / S - end) for (_, _, end), word in same])
    assert np.median(starts) < 0.08, starts
    assert np.quantile(starts, 0.9) < 0.16, starts
    assert np.median(ends) < 0.08, ends
