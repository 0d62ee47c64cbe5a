"""How a mix sounds where it is played: through small loudspeakers, and through the stand-ins of platforms.

Everything here is a function over a bounded window: a stretch holds what the same stretch of the whole holds.
Held to: tests/core/test_playback.py
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np
from scipy.signal import butter, sosfilt

from recitant_core.delivery.fitting.summary import MixSummary
from recitant_core.delivery.playback.platforms import PLATFORMS, Platform, platform_results
from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES, limit
from recitant_core.measure.meter import Readings
from recitant_core.timeline.model import Master
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.level import factor_from_db

SETTLE_SAMPLES: Final = RATE_HZ // 2
"""After which the filters of loudspeakers hold nothing of what came before: poles of 100 Hz fall by 1,900 dB."""


@dataclass(frozen=True)
class Loudspeaker:
    """A small loudspeaker: the band that it gives, and whether it gives both sides."""

    name: str
    low_hz: float
    """Half the power there."""
    low_db_per_octave: int
    """Below; a multiple of 6."""
    high_hz: float
    high_db_per_octave: int
    is_mono: bool


LOUDSPEAKERS: Final = (
    Loudspeaker("phone", 450.0, 18, 12_000.0, 12, is_mono=True),
    Loudspeaker("television", 120.0, 12, 14_000.0, 12, is_mono=False),
    Loudspeaker("kitchen-radio", 180.0, 12, 7_000.0, 12, is_mono=True),
)
"""Common practice, from memory: what such loudspeakers are taken to give when a mix is checked for them."""


@lru_cache(maxsize=8)
def _sections(speaker: Loudspeaker) -> FloatArray:
    low = butter(speaker.low_db_per_octave // 6, speaker.low_hz, "highpass", fs=RATE_HZ, output="sos")
    high = butter(speaker.high_db_per_octave // 6, speaker.high_hz, "lowpass", fs=RATE_HZ, output="sos")
    return np.concatenate([low, high])


def in_mono(audio: Audio) -> Audio:
    """The mean of all channels, from each of them; float32 (frames, channels)."""
    return np.repeat(audio.mean(axis=1, keepdims=True), audio.shape[1], axis=1)


def through_loudspeaker(audio: Audio, speaker: Loudspeaker) -> Audio:
    """Output of a loudspeaker, float32 (frames, channels), without the first SETTLE_SAMPLES of the audio.

    Args:
        audio: float32 (SETTLE_SAMPLES + frames, channels).
    """
    if speaker.is_mono:
        audio = in_mono(audio)
    heard = sosfilt(_sections(speaker), audio.astype(np.float64), axis=0)
    return heard[SETTLE_SAMPLES:].astype(np.float32)  # type: ignore[no-any-return]


@dataclass(frozen=True)
class PlatformGain:
    """Gain of a platform on one mix."""

    turned_db: float
    heard_db: float
    """By how much viewers hear it louder than it was handed over."""
    ceiling_dbtp: float | None


def platform_gain(
    platform: Platform, summary: MixSummary | None, readings: Readings, master: Master
) -> PlatformGain | None:
    """Gain of a platform on a mix; None for silence, and for what is shorter than a gating block.

    Args:
        summary: of the mix as balanced; None while it is being measured: the limiters' share is left out then.
        readings: of the same mix.
        master: with which it is heard; Master() for the mix as balanced.
    """
    if readings.integrated_lufs is None or not np.isfinite(readings.integrated_lufs):
        return None
    if summary is not None:
        results = platform_results(summary, readings, master)
        found = results[PLATFORMS.index(platform)]
        if found.heard_lufs is None or found.came_lufs is None:
            return None
        return PlatformGain(found.turned_db, found.heard_lufs - found.came_lufs, platform.ceiling_dbtp)
    came_lufs = readings.integrated_lufs + master.gain_db
    turned_db = 0.0 if platform.reference_lufs is None else platform.reference_lufs - came_lufs
    turned_db = turned_db if platform.turns_up else min(0.0, turned_db)
    return PlatformGain(turned_db, turned_db, platform.ceiling_dbtp)


def through_platform(audio: Audio, gain: PlatformGain) -> Audio:
    """Output of a platform, float32 (frames, channels), without the margins.

    Args:
        audio: float32 (BEFORE_SAMPLES + frames + AFTER_SAMPLES, channels), margins of the limiter.
    """
    turned = audio * np.float32(factor_from_db(gain.turned_db))
    if gain.ceiling_dbtp is None:
        return turned[BEFORE_SAMPLES : len(turned) - AFTER_SAMPLES]
    return limit(turned, gain.ceiling_dbtp)[0]
