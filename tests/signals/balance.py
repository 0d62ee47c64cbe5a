"""Programmes of recorded speech, music and effects with levels set here: what a first balance is tried on.

Origin and licence of the recordings: tests/data/README.md.
"""

from functools import cache
from pathlib import Path

import numpy as np
import soundfile
import soxr

DATA = Path(__file__).parents[1] / "data"
RATE = 48_000
PROMPT_HZ = 8_000
# First and last sample of every prompt in its file, at 8 kHz.
PROMPTS = {
    "en": (
        (0, 35263), (39263, 66332), (70332, 97770), (101770, 127054), (131054, 166135), (170135, 210524),
        (214524, 232096), (236096, 271013), (275013, 294972),
    ),
    "fr": (
        (0, 19984), (23984, 45174), (49174, 71531), (75531, 104142), (108142, 135195), (139195, 162814),
        (166814, 188758), (192758, 213911), (217911, 241159),
    ),
}  # fmt: skip


def recorded(path, mono=True):
    """A recording at 48 kHz, float32 (frames, channels)."""
    audio, rate = soundfile.read(path, dtype="float32", always_2d=True)
    if mono:
        audio = audio.mean(axis=1, keepdims=True)
    return np.ascontiguousarray(soxr.resample(audio, rate, RATE), dtype=np.float32)


@cache
def prompt(language, index):
    first, last = PROMPTS[language][index % 9]
    at = RATE // PROMPT_HZ
    return recorded(DATA / f"prompts-{language}.ogg")[first * at : last * at]


@cache
def effect(index):
    audio = recorded(DATA / "effects.ogg")[index % 4 * 2 * RATE : (index % 4 + 1) * 2 * RATE]
    return np.repeat(audio[: int(np.flatnonzero(np.abs(audio) > 1e-3)[-1]) + 1], 2, axis=1)


def at_level(audio, level_db):
    """Audio whose loud part (within 10 dB of its mean power) has this level."""
    power = (audio.astype(np.float64) ** 2).mean(axis=1)
    loud = power[power > 0.1 * power.mean()].mean()
    return audio * np.float32(10 ** ((level_db - 10 * np.log10(loud)) / 20))


