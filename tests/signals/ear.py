"""Programmes that show what a mixer would send back, made of recorded speech and of sounds synthesised here.

Each gives what is true of it: where who speaks, at which level, what is no speech, and how loud the noise is.
Origin and licence of the recordings: tests/data/README.md.
"""

import contextlib
import io
import json
from dataclasses import dataclass, field

import numpy as np
import soundfile
from scipy.linalg import solve_toeplitz
from scipy.signal import butter, lfilter, sosfilt

from recitant_cli.__main__ import main
from signals.balance import DATA, RATE, Talk, at_level, bed, hits, prompt, recorded


@dataclass
class Case:
    """A programme and the truth about it: stretches in seconds, levels in dB as set in at_level."""

    name: str
    stems: dict
    speech: list
    """(begin, end, level, kind): kind is usual, shout or whisper."""
    others: list = field(default_factory=list)
    """(begin, end, kind) of what sounds in the dialogue stem and is no speech."""
    choices: tuple = ()
    """More arguments of the command."""


def bark(rng):
    """A bark: a short gliding tone with harmonics and some noise, float32 (frames, 1)."""
    n = int(rng.uniform(0.16, 0.26) * RATE)
    t = np.arange(n) / RATE
    pitch = 520.0 * (1.0 + 0.5 * np.exp(-((t - 0.06) ** 2) / 0.002))
    phase = 2 * np.pi * np.cumsum(pitch) / RATE
    tone = sum(np.sin(k * phase) / k**0.7 for k in range(1, 9))
    shape = np.minimum(1.0, t / 0.015) * np.exp(-np.maximum(0.0, t - 0.08) / 0.05)
    return ((tone + 0.5 * rng.standard_normal(n)) * shape).astype(np.float32)[:, None]


def machine(rng, seconds):
    """A motor: low-passed noise that turns 50 times a second, float32 (frames, 1)."""
    n = int(seconds * RATE)
    noise = sosfilt(butter(2, [80, 2_500], "bandpass", fs=RATE, output="sos"), rng.standard_normal(n))
    turning = 1.0 + 0.5 * np.sin(2 * np.pi * 50.0 * np.arange(n) / RATE)
    edge = np.minimum(1.0, np.minimum(np.arange(n), np.arange(n)[::-1]) / (0.05 * RATE))
    return (noise * turning * edge).astype(np.float32)[:, None]


def laughter(rng, notes):
    """Voiced notes 210 ms apart, falling in level, float32 (frames, 1)."""
    every = int(0.21 * RATE)
    out = np.zeros(every * notes, np.float32)
    for index in range(notes):
        n = int(0.11 * RATE)
        t = np.arange(n) / RATE
        tone = sum(np.sin(2 * np.pi * k * (300.0 - 8.0 * index) * t) / k for k in range(1, 12))
        breath = sosfilt(butter(2, [700, 3_000], "bandpass", fs=RATE, output="sos"), rng.standard_normal(n))
        shape = np.sin(np.pi * np.arange(n) / n) ** 0.7 * 10 ** (-0.5 * index / 20)
        out[index * every : index * every + n] = (tone + breath) * shape
    return out[:, None]


