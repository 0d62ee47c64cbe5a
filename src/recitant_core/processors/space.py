"""Where a sound stands: rooms, delay, width, pitch; and gain and polarity, which only multiply.

Held to: tests/core/test_repair_and_space.py
"""

import math
from functools import lru_cache
from typing import Final

import numba
import numpy as np
from scipy.signal import butter, oaconvolve, sosfilt

from recitant_core.processors.model import Processor, samples_of_ms
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ

GRAIN_SAMPLES: Final = 2_880  # 60 ms
ROOM_SECONDS: Final = {"small-room": 0.5, "hall": 2.6, "metal-room": 1.8, "outdoors": 1.0}


def moved(processor: Processor, audio: Audio, start_sample: int) -> Audio:
    """Audio through gain, polarity, width, delay, room or pitch, from rest; float32 (frames, channels).

    Args:
        audio: float32 (frames, channels).
        start_sample: of its first frame, on the clock of the processor's curves.
    """
    places = start_sample + np.arange(len(audio), dtype=np.float64)
    match processor.kind:
        case "gain":
            return _times(audio, processor.along("gain_db", places))
        case "polarity":
            return _turned(audio, str(processor.value("side")))
        case "width":
            return _widened(processor, audio, places)
        case "delay":
            return _delayed(processor, audio, places)
        case "reverb":
            return _in_room(processor, audio, places)
        case _:
            return _pitched(processor, audio, places)


def space_reach(processor: Processor) -> tuple[int, int]:
    """Samples before and after a stretch that its output depends on."""
    match processor.kind:
        case "delay":
            longest = max([processor.number("time_ms"), *(p.value for p in processor.points("time_ms"))])
            return samples_of_ms(longest) + 1, 0
        case "reverb":
            distance = max([processor.number("distance_ms"), *(p.value for p in processor.points("distance_ms"))])
            return samples_of_ms(1000.0 * ROOM_SECONDS[str(processor.value("room"))] + distance) + 1, 0
        case "pitch":
            return 2 * GRAIN_SAMPLES, GRAIN_SAMPLES
        case _:
            return 0, 0


@lru_cache(maxsize=16)
def room_response(room: str, n_channels: int) -> Audio:
    """Impulse response of a room without the direct sound: float32 (frames, channels), energy 1 a channel.

    Made for the project: a few early reflections, then noise that dies away, low and high parts at their own pace.
    """
    # Seconds until the room is 60 dB down, low and high; early reflections in ms; how dense; its colour.
    seconds = ROOM_SECONDS[room]
    rng = np.random.default_rng([11, list(ROOM_SECONDS).index(room)])
    decays = {"small-room": (0.35, 0.25), "hall": (2.4, 1.3), "metal-room": (1.5, 1.7), "outdoors": (0.5, 0.3)}[room]
    n = round(seconds * RATE_HZ)
    time_s = np.arange(n) / RATE_HZ
    out = np.zeros((n, n_channels))
    for channel in range(n_channels):
        tail = np.zeros(n)
        for low_hz, high_hz, decay_s in _bands_of(decays):
            noise = rng.standard_normal(n)
            sections = butter(2, [low_hz, high_hz], "bandpass", fs=RATE_HZ, output="sos")
            tail += sosfilt(sections, noise) * 10.0 ** (-3.0 * time_s / decay_s)
        if room == "metal-room":
            # Sheets ring: a few narrow tones in the tail.
            for freq in rng.uniform(380.0, 3_400.0, 9):
                phase = rng.uniform(0.0, 2.0 * np.pi)
                tail += 0.35 * np.sin(2 * np.pi * freq * time_s + phase) * 10.0 ** (-3.0 * time_s / 1.2)
        if room == "outdoors":
            # Outdoors: sparse late echoes, no diffuse tail.
            tail *= 0.12
            for at_s in (0.083, 0.171, 0.262, 0.418):
                at = round((at_s + rng.uniform(-0.004, 0.004)) * RATE_HZ)
                length = round(0.03 * RATE_HZ)
                slap = rng.standard_normal(length) * np.hanning(length)
                tail[at : at + length] += slap * 10.0 ** (-at_s * 3.0)
        else:
            spread = {"small-room": 0.018, "hall": 0.075, "metal-room": 0.035}[room]
            for at_s in np.sort(rng.uniform(0.1 * spread, spread, 9)):
                tail[round(at_s * RATE_HZ)] += rng.choice([-1.0, 1.0]) * 8.0 * 10.0 ** (-at_s / spread * 0.5)
        fade = round(0.1 * n)
        tail[-fade:] *= np.linspace(1.0, 0.0, fade)
        out[:, channel] = tail / math.sqrt(float((tail**2).sum()))
    return out.astype(np.float32)


def _bands_of(decays: tuple[float, float]) -> list[tuple[float, float, float]]:
    edges = [80.0, 250.0, 800.0, 2_500.0, 8_000.0, 16_000.0]
    low, high = decays
    shares = np.linspace(0.0, 1.0, len(edges) - 1)
    return [(edges[i], edges[i + 1], low + (high - low) * float(shares[i])) for i in range(len(edges) - 1)]


