"""Music, effects and atmosphere of the demo, made from nothing but arithmetic; the same at every run.

All functions return float32 (frames, 2) at 48 kHz unless they say mono.
"""

import numpy as np
import numpy.typing as npt
import soxr
from scipy.signal import butter, oaconvolve, sosfilt

RATE_HZ = 48_000
Audio = npt.NDArray[np.float32]
_TABLE = 16_384
_MUSIC_RATE_HZ = 24_000  # sections hold nothing over 10 kHz: half the work


def silence(seconds: float) -> Audio:
    """Nothing, for so long."""
    return np.zeros((round(seconds * RATE_HZ), 2), np.float32)


def add(target: Audio, at_s: float, part: Audio, gain_db: float = 0.0) -> None:
    """Lay a part over a target from a time on; what reaches over the end is left out."""
    start = round(at_s * RATE_HZ)
    count = min(len(part), len(target) - start)
    if count > 0:
        target[start : start + count] += part[:count] * np.float32(10 ** (gain_db / 20))


def band(audio: npt.NDArray[np.floating], low_hz: float, high_hz: float) -> npt.NDArray[np.float64]:
    """What of a signal lies in a band."""
    sos = butter(2, [low_hz, high_hz], "bandpass", fs=RATE_HZ, output="sos")
    return sosfilt(sos, audio, axis=0)


def room(audio: Audio, decay_s: float, wet: float, seed: int, colour_hz: float = 4_000.0) -> Audio:
    """The audio in a synthesised hall: early reflections and a decaying, darkening tail."""
    rng = np.random.default_rng(seed)
    n = round(decay_s * 1.2 * RATE_HZ)
    t = np.arange(n)[:, None] / RATE_HZ
    tail = rng.standard_normal((n, 2)) * 10 ** (-3 * t / decay_s)
    tail = sosfilt(butter(1, colour_hz, "lowpass", fs=RATE_HZ, output="sos"), tail, axis=0)
    tail *= np.minimum(1.0, t / 0.03)
    for _ in range(9):
        at = rng.integers(400, 3_800)
        tail[at] += rng.uniform(-6, 6, 2)
    tail /= np.sqrt((tail**2).sum(axis=0))
    padded = np.concatenate([audio, np.zeros((n, 2), np.float32)])
    wet_part = np.stack([oaconvolve(padded[:, c], tail[:, c])[: len(padded)] for c in (0, 1)], axis=1)
    return (padded * (1 - wet) + wet_part * wet).astype(np.float32)


def _wave(partials: list[float]) -> npt.NDArray[np.float64]:
    phase = 2 * np.pi * np.arange(_TABLE) / _TABLE
    return sum(level * np.sin(k * phase + 0.7 * k) for k, level in enumerate(partials, 1))  # type: ignore[return-value]


_DARK = {name: _wave([1 / k**p for k in range(1, 7)]) for name, p in (("brass", 2.0), ("strings", 1.6))}
_BRIGHT = {
    "brass": _wave([1 / k**0.9 * (1.25 if 3 <= k <= 6 else 1.0) for k in range(1, 15)]),
    "strings": _wave([(-1) ** k / k**1.05 for k in range(1, 18)]),
}


def note(kind: str, midi: float, seconds: float, force: float, rng: np.random.Generator) -> Audio:
    """One note of a section at 24 kHz: a few players, each a little off, brighter as it swells."""
    n = round(seconds * _MUSIC_RATE_HZ)
    t = np.arange(n) / _MUSIC_RATE_HZ
    attack, release = (0.5, 0.9) if kind == "brass" else (1.1, 1.4)
    envelope = np.minimum(1, t / attack) ** 1.5 * np.minimum(1, (seconds - t) / release).clip(0) ** 1.3
    swell = envelope * (0.72 + 0.28 * np.sin(np.pi * t / seconds))
    out = np.zeros((n, 2))
    for player in range(3):
        cents = rng.normal(0, 5)
        pitch_hz = 440 * 2 ** ((midi - 69 + cents / 100) / 12)
        depth = (0.0012 if kind == "brass" else 0.0032) * np.minimum(1, t / 1.5)
        drift = depth * np.sin(2 * np.pi * rng.uniform(4.6, 5.6) * t + rng.uniform(0, 6))
        place = ((np.cumsum(pitch_hz * (1 + drift)) / _MUSIC_RATE_HZ + rng.uniform()) % 1 * _TABLE).astype(np.int32)
        light = (force * swell) ** 1.4
        tone = _DARK[kind][place] * (1 - light) + _BRIGHT[kind][place] * light
        pan = (player - 1) * 0.5 + rng.uniform(-0.15, 0.15) + (0.2 if kind == "brass" else -0.2)
        out[:, 0] += tone * swell * np.sqrt(0.5 - 0.4 * np.clip(pan, -1, 1))
        out[:, 1] += tone * swell * np.sqrt(0.5 + 0.4 * np.clip(pan, -1, 1))
    return (out * 0.05 * (0.5 + force)).astype(np.float32)


