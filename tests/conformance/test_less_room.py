"""Less room on recorded speech in rooms made with known decays: late sound lowered, intelligibility by pystoi.

Rooms: noise that decays by 60 dB in a known time, as loud as the direct sound (J. Polack's model of a diffuse field).
STOI, extended: J. Jensen, C. Taal, IEEE/ACM TASLP 24(11), 2016. What is early: 50 ms, ISO 3382-1.
"""

from functools import cache
from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr
from pystoi import stoi
from scipy.signal import fftconvolve

from recitant_core.errors import EditRefused
from recitant_core.processors.chain import through_chain
from recitant_core.processors.late_room import decay_s, less_room
from recitant_core.processors.model import Processor

ROOT = Path(__file__).parents[2]
VOICES = {
    "recorded": ROOT / "tests" / "data" / "speech-prompt.flac",
    "read": ROOT / "tests" / "data" / "reading.flac",
    "made": ROOT / "demo" / "voices" / "narration-02.flac",
}


@cache
def voice(name):
    audio, rate_hz = soundfile.read(VOICES[name], dtype="float32", always_2d=True)
    return soxr.resample(audio.mean(axis=1), rate_hz, 48_000).astype(np.float32)


def answer(room_s, early_only=False):
    n = round(1.2 * room_s * 48_000)
    tail = np.random.default_rng(1).standard_normal(n) * 10 ** (-3.0 * np.arange(n) / 48_000 / room_s)
    tail[:192] = 0.0
    tail /= np.sqrt((tail**2).sum())
    if early_only:
        tail[2_400:] = 0.0
    tail[0] = 1.0
    return tail


def in_room(name, room_s, **more):
    dry = voice(name)
    return fftconvolve(dry, answer(room_s, **more))[: len(dry)].astype(np.float32)


@pytest.mark.parametrize("room_s", [0.4, 0.7, 1.2])
@pytest.mark.parametrize("name", VOICES)
def test_late_sound_is_lowered_and_words_are_told_better(name, room_s):
    wet, early, dry = in_room(name, room_s), in_room(name, room_s, early_only=True), voice(name)
    out = through_chain((less_room(decay_s(wet[:, None])),), wet[:, None], 0)[:, 0]
    # Found between +0.02 and +0.10; a listening test tells a hundredth apart.
    assert stoi(dry, out, 48_000, extended=True) > stoi(dry, wet, 48_000, extended=True) + 0.015
    power = [(one[: len(one) // 4_800 * 4_800].reshape(-1, 4_800) ** 2).mean(axis=1) for one in (early, wet, out)]
    is_late = power[0] < np.quantile(power[0], 0.3)
    late_db, voice_db = (10 * np.log10(power[2][part].sum() / power[1][part].sum()) for part in (is_late, ~is_late))
    assert late_db < voice_db - 0.5 and voice_db > -3.5


@pytest.mark.parametrize("name", VOICES)
def test_the_decay_of_a_room_is_found_within_a_third(name):
    for room_s in (0.4, 0.7, 1.2):
        assert decay_s(in_room(name, room_s)[:, None]) == pytest.approx(room_s, rel=0.35)


@pytest.mark.parametrize("name", ["recorded", "made"])  # the reading was recorded at home, in a room of some 0.4 s
def test_speech_without_a_room_is_left(name):
    with pytest.raises(EditRefused, match="no_room_heard"):
        less_room(decay_s(voice(name)[:, None]))


def test_too_short_to_tell_is_said():
    with pytest.raises(EditRefused, match="no_decay"):
        decay_s(np.zeros((4_800, 1), np.float32))
    with pytest.raises(EditRefused, match="no_decay"):
        decay_s(np.full((96_000, 1), 0.1, np.float32))


def test_at_no_amount_it_gives_back_what_came_in():
    audio = in_room("recorded", 0.7)[:, None]
    still = Processor("less-room").with_values(amount_db=0.0)
    assert np.allclose(through_chain((still,), audio, 0), audio, atol=1e-6)


def test_what_is_taken_away_is_the_difference():
    audio = in_room("recorded", 0.7)[:, None]
    one = Processor("less-room")
    taken = through_chain((Processor("less-room", outputs_difference=True),), audio, 0)
    assert np.allclose(taken, audio - through_chain((one,), audio, 0), atol=1e-6)
