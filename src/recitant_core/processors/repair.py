"""Clicks and thumps: short events that stand out from what is around them, and the repair from there.

Held to: tests/core/test_repair_and_space.py
"""

import math
from typing import Final

import numpy as np

from recitant_core.processors.dynamics import Watch
from recitant_core.processors.dynamics_kernels import CONTROL_SAMPLES
from recitant_core.processors.model import Processor, samples_of_ms
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ

_CLICK_PIECE: Final = 24  # 0.5 ms
_AROUND_PIECES: Final = 40  # 20 ms to either side
_THUMP_PIECE: Final = 480  # 10 ms
_THUMP_AROUND: Final = 30  # 0.3 s to either side
_LONGEST_THUMP: Final = 18  # 180 ms
_LOW_HZ: Final = 70.0
_LOW_TAPS: Final = 4_095
_HIGH_TAPS: Final = 63
_FAINTEST: Final = 1e-9  # -90 dBFS: nothing under it is worth a repair
REACH_SAMPLES: Final = 2 * _THUMP_PIECE * (_THUMP_AROUND + _LONGEST_THUMP) + _LOW_TAPS + RATE_HZ // 20


def repaired(processor: Processor, audio: Audio, watch: Watch | None = None) -> Audio:
    """Audio with its short events taken out; float32 (frames, channels). What is a click is decided for all channels.

    Args:
        watch: told -60 dB where something was repaired.
    """
    out = audio.astype(np.float64)
    what = processor.value("what")
    touched = np.zeros(len(audio), bool)
    if what in ("both", "clicks"):
        for begin, end in clicks_in(audio, processor.number("over_db"), processor.number("longest_ms")):
            _bridge(out, begin, end)
            touched[begin:end] = True
    if what in ("both", "thumps"):
        low = _low_part(audio)
        for begin, end in _thumps(low, processor.number("over_db")):
            share = np.zeros(len(audio))
            _open(share, begin, end)
            out -= low * share[:, None]
            touched[begin:end] = True
    if watch is not None:
        steps = np.pad(touched, (0, -len(touched) % CONTROL_SAMPLES)).reshape(-1, CONTROL_SAMPLES).any(axis=1)
        watch(np.where(steps, -60.0, 0.0))
    return out.astype(np.float32)


def clicks_in(audio: Audio, over_db: float, longest_ms: float) -> list[tuple[int, int]]:
    """Clicks, each as first sample and the sample behind the last: bursts at the top, far over the 20 ms around.

    Args:
        audio: float32 (frames, channels).
    """
    from scipy.signal import firwin, oaconvolve  # it takes longer to load than all else, and few chains need it

    kernel = firwin(_HIGH_TAPS, 3_000.0, fs=RATE_HZ, pass_zero=False)
    high = oaconvolve(audio.astype(np.float64), kernel[:, None], mode="same", axes=0)
    longest = max(1, samples_of_ms(longest_ms) // _CLICK_PIECE)
    runs = _standing_out((high**2).sum(axis=1), _CLICK_PIECE, _AROUND_PIECES, over_db, longest)
    margin = samples_of_ms(0.5)
    return [(max(0, a - margin), min(len(audio), b + margin)) for a, b in runs]


def _low_part(audio: Audio) -> FloatArray:
    from scipy.signal import firwin, oaconvolve

    kernel = firwin(_LOW_TAPS, _LOW_HZ, fs=RATE_HZ)
    found: FloatArray = oaconvolve(audio.astype(np.float64), kernel[:, None], mode="same", axes=0)
    return found


def _thumps(low: FloatArray, over_db: float) -> list[tuple[int, int]]:
    runs = _standing_out((low**2).sum(axis=1), _THUMP_PIECE, _THUMP_AROUND, over_db, _LONGEST_THUMP)
    return [(max(0, a - _THUMP_PIECE), min(len(low), b + _THUMP_PIECE)) for a, b in runs]


def _standing_out(power: FloatArray, piece: int, around: int, over_db: float, longest: int) -> list[tuple[int, int]]:
    """Runs of at most ``longest`` pieces whose power lies ``over_db`` over the mean on both sides."""
    n = len(power) // piece
    if n < 3:
        return []
    pieces = power[: n * piece].reshape(n, piece).mean(axis=1)
    over = 10.0 ** (over_db / 10.0)
    sums = np.concatenate([[0.0], np.cumsum(pieces)])

    def mean(first: int, last: int) -> float:
        first, last = max(0, first), min(n, last)
        return float(sums[last] - sums[first]) / (last - first) if last > first else math.inf

    found = []
    k = 0
    loud = pieces > _FAINTEST
    while k < n:
        if not loud[k] or pieces[k] <= over * mean(k - around, k):
            k += 1
            continue
        # From its first piece on as long as it stays over what was before.
        base = max(mean(k - around, k), _FAINTEST / over)
        end = k + 1
        while end < n and end - k <= longest and pieces[end] > base * math.sqrt(over):
            end += 1
        after = mean(end, end + around)
        if end - k <= longest and float(pieces[k:end].max()) > over * max(after, _FAINTEST / over):
            found.append((k * piece, end * piece))
        k = end
    return found


def _bridge(audio: FloatArray, begin: int, end: int) -> None:
    """Put the surroundings, mirrored at either edge, in the place of a stretch, cross-faded from one to the other."""
    length = end - begin
    before, after = audio[max(0, begin - length) : begin][::-1], audio[end : end + length][::-1]
    if len(before) < length or len(after) < length:
        return
    share = 0.5 - 0.5 * np.cos(np.pi * (np.arange(length) + 0.5) / length)
    audio[begin:end] = before * (1.0 - share)[:, None] + after * share[:, None]


def _open(share: FloatArray, begin: int, end: int) -> None:
    edge = min(_THUMP_PIECE, (end - begin) // 2)
    share[begin:end] = 1.0
    rise = 0.5 - 0.5 * np.cos(np.pi * (np.arange(edge) + 0.5) / edge)
    share[begin : begin + edge] = rise
    share[end - edge : end] = rise[::-1]