CHORDS = {
    "Dm": (38, 50, 57, 62, 65),
    "Bb": (34, 46, 58, 62, 65),
    "F": (41, 53, 57, 60, 65),
    "C": (36, 48, 55, 60, 64),
    "Gm": (31, 43, 55, 58, 62),
    "A": (33, 45, 57, 61, 64),
    "D": (38, 50, 57, 62, 66),
}


def score(bars: list[tuple[str, str, float, float, int | None]], seed: int) -> Audio:
    """Music from bars of (kind, chord, seconds, force, melody note or none), overlapping a little, in a hall."""
    rng = np.random.default_rng(seed)
    music = np.zeros((round((sum(bar[2] for bar in bars) + 2) * _MUSIC_RATE_HZ), 2), np.float32)
    at_s = 0.0
    for kind, chord, seconds, force, melody in bars:
        for midi in CHORDS[chord]:
            add(music, at_s / 2, note(kind, midi, seconds + 1.4, force, rng))
        if melody is not None:
            lead = "brass" if kind == "strings" else "strings"
            add(music, (at_s + 0.4) / 2, note(lead, melody, seconds + 0.6, min(1.0, force + 0.25), rng), 3.0)
        at_s += seconds
    return room(soxr.resample(music, _MUSIC_RATE_HZ, RATE_HZ), 2.6, 0.33, seed + 1)


def bell(seconds: float, prime_hz: float = 146.8) -> Audio:
    """A great bell struck once: hum, prime, tierce, quint, nominal and upper partials, each with its own decay."""
    rng = np.random.default_rng(11)
    n = round(seconds * RATE_HZ)
    t = np.arange(n) / RATE_HZ
    partials = [
        (0.5, 0.55, 14.0),
        (1.0, 0.75, 8.0),
        (1.2, 0.9, 6.0),
        (1.5, 0.35, 4.0),
        (2.0, 1.0, 4.4),
        (2.52, 0.3, 2.4),
        (3.01, 0.5, 2.0),
        (4.1, 0.35, 1.3),
        (5.4, 0.2, 0.8),
        (6.8, 0.14, 0.5),
        (8.3, 0.1, 0.3),
    ]
    out = np.zeros((n, 2))
    for ratio, level, decay_s in partials:
        for side in (0, 1):
            beat = 1 + rng.uniform(-0.0011, 0.0011)
            phase = rng.uniform(0, 2 * np.pi)
            wave = np.sin(2 * np.pi * prime_hz * ratio * beat * t + phase)
            out[:, side] += level * wave * 10 ** (-3 * t / (decay_s * 2.2))
    clapper = band(rng.standard_normal((4_800, 2)), 900, 5_200) * np.exp(-np.arange(4_800) / 500)[:, None]
    out[:4_800] += clapper * 0.7
    out *= np.minimum(1, t / 0.002)[:, None]
    return room((out * 0.22).astype(np.float32), 3.2, 0.2, 12)


def hammer(seed: int, weight: float = 1.0) -> Audio:
    """A hammer on iron."""
    rng = np.random.default_rng(seed)
    n = round(1.4 * RATE_HZ)
    t = np.arange(n) / RATE_HZ
    out = np.zeros(n)
    for pitch_hz, level, decay_s in (
        (412, 0.5, 0.16),
        (1_130, 0.8, 0.3),
        (2_270, 0.7, 0.4),
        (3_710, 0.5, 0.25),
        (5_230, 0.3, 0.15),
    ):
        out += level * np.sin(2 * np.pi * pitch_hz * rng.uniform(0.985, 1.015) * t) * np.exp(-t / decay_s)
    out += rng.standard_normal(n) * np.exp(-t / 0.006) * 1.4 + np.sin(2 * np.pi * 72 * t) * np.exp(-t / 0.07) * weight
    stereo = np.stack([out * 0.24, out * 0.2], axis=1).astype(np.float32)
    return room(stereo, 1.5, 0.28, seed + 100)