def applause(rng, seconds):
    """Hundreds of claps, float32 (frames, 1)."""
    n = int(seconds * RATE)
    out = np.zeros(n + RATE // 10)
    for at in rng.integers(0, n, int(180 * seconds)):
        length = int(0.03 * RATE)
        out[at : at + length] += rng.standard_normal(length) * np.exp(-np.arange(length) / (0.004 * RATE))
    edge = np.minimum(1.0, np.minimum(np.arange(n), np.arange(n)[::-1]) / (0.4 * RATE))
    return (sosfilt(butter(1, [500, 5_000], "bandpass", fs=RATE, output="sos"), out[:n]) * edge).astype(np.float32)[
        :, None
    ]


def whispered(audio, rng):
    """Speech with its vocal tract kept and noise for a voice, by linear prediction in 20 ms frames, without
    the lows that only a voice has; float32 (frames, 1)."""
    mono, frame = audio[:, 0].astype(np.float64), RATE // 50
    out = np.zeros(len(mono) + 2 * frame)
    window = np.hanning(2 * frame)
    for at in range(0, len(mono) - 2 * frame, frame):
        part = mono[at : at + 2 * frame] * window
        energy = float((part**2).sum())
        if energy < 1e-9:
            continue
        lags = np.correlate(part, part, "full")[2 * frame - 1 : 2 * frame + 24]
        lags[0] *= 1.0 + 1e-4
        taps = solve_toeplitz(lags[:-1], lags[1:])
        made = lfilter([1.0], np.concatenate([[1.0], -taps]), rng.standard_normal(2 * frame)) * window
        out[at : at + 2 * frame] += made * np.sqrt(energy / max(1e-12, float((made**2).sum())))
    high = butter(2, 450, "highpass", fs=RATE, output="sos")
    return sosfilt(high, out[: len(mono)]).astype(np.float32)[:, None]


def shouted(audio):
    """Speech with the tilt of a raised voice: some 6 dB more at 2 kHz than at 250 Hz; float32 (frames, 1)."""
    shelf = lfilter([1.0, -0.86], [1.0, -0.55], audio[:, 0])
    return shelf.astype(np.float32)[:, None]


class Stage(Talk):
    """A dialogue recording that takes shouts, whispers and other sounds too."""

    def __init__(self, seconds, noise_db, seed=1):
        super().__init__(seconds, noise_db, seed)
        self.spoken, self.others = [], []

    def line(self, language, index, level_db, at_s, kind="usual", word=None):
        audio = prompt(language, index)
        if word is not None:
            audio = audio[int(word[0] * RATE) : int(word[1] * RATE)]
            edge = np.minimum(1.0, np.minimum(np.arange(len(audio)), np.arange(len(audio))[::-1]) / 480.0)
            audio = audio * edge[:, None].astype(np.float32)
        if kind == "whisper":
            audio = whispered(audio, self.rng)
        if kind == "shout":
            audio = shouted(audio)
        return self.put(at_level(audio, level_db), at_s, (level_db, kind), self.spoken)

    def sound(self, audio, level_db, at_s, kind):
        return self.put(at_level(audio, level_db), at_s, (kind,), self.others)

    def put(self, audio, at_s, facts, kept):
        at = round(at_s * RATE)
        audio = audio[: len(self.audio) - at]
        self.audio[at : at + len(audio)] += audio
        kept.append((at_s, at_s + len(audio) / RATE, *facts))
        return at_s + len(audio) / RATE


def animals():
    """A quiet drama: faint words, a dog that barks at -18 and a burst of a machine, both in the dialogue stem."""
    stage = Stage(100, -76.0, seed=3)
    at = 3.0
    for turn in range(12):
        at = (
            stage.line(("fr", "en")[turn % 2], turn, -33.0 + stage.rng.normal(0.0, 1.5), at) + (1.2, 3.0, 1.0)[turn % 3]
        )
        if turn in (3, 8):
            for _ in range(5):
                at = stage.sound(bark(stage.rng), -18.0, at + stage.rng.uniform(0.25, 0.6), "animal")
            at += 1.5
        if turn == 5:
            at = stage.sound(machine(stage.rng, 3.0), -22.0, at + 0.8, "machine") + 1.0
    stems = {"dialogue": stage.audio, "atmosphere": bed("fire-ambience.ogg", 100, -58.0, mono=True)}
    return Case("animals and a machine among quiet words", stems, stage.spoken, stage.others)


def shout():
    """Ordinary sentences, one shouted word and one shouted line."""
    stage = Stage(75, -76.0, seed=4)
    at = 3.0
    for turn in range(12):
        if turn == 5:
            at = stage.line("en", 2, -8.0, at, "shout", word=(0.0, 0.62)) + 1.0
        elif turn == 9:
            at = stage.line("en", 4, -13.0, at, "shout", word=(0.0, 1.8)) + 1.0
        else:
            at = stage.line("en", turn, -25.0 + stage.rng.normal(0.0, 0.8), at) + 0.9
    return Case(
        "a shouted word among ordinary ones",
        {"dialogue": stage.audio, "music": bed("music-calm.ogg", 75, -38.0)},
        stage.spoken,
    )


def whisper():
    """Ordinary sentences and three whispered ones, clean."""
    stage = Stage(75, -86.0, seed=5)
    at = 3.0
    for turn in range(12):
        is_whisper = turn in (4, 7, 10)
        level = -37.0 if is_whisper else -25.0 + stage.rng.normal(0.0, 0.8)
        line = (2, 4, 10)[turn % 3] if is_whisper else turn  # those of the prompts that are heard as speech so
        at = stage.line("en", line, level, at, "whisper" if is_whisper else "usual") + 0.9
    return Case("whispers among ordinary sentences", {"dialogue": stage.audio}, stage.spoken)


def drama():
    """One person from a murmur to a cry, line by line, with little music."""
    stage = Stage(110, -78.0, seed=6)
    at, steps = 3.0, (0, -4, 2, -9, 1, 8, -2, 3, -12, 0, 5, -6, 1, 14, -1, 2, -3, 0)
    for turn, step in enumerate(steps):
        if at > 103.0:
            break
        at = stage.line("en", turn, -27.0 + step, at, "usual") + stage.rng.uniform(0.5, 2.5)
    return Case(
        "one voice from a murmur to a cry",
        {"dialogue": stage.audio, "music": bed("music-calm.ogg", 110, -40.0)},
        stage.spoken,
    )


def meeting():
    """Four people round one microphone in a room with a fan, near and far, often without a pause."""
    stage = Stage(100, -58.0, seed=7)
    stage.audio += at_level(machine(stage.rng, 100.0)[: len(stage.audio)], -57.0)
    at, seats = 3.0, ((-24.0, "en"), (-31.0, "fr"), (-36.0, "en"), (-27.0, "fr"))
    turn = 0
    while at < 92.0:
        level, language = seats[(turn * 3 + turn // 5) % 4]
        at = stage.line(language, turn, level + stage.rng.normal(0.0, 1.0), at) + (0.1, 0.4, 1.2, 0.15, 3.0)[turn % 5]
        turn += 1
    return Case(
        "a meeting round one microphone", {"dialogue": stage.audio}, stage.spoken, choices=("--performance", "even")
    )


def two_hander():
    """Two people in one recording, takes at eight levels, some turns without a pause."""
    stage = Stage(110, -66.0, seed=8)
    at, steps = 3.0, (-12, 8, -5, 3, -9, 6, 0, -2)
    turn = 0
    while at < 102.0:
        level = -26.0 + steps[turn // 2 % 8]
        at = stage.line(("en", "fr")[turn % 2], turn, level, at) + (0.05, 0.6, 0.2, 1.1, 0.3)[turn % 5]
        turn += 1
    music = bed("music-calm.ogg", 110, -22.0)
    atmosphere = bed("fire-ambience.ogg", 110, -45.0, mono=True)
    return Case(
        "a two-hander with turns that follow at once",
        {"dialogue": stage.audio, "music": music, "atmosphere": atmosphere},
        stage.spoken,
    )


def laughing():
    """People who laugh between their words, and an audience that claps."""
    stage = Stage(80, -74.0, seed=9)
    at = 3.0
    for turn in range(11):
        at = stage.line(("en", "fr")[turn % 2], turn, -28.0, at)
        if turn in (2, 6):
            at = stage.sound(laughter(stage.rng, 9), -25.0, at + 0.3, "laughter")
        if turn == 8:
            at = stage.sound(applause(stage.rng, 5.0), -19.0, at + 1.2, "applause")
        at += 1.2
    return Case("laughter and applause", {"dialogue": stage.audio}, stage.spoken, stage.others)


def sparse():
    """Five sentences in five minutes, over music."""
    stage = Stage(300, -80.0, seed=10)
    for turn in range(5):
        stage.line("en", turn, -24.0, 10.0 + 58.0 * turn)
    return Case(
        "five sentences in five minutes",
        {"narration": stage.audio, "music": bed("music-calm.ogg", 300, -30.0)},
        stage.spoken,
    )


def pauses():
    """A narrator over loud music, with pauses from 2 to 11 s."""
    stage = Stage(130, -80.0, seed=11)
    at = 4.0
    for turn, pause in enumerate((2.0, 3.0, 5.5, 3.5, 7.0, 2.0, 9.0, 3.0, 11.0, 5.0, 1.0, 6.0, 2.0, 8.0)):
        if at > 122.0:
            break
        at = stage.line("en", turn, -24.0, at) + pause
    return Case(
        "music in pauses of a narrator",
        {"narration": stage.audio, "music": bed("music-excerpt.ogg", 130, -18.0)},
        stage.spoken,
    )


def documentary():
    """An even narrator, music with a quiet beginning, effects with one loud hit."""
    stage = Stage(140, -78.0, seed=12)
    at = 6.0
    for turn in range(30):
        if at > 130.0:
            break
        at = stage.line("fr", turn, -23.0 + stage.rng.normal(0.0, 0.6), at) + (0.6, 1.2, 7.0, 18.0)[turn * 5 % 4]
    music = bed("music-excerpt.ogg", 140, -20.0)
    music[: 30 * RATE] *= 0.4
    effects = hits(140, 31.0, (-40.0,), 15.0)
    effects[60 * RATE : 62 * RATE] += hits(10, 20.0, (-8.0,), 0.0)[: 2 * RATE]
    return Case(
        "a documentary with one loud hit", {"narration": stage.audio, "music": music, "effects": effects}, stage.spoken
    )


def hum_and_fan(rng, seconds):
    """Mains hum with harmonics, hiss and a fan, at the level of 1, float32 (frames, 1)."""
    n = int(seconds * RATE)
    t = np.arange(n) / RATE
    hum = sum(np.sin(2 * np.pi * 50.0 * k * t + k) / k for k in range(1, 7))
    hiss = sosfilt(butter(2, 3_000, "highpass", fs=RATE, output="sos"), rng.standard_normal(n))
    fan = sosfilt(butter(2, [100, 900], "bandpass", fs=RATE, output="sos"), rng.standard_normal(n))
    return (1.5 * hum + hiss + fan).astype(np.float32)[:, None]


def noisy_speech(with_noise=True):
    """A narrator with hum, hiss and a fan, some lines farther from the microphone than others."""
    stage = Stage(80, -90.0, seed=19)
    at = 4.0
    for turn in range(14):
        if at > 72.0:
            break
        at = stage.line("en", turn, -25.0 - (9.0 if turn % 4 == 2 else 0.0), at) + stage.rng.uniform(0.7, 1.6)
    if with_noise:
        stage.audio += at_level(hum_and_fan(stage.rng, 80), -54.0)
    return Case("a narrator with hum, hiss and a fan", {"narration": stage.audio}, stage.spoken)


def takes():
    """A reading and the takes of the demo, whose words a model hears well: float32 (frames, 1) each."""
    found = [recorded(DATA / "reading.flac")]
    return found + [recorded(path) for path in sorted((DATA.parents[1] / "demo" / "voices").glob("*.flac"))]


def covered_words():
    """Some 290 words under music and rain that cover the band of the consonants, with pauses of 0.7 to 6 s."""
    lines, pauses = takes(), (0.7, 1.2, 6.0, 0.9)
    seconds = int(sum(len(line) for line in lines) / RATE + sum(pauses) / 4 * len(lines) + 12)
    stage = Stage(seconds, -78.0, seed=21)
    at = 3.0
    for turn, line in enumerate(lines):
        level = -24.0 + stage.rng.normal(0.0, 1.0)
        at = stage.put(at_level(line, level), at, (level, "usual"), stage.spoken) + pauses[turn % 4]
    noise = stage.rng.standard_normal((seconds * RATE, 2))
    rain = sosfilt(butter(1, [900, 6_000], "bandpass", fs=RATE, output="sos"), noise, axis=0)
    swell = 10 ** (4.0 * np.sin(2 * np.pi * np.arange(seconds * RATE) / RATE / 17.0) / 20)
    return Case(
        "words under music and rain",
        {
            "narration": stage.audio,
            "music": bed("music-excerpt.ogg", seconds, -20.0),
            "effects": at_level((rain * swell[:, None]).astype(np.float32), -30.0),
        },
        stage.spoken,
    )


def nobody():
    """A dialogue stem in which nobody speaks."""
    rng = np.random.default_rng(13)
    stage = Stage(40, -60.0, seed=13)
    for at in (5.0, 15.0, 28.0):
        stage.sound(machine(rng, 4.0), -30.0, at, "machine")
    return Case(
        "dialogue without speech",
        {"dialogue": stage.audio, "music": bed("music-calm.ogg", 40, -26.0)},
        [],
        stage.others,
    )


def one_word():
    """One word in a minute."""
    stage = Stage(60, -70.0, seed=14)
    stage.line("en", 2, -30.0, 25.0, word=(0.0, 0.9))
    return Case(
        "one word in a minute", {"dialogue": stage.audio, "music": bed("music-calm.ogg", 60, -24.0)}, stage.spoken
    )


def storm():
    """A minute of whisper under a storm."""
    stage = Stage(70, -80.0, seed=15)
    at = 4.0
    for turn in range(20):
        if at > 60.0:
            break
        at = stage.line("en", turn, -38.0, at, "whisper") + 0.7
    rng = np.random.default_rng(15)
    wind = sosfilt(
        butter(2, [60, 1_500], "bandpass", fs=RATE, output="sos"), rng.standard_normal((70 * RATE, 2)), axis=0
    )
    return Case(
        "a whisper under a storm",
        {"dialogue": stage.audio, "effects": at_level(wind.astype(np.float32), -22.0)},
        stage.spoken,
    )


def everything():
    """Words, a bed of music and hits, all in one dialogue stem."""
    stage = Stage(60, -76.0, seed=16)
    at = 3.0
    for turn in range(9):
        at = stage.line("en", turn, -24.0, at) + 1.5
    music = bed("music-calm.ogg", 60, -36.0).mean(axis=1, keepdims=True)
    return Case("everything in one stem", {"dialogue": stage.audio + music}, stage.spoken)


def laughter_throughout():
    """Short lines in laughter that hardly stops."""
    stage = Stage(60, -74.0, seed=17)
    at = 3.0
    for turn in range(14):
        if at > 52.0:
            break
        at = stage.line(("en", "fr")[turn % 2], turn, -27.0, at) + 0.2
        at = stage.sound(laughter(stage.rng, 8), -26.0, at, "laughter") + 0.3
    return Case("laughter throughout", {"dialogue": stage.audio}, stage.spoken, stage.others)


def crowd():
    """Thirty people, each at a level of their own, one after the other round one microphone."""
    stage = Stage(130, -72.0, seed=18)
    at = 3.0
    for person in range(30):
        if at > 122.0:
            break
        at = stage.line(("en", "fr")[person % 2], person, -28.0 + stage.rng.normal(0.0, 4.0), at) + 0.6
    return Case("thirty people round one microphone", {"dialogue": stage.audio}, stage.spoken)


def unknown_language():
    """Sentences played backwards: speech of no language that a detector was made with."""
    stage = Stage(70, -76.0, seed=31)
    at = 3.0
    for turn in range(10):
        backwards = prompt(("fr", "en")[turn % 2], turn)[::-1].copy()
        level = -24.0 if turn % 3 == 0 else -28.0
        at = stage.put(at_level(backwards, level), at, (level, "usual"), stage.spoken) + 1.0
    return Case(
        "a language that nobody speaks",
        {"dialogue": stage.audio, "music": bed("music-calm.ogg", 70, -24.0)},
        stage.spoken,
    )


CASES = (
    sparse,
    animals,
    shout,
    whisper,
    drama,
    meeting,
    two_hander,
    laughing,
    pauses,
    documentary,
    nobody,
    one_word,
    storm,
    noisy_speech,
    covered_words,
    everything,
    laughter_throughout,
    crowd,
    unknown_language,
)


def delivered(case, folder, *more):
    """A case balanced and handed over by the command line: the folder of the delivery."""
    folder.mkdir(parents=True, exist_ok=True)
    for role, audio in case.stems.items():
        soundfile.write(folder / f"{role}.wav", audio, RATE, "FLOAT")
    tracks = [{"name": role, "role": role, "clips": [{"file": f"{role}.wav"}]} for role in case.stems]
    path = folder / "plan.json"
    path.write_text(json.dumps({"plan": 1, "title": case.name, "frame_rate": "25", "tracks": tracks}))
    wanted = ["--first-balance", "--spec", "ebu-r128", "--files", "mix,stems", *case.choices, *more]
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        code = main(["mix", str(path), "--out", str(folder / "out"), *wanted])
    assert code <= 1, f"{case.name}: {code}"
    return folder / "out"
