"""A compressor keyed by another signal, at the control rate, that forgets exactly.

The key's level is read every 2.5 ms on the programme's own grid, its need for reduction held, released on a straight
line and smoothed by a running mean, all in whole numbers: so any stretch rendered alone has the bits of the whole.
Source of the static curve: D. Giannoulis, M. Massberg, J. Reiss, JAES 60(6), 2012 (hard knee).
Held to: tests/core/test_ducking_render.py
"""

from typing import Final

import numba
import numpy as np

from recitant_core.errors import RangeError
from recitant_core.gain.duck_rule import LiveKey
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ, SampleSpan

CONTROL_SAMPLES: Final = 120
LEVEL_BLOCKS: Final = 4  # 10 ms
STEPS_PER_DB: Final = 1 << 24
MOST_REDUCTION_DB: Final = 40.0


def before_samples(key: LiveKey) -> int:
    """Samples of the key before a stretch that its gain depends on."""
    blocks = _blocks(key.hold_ms) + _blocks(key.release_ms) + _blocks(key.attack_ms) + LEVEL_BLOCKS + 2
    return blocks * CONTROL_SAMPLES


def key_window(span: SampleSpan, key: LiveKey) -> SampleSpan:
    """The stretch of the key that a span's gain needs, on the control grid.

    Args:
        span: of the programme whose gain is wanted.
        key: whose attack, hold and release say how far back the gain reads.
    """
    first = (span.start_sample - before_samples(key)) // CONTROL_SAMPLES * CONTROL_SAMPLES
    last = -(-(span.end_sample + 2 * CONTROL_SAMPLES) // CONTROL_SAMPLES) * CONTROL_SAMPLES
    return SampleSpan(first, last - first)


def keyed_factors(key_audio: Audio, span: SampleSpan, key: LiveKey, floor_db: float) -> FloatArray:
    """The gain factor of each sample of a span, float64 (frames,).

    Args:
        key_audio: float32 (frames, 2) of key_window(span, key).
        floor_db: deepest gain allowed, negative.

    Raises:
        RangeError: the key is not of that window.
    """
    window = key_window(span, key)
    if len(key_audio) != window.length_samples:
        raise RangeError("key_window", expected=window.length_samples, found=len(key_audio))
    power = (key_audio.astype(np.float64) ** 2).sum(axis=1) / 2.0
    blocks = power.reshape(-1, CONTROL_SAMPLES).sum(axis=1)
    level_power = blocks.copy()
    for back in range(1, LEVEL_BLOCKS):
        level_power[back:] += blocks[:-back]
    gains_db = _gains_db(level_power / (LEVEL_BLOCKS * CONTROL_SAMPLES), key, floor_db, 1)
    factors = 10.0 ** (gains_db / 20.0)
    at = np.arange(span.start_sample - window.start_sample, span.end_sample - window.start_sample)
    block, share = at // CONTROL_SAMPLES, (at % CONTROL_SAMPLES) / CONTROL_SAMPLES
    between: FloatArray = factors[block] + (factors[block + 1] - factors[block]) * share
    return between


def keyed_hop_gains_db(key_energy: FloatArray, key: LiveKey, floor_db: float) -> FloatArray:
    """The gain of each 10 ms as the key's K-weighted energies foretell it, float64 (hops,).

    Args:
        key_energy: 10 ms energies of the speech that the key reads, float64 (hops,).
        floor_db: gain under which it never goes, negative.
    """
    return _gains_db(key_energy / (2.0 * RATE_HZ / 100), key, floor_db, LEVEL_BLOCKS)


def _gains_db(level_power: FloatArray, key: LiveKey, floor_db: float, blocks_per_step: int) -> FloatArray:
    with np.errstate(divide="ignore"):
        level_dbfs = 10.0 * np.log10(np.maximum(level_power, 1e-20))
    most_db = min(-floor_db, MOST_REDUCTION_DB)
    over_db = np.maximum(level_dbfs - key.threshold_dbfs, 0.0)
    need = np.round(np.minimum(over_db * (1.0 - 1.0 / key.ratio), most_db) * STEPS_PER_DB).astype(np.int64)
    hold = max(1, _blocks(key.hold_ms) // blocks_per_step)
    attack = max(1, _blocks(key.attack_ms) // blocks_per_step)
    release_blocks = max(1, _blocks(key.release_ms) // blocks_per_step)
    release = max(1, -(-round(most_db * STEPS_PER_DB) // release_blocks))
    gains_db: FloatArray = -_followed(need, hold, release, attack) / (STEPS_PER_DB * attack)
    return gains_db


def _blocks(time_ms: float) -> int:
    return max(1, round(time_ms * RATE_HZ / 1000 / CONTROL_SAMPLES))


@numba.njit(cache=True, nogil=True)
def _followed(need, hold, release, attack):  # type: ignore[no-untyped-def]
    n = len(need)
    held = np.zeros(n, np.int64)
    since = 0
    now = np.int64(0)
    # The highest need of the last `hold` steps, then a straight line down.
    top = np.zeros(n, np.int64)
    for i in range(n):
        best = np.int64(0)
        first = max(0, i - hold + 1)
        if i > 0 and top[i - 1] > need[i] and since >= first:
            best = top[i - 1]
        else:
            since = first
            for j in range(first, i + 1):
                if need[j] >= need[since]:
                    since = j
            best = need[since]
        top[i] = best
        now = max(best, now - release)
        held[i] = now
    out = np.zeros(n, np.int64)
    total = np.int64(0)
    for i in range(n):
        total += held[i]
        if i >= attack:
            total -= held[i - attack]
        out[i] = total
    return out.astype(np.float64)