def _times(audio: Audio, gain_db: FloatArray | float) -> Audio:
    factors = np.asarray(10.0 ** (np.asarray(gain_db) / 20.0), dtype=np.float32)
    return audio * (factors[:, None] if factors.ndim else factors)


def _turned(audio: Audio, side: str) -> Audio:
    out = audio.copy()
    if side == "both":
        return -out
    channel = 0 if side == "left" else audio.shape[1] - 1
    out[:, channel] = -out[:, channel]
    return out


def _widened(processor: Processor, audio: Audio, places: FloatArray) -> Audio:
    if audio.shape[1] != 2:
        return audio.copy()
    width = np.asarray(processor.along("width_percent", places)) / 100.0
    balance_db = np.asarray(processor.along("balance_db", places))
    middle = 0.5 * (audio[:, 0].astype(np.float64) + audio[:, 1])
    side = 0.5 * (audio[:, 0].astype(np.float64) - audio[:, 1]) * width
    # Balance turns the other side down and leaves its own where it is.
    left = 10.0 ** (-np.maximum(balance_db, 0.0) / 20.0)
    right = 10.0 ** (np.minimum(balance_db, 0.0) / 20.0)
    out: Audio = np.stack([(middle + side) * left, (middle - side) * right], axis=1).astype(np.float32)
    return out


def _delayed(processor: Processor, audio: Audio, places: FloatArray) -> Audio:
    time_ms = processor.along("time_ms", places)
    if isinstance(time_ms, float):
        late = np.zeros_like(audio)
        by = samples_of_ms(time_ms)
        if by < len(audio):
            late[by:] = audio[: len(audio) - by]
    else:
        index = np.arange(len(audio)) - time_ms * RATE_HZ / 1000.0
        late = _read_between(audio, index)
    return _mixed(processor, audio, late, places)


def _mixed(processor: Processor, audio: Audio, wet: Audio, places: FloatArray) -> Audio:
    share = np.asarray(processor.along("mix_percent", places)) / 100.0
    share = share[:, None] if share.ndim else share
    mixed: Audio = (audio * (1.0 - share) + wet * share).astype(np.float32)
    return mixed


def _in_room(processor: Processor, audio: Audio, places: FloatArray) -> Audio:
    response = room_response(str(processor.value("room")), audio.shape[1])
    distance = samples_of_ms(processor.number("distance_ms"))
    wet = oaconvolve(audio.astype(np.float64), response.astype(np.float64), axes=0)[: len(audio)]
    if distance:
        wet = np.concatenate([np.zeros((min(distance, len(wet)), wet.shape[1])), wet])[: len(audio)]
    wet_factor = np.asarray(10.0 ** (np.asarray(processor.along("wet_db", places)) / 20.0))
    dry_factor = np.asarray(10.0 ** (np.asarray(processor.along("dry_db", places)) / 20.0))
    wet_factor = wet_factor[:, None] if wet_factor.ndim else wet_factor
    dry_factor = dry_factor[:, None] if dry_factor.ndim else dry_factor
    if not audio.any():
        return np.zeros_like(audio)
    placed: Audio = (audio * dry_factor + wet * wet_factor).astype(np.float32)
    return placed


def _pitched(processor: Processor, audio: Audio, places: FloatArray) -> Audio:
    """Two readers a grain apart that run at the new speed and jump back; where one jumps only the other is heard."""
    semitones = np.broadcast_to(np.asarray(processor.along("semitones", places), dtype=np.float64), places.shape)
    if not semitones.any():
        return audio.copy()
    slip = 2.0 ** (semitones / 12.0) - 1.0
    wet = np.zeros(audio.shape)
    for half in (0, GRAIN_SAMPLES // 2):
        phase = (places + half) % GRAIN_SAMPLES - GRAIN_SAMPLES / 2.0
        weight = 0.5 + 0.5 * np.cos(2.0 * np.pi * phase / GRAIN_SAMPLES)
        wet += _read_between(audio, np.arange(len(audio)) + phase * slip) * weight[:, None]
    return _mixed(processor, audio, wet.astype(np.float32), places)


def _read_between(audio: Audio, index: FloatArray) -> Audio:
    out = np.zeros_like(audio)
    _interpolated(audio, index, out)
    return out


@numba.njit(cache=True, nogil=True)
def _interpolated(x, index, out):  # type: ignore[no-untyped-def]
    # Third-order curves through four samples (Catmull and Rom); silence outside.
    n = len(x)
    for i in range(len(index)):
        base = math.floor(index[i])
        t = index[i] - base
        if base < -2 or base > n:
            continue
        for c in range(x.shape[1]):
            a = x[base - 1, c] if 0 <= base - 1 < n else 0.0
            b = x[base, c] if 0 <= base < n else 0.0
            d = x[base + 1, c] if 0 <= base + 1 < n else 0.0
            e = x[base + 2, c] if 0 <= base + 2 < n else 0.0
            out[i, c] = b + 0.5 * t * (d - a + t * (2.0 * a - 5.0 * b + 4.0 * d - e + t * (3.0 * (b - d) + e - a)))