def noise_bed(seconds: float, seed: int, bands: list[tuple[float, float, float]], flutter: float) -> Audio:
    """Shaped noise that breathes: bands of (low Hz, high Hz, level), each wandering by ``flutter``."""
    rng = np.random.default_rng(seed)
    n = round(seconds * RATE_HZ)
    out = np.zeros((n, 2))
    for low_hz, high_hz, level in bands:
        turns = np.arange(0, n + 9_600, 9_600)
        wander = np.interp(np.arange(n), turns, rng.uniform(1 - flutter, 1 + flutter, len(turns)))
        out += band(rng.standard_normal((n, 2)), low_hz, high_hz) * (level * wander)[:, None]
    return out.astype(np.float32)


def furnace(seconds: float) -> Audio:
    """A furnace that roars up and settles."""
    bed = noise_bed(seconds, 21, [(35, 160, 0.5), (160, 900, 0.16), (900, 4_000, 0.03)], 0.5)
    t = np.linspace(0, 1, len(bed))[:, None]
    return (bed * np.sin(np.pi * t.clip(0, 1)) ** 0.6).astype(np.float32)


def pour(seconds: float) -> Audio:
    """Molten metal running into a mould: a roar with spatter, swelling and ending on a hiss."""
    rng = np.random.default_rng(31)
    bed = noise_bed(seconds, 32, [(60, 300, 0.34), (300, 1_800, 0.17), (1_800, 9_000, 0.07)], 0.35)
    n = len(bed)
    spatter = np.zeros((n, 2), np.float32)
    for at in rng.integers(0, n - 3_000, round(seconds * 26)):
        pop = rng.standard_normal((900, 2)) * np.exp(-np.arange(900) / rng.uniform(30, 160))[:, None]
        spatter[at : at + 900] += (pop * rng.uniform(0.01, 0.1)).astype(np.float32)
    t = np.linspace(0, 1, n)[:, None]
    shape = np.interp(t, [0, 0.06, 0.25, 0.8, 1], [0, 0.5, 1, 0.9, 0])
    return room(((bed + spatter) * shape).astype(np.float32), 1.8, 0.22, 33)


def chains(seconds: float) -> Audio:
    """A chain hoist taking the load."""
    rng = np.random.default_rng(41)
    out = silence(seconds + 0.5)
    at_s = 0.0
    while at_s < seconds:
        n = 2_600
        t = np.arange(n) / RATE_HZ
        link = sum(np.sin(2 * np.pi * f * rng.uniform(0.96, 1.04) * t) for f in (2_900, 4_350, 6_100))
        link = link * np.exp(-t / rng.uniform(0.006, 0.02))
        pan = rng.uniform(0.3, 0.7)
        add(out, at_s, np.stack([link * pan, link * (1 - pan)], axis=1).astype(np.float32) * 0.1)
        at_s += rng.uniform(0.07, 0.16)
    return room(out, 1.5, 0.25, 42)


def steam(seconds: float) -> Audio:
    """Steam from the cooling pit."""
    bed = noise_bed(seconds, 51, [(900, 3_000, 0.05), (3_000, 11_000, 0.09)], 0.3)
    t = np.linspace(0, seconds, len(bed))[:, None]
    return (bed * np.minimum(1, t / 0.25) * np.exp(-t / (seconds / 3))).astype(np.float32)


def foundry_floor(seconds: float) -> Audio:
    """The room itself: air, a distant fan, now and then something put down far away."""
    rng = np.random.default_rng(61)
    bed = noise_bed(seconds, 62, [(45, 220, 0.05), (220, 1_400, 0.02), (1_400, 6_000, 0.005)], 0.25)
    t = np.arange(len(bed))[:, None] / RATE_HZ
    bed += (0.006 * np.sin(2 * np.pi * 97.3 * t) * (1 + 0.3 * np.sin(0.4 * t))).astype(np.float32)
    for at_s in rng.uniform(3, seconds - 5, round(seconds / 9)):
        knock = hammer(int(at_s * 100), 0.4)
        dull = band(knock, 150, 1_400).astype(np.float32)
        add(bed, at_s, dull, rng.uniform(-24, -16))
    return bed
