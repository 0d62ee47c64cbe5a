"""Less room: late reverberation lowered, and how long the room of a recording takes to decay.

The power of what still sounds from 53 ms ago and longer is foretold from the power then and the room's decay, and taken
off the spectrum: K. Lebart, J. M. Boucher, P. N. Denbigh, Acta Acustica united with Acustica 87 (2001), 359-366. The
weights follow Wiener's rule with the decision-directed ratio (Y. Ephraim, D. Malah, IEEE ASSP 32(6), 1984).
Held to: tests/conformance/test_less_room.py
"""

from typing import Final

import numba
import numpy as np
from scipy.ndimage import uniform_filter1d

from recitant_core.errors import EditRefused
from recitant_core.processors.model import Processor
from recitant_core.processors.stft import FRAME_SAMPLES, STFT_STEP_SAMPLES, weighed
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import HOP_SAMPLES, HOPS_PER_SECOND, RATE_HZ

LATE_FRAMES: Final = 5
"""What reached the microphone before is early: it belongs to the voice. 5 frames are 53 ms; common practice is 50."""
LEAST_DECAY_S: Final = 0.15
MOST_DECAY_S: Final = 3.0
DRY_DECAY_S: Final = 0.38
"""Speech without a room decays about as fast by itself: under it there is nothing to take away."""
_SMOOTH: Final = 0.6  # of the power that is foretold from, frame to frame: some 20 ms
_KEEP: Final = 0.7  # of the decision-directed ratio: late sound changes fast
_DECAYS_S: Final = (DRY_DECAY_S, 0.7, 1.2)
_AMOUNTS_DB: Final = (4.0, 9.0, 12.0)  # for these: more sounds hollow
_WINDOW_HOPS: Final = 20
_RANGE_DB: Final = 60.0  # of the level: under it lie noise and digital silence
_STRAIGHT_DB: Final = 1.5
_FALL_DB: Final = 5.0  # in a window, at the least, to be told from a word that grows soft
_OVER_FLOOR_DB: Final = 8.0
_LEAST_DECAYS: Final = 8
_STEEPEST: Final = 0.9
_DEEPEST: Final = 0.99


def with_less_room(processor: Processor, audio: Audio, start_sample: int) -> Audio:
    """Audio with its late reverberation lowered, from rest; float32 (frames, channels).

    Args:
        audio: float32 (frames, channels).
        start_sample: of the first frame, on the grid of STFT_STEP_SAMPLES.
    """
    if not len(audio):
        return audio.copy()

    def gains(power: FloatArray, places: FloatArray) -> Audio:
        amount_db, decay_s = (
            np.broadcast_to(processor.along(name, places), places.shape) for name in ("amount_db", "decay_s")
        )
        left = 10.0 ** (-6.0 * LATE_FRAMES * STFT_STEP_SAMPLES / RATE_HZ / decay_s)
        found = np.empty(power.shape, np.float32)
        _lowered(power, left, 10.0 ** (-amount_db / 20.0), found)
        return found

    return weighed(audio, start_sample, gains)


def less_room_reach() -> tuple[int, int]:
    """Samples before and after a stretch that its output depends on."""
    return FRAME_SAMPLES + (LATE_FRAMES + 48) * STFT_STEP_SAMPLES, FRAME_SAMPLES


def decay_s(audio: Audio) -> float:
    """Time in which a room takes 60 dB off what sounded in it, read from how sounds end; in seconds.

    Args:
        audio: float32 (frames, channels), of speech or other sounds with ends.

    Raises:
        EditRefused: too few sounds end in it.
    """
    n = len(audio) // HOP_SAMPLES
    if n <= _WINDOW_HOPS:
        raise EditRefused("no_decay")
    # Differences tilt the spectrum by 6 dB an octave: hum and rumble, which never decay, say nothing.
    tilted = np.diff(audio[: n * HOP_SAMPLES].astype(np.float64), axis=0, prepend=audio[:1])
    energy = (tilted**2).sum(axis=1).reshape(n, -1).sum(axis=1)
    level = 10.0 * np.log10(uniform_filter1d(energy, 3) + 1e-12)
    level = np.maximum(level, level.max() - _RANGE_DB)
    windows = np.lib.stride_tricks.sliding_window_view(level, _WINDOW_HOPS)
    at = np.arange(_WINDOW_HOPS) - (_WINDOW_HOPS - 1) / 2.0
    slopes = windows @ at / (at @ at)
    away = windows - windows.mean(axis=1, keepdims=True) - slopes[:, None] * at
    is_straight = np.sqrt((away**2).mean(axis=1)) < _STRAIGHT_DB
    is_heard = windows[:, -1] > np.quantile(level, 0.05) + _OVER_FLOOR_DB
    falls = -slopes[is_straight & is_heard & (slopes * _WINDOW_HOPS < -_FALL_DB)] * HOPS_PER_SECOND
    if len(falls) < _LEAST_DECAYS:
        raise EditRefused("no_decay")
    # Nothing dies away faster than the room does: the steepest falls are the room's own. Of speech without a room
    # hardly any is straight; there the deepest fall tells.
    deepest = float(np.quantile(level[:-_WINDOW_HOPS] - level[_WINDOW_HOPS:], _DEEPEST))
    found = min(60.0 / np.quantile(falls, _STEEPEST), 60.0 * _WINDOW_HOPS / HOPS_PER_SECOND / max(deepest, 1e-3))
    return float(np.clip(found, LEAST_DECAY_S, MOST_DECAY_S))


def less_room(room_decay_s: float) -> Processor:
    """A processor for a room that decays so fast, the drier the more it asks for.

    Raises:
        EditRefused: hardly any room is heard.
    """
    if room_decay_s < DRY_DECAY_S:
        raise EditRefused("no_room_heard", decay_s=room_decay_s)
    amount_db = round(float(np.interp(room_decay_s, _DECAYS_S, _AMOUNTS_DB)), 1)
    return Processor("less-room").with_values(amount_db=amount_db, decay_s=round(room_decay_s, 2))


@numba.njit(cache=True, nogil=True)
def _lowered(power, left, floor, gains):  # type: ignore[no-untyped-def]
    n_frames, n_bins = power.shape
    smooth = np.zeros((n_frames, n_bins))
    clean = np.zeros(n_bins)
    weight = np.zeros(n_bins)
    for f in range(n_frames):
        for b in range(n_bins):
            before = smooth[f - 1, b] if f else 0.0
            smooth[f, b] = _SMOOTH * before + (1.0 - _SMOOTH) * power[f, b]
            # Room as it would have decayed from what sounded LATE_FRAMES ago.
            late = left[f] * smooth[f - LATE_FRAMES, b] if f >= LATE_FRAMES else 0.0
            if late <= 1e-20 or power[f, b] <= 1e-20:
                weight[b], clean[b] = 1.0, 1.0
                continue
            found = power[f, b] / late
            # Decision-directed ratio of speech to room: steady from frame to frame, so that it does not warble.
            ratio = _KEEP * clean[b] + (1.0 - _KEEP) * max(found - 1.0, 0.0)
            gain = ratio / (1.0 + ratio)
            clean[b] = gain * gain * found
            weight[b] = gain
        for b in range(n_bins):
            # Neighbours smooth what a single bin would do alone.
            low, high = weight[max(0, b - 1)], weight[min(n_bins - 1, b + 1)]
            gains[f, b] = max(floor[f], 0.25 * low + 0.5 * weight[b] + 0.25 * high)