def bed(name, seconds, level_db, mono=False):
    audio = recorded(DATA / name, mono)
    both = np.concatenate([audio, audio[::-1]])  # forwards and backwards: no jump where it repeats
    return at_level(np.tile(both, (seconds * RATE // len(both) + 1, 1))[: seconds * RATE], level_db)


class Talk:
    """A dialogue recording with the places of what is said in it."""

    def __init__(self, seconds, noise_db, seed=1):
        self.rng = np.random.default_rng(seed)
        self.seconds = seconds
        self.audio = (self.rng.standard_normal((seconds * RATE, 1)) * 10 ** (noise_db / 20)).astype(np.float32)
        self.known = []

    def say(self, language, index, level_db, at_s):
        audio = at_level(prompt(language, index), level_db)
        at = round(at_s * RATE)
        if at + len(audio) > len(self.audio) - 3 * RATE:
            return None
        self.audio[at : at + len(audio)] += audio
        self.known.append((at_s, at_s + len(audio) / RATE))
        return self.known[-1][1]

    def fill(self, languages, level_db, pause_s, at_s=4.0):
        """One after the other until the end; level and pause are functions of the turn."""
        turn = 0
        while at_s is not None:
            end = self.say(languages[turn % len(languages)], turn, level_db(turn), at_s)
            at_s = None if end is None else end + pause_s(turn)
            turn += 1
        return self


def hits(seconds, every_s, levels_db, first_s=6.0):
    audio = np.zeros((seconds * RATE, 2), np.float32)
    for turn, at_s in enumerate(np.arange(first_s, seconds - 4.0, every_s)):
        sound = at_level(effect(turn), levels_db[turn % len(levels_db)])
        at = round(at_s * RATE)
        audio[at : at + len(sound)] += sound
    return audio


def two_hander():
    """Two people in one recording, takes from 12 dB under to 8 dB over the usual."""
    steps = (-12, 8, -5, 3, -9, 6, 0, -2)
    talk = Talk(100, -75.0)
    talk.fill(("en", "fr"), lambda turn: -26.0 + steps[turn // 2 % 8], lambda _: talk.rng.uniform(0.7, 1.8))
    return talk.known, {
        "dialogue": talk.audio,
        "music": bed("music-calm.ogg", 100, -22.0),
        "effects": hits(100, 11.0, (-24.0,)),
        "atmosphere": bed("fire-ambience.ogg", 100, -45.0, mono=True),
    }


def quiet_drama():
    """Faint speech with long silences, sparse effects of very different levels."""
    talk = Talk(110, -74.0, seed=5)
    talk.fill(
        ("fr", "en"), lambda _: -42.0 + talk.rng.normal(0.0, 4.0), lambda turn: (0.8, 1.5, 4.0, 9.0)[turn * 7 % 4]
    )
    return talk.known, {
        "dialogue": talk.audio,
        "music": bed("music-calm.ogg", 110, -38.0),
        "effects": hits(110, 23.0, (-34.0, -44.0, -50.0), 10.0),
        "atmosphere": bed("fire-ambience.ogg", 110, -58.0, mono=True),
    }


def noisy_narrator():
    """One narrator over a loud hiss, with quiet music."""
    talk = Talk(90, -44.0, seed=8)
    talk.fill(("en",), lambda _: -24.0 + talk.rng.normal(0.0, 1.0), lambda _: talk.rng.uniform(0.5, 1.2))
    return talk.known, {"dialogue": talk.audio, "music": bed("music-calm.ogg", 90, -40.0)}


def documentary():
    """An even narrator with long passages of music and pictures."""
    talk = Talk(120, -78.0, seed=9)
    talk.fill(("fr",), lambda _: -23.0 + talk.rng.normal(0.0, 0.6), lambda turn: (0.6, 1.2, 7.0, 18.0)[turn * 5 % 4])
    return talk.known, {
        "dialogue": talk.audio,
        "music": bed("music-excerpt.ogg", 120, -20.0),
        "effects": hits(120, 31.0, (-26.0,), 15.0),
        "atmosphere": bed("fire-ambience.ogg", 120, -40.0, mono=True),
    }


def concert():
    """Music throughout and nine short announcements."""
    talk = Talk(180, -75.0)
    for turn in range(9):
        talk.say("en", 6, -30.0, 6.0 + 18.0 * turn)
    return talk.known, {"dialogue": talk.audio, "music": bed("music-excerpt.ogg", 180, -17.0)}


def trailer():
    """Loud throughout: music and effects at full level against short lines."""
    talk = Talk(60, -75.0, seed=15)
    talk.fill(("en",), lambda _: -22.0 + talk.rng.normal(0.0, 3.0), lambda _: talk.rng.uniform(2.0, 5.0))
    return talk.known, {
        "dialogue": talk.audio,
        "music": bed("music-excerpt.ogg", 60, -14.0),
        "effects": hits(60, 2.5, (-14.0,), 2.0),
    }


def song():
    """A narrator over a song: somebody sings, or speaks, in the music too."""
    talk = Talk(80, -75.0, seed=13)
    talk.fill(("en",), lambda _: -25.0, lambda _: talk.rng.uniform(0.8, 3.0))
    sung = Talk(80, -90.0).fill(("fr",), lambda _: -20.0, lambda _: 0.5, at_s=1.0)
    return talk.known, {"dialogue": talk.audio, "music": bed("music-excerpt.ogg", 80, -22.0) + sung.audio}


def interview():
    """Two people who speak over each other."""
    talk = Talk(80, -72.0, seed=17)
    talk.fill(("en",), lambda _: -24.0, lambda _: 1.0)
    talk.fill(("fr",), lambda _: -28.0, lambda _: 1.4, at_s=6.0)
    return talk.known, {"dialogue": talk.audio, "music": bed("music-calm.ogg", 80, -24.0)}
