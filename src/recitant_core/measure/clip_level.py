"""Loudness of one clip: the only definition that pages, advice, evening out and the first balance use.

A clip in which somebody speaks is measured over its speech, without its outliers; any other over all of it.
A gating block (BS.1770: 400 ms) counts as speech where at least half of it lies in speech.
Held to: tests/core/test_clip_level.py
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from recitant_core.measure.loudness import (
    BLOCK_HOPS,
    BLOCK_STEP_HOPS,
    SHORT_TERM_HOPS,
    BoolArray,
    gating_block_powers,
    integrated_lufs,
    range_lu,
    window_powers,
)
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, HOPS_PER_SECOND, SampleSpan
from recitant_core.units.level import SILENCE, lufs_from_power

HALF_BLOCK: Final = 0.5
_MOMENT_HOPS: Final = 40
_SHORT_PAUSE_HOPS: Final = 12
_OUTLIER_LU: Final = 9.0
_OUTLIER_MOST_HOPS: Final = 45


@dataclass(frozen=True)
class ClipLevel:
    """Levels of a clip with the gains that its energies hold; LUFS and LU, None where it cannot be measured."""

    level_lufs: float | None
    """Over its speech where it has some, else integrated; None for silence."""
    short_term_lufs: float | None
    """Highest."""
    range_lu: float | None
    noise_lufs: float | None
    """Of the quietest moments without speech."""
    outliers: tuple[SampleSpan, ...]
    """Bursts in speech that are left out of the level, counted from the clip's start."""

    def raised(self, by_db: float) -> "ClipLevel":
        """The same clip with more gain: every level moves by so many dB, its range stays."""

        def up(level: float | None) -> float | None:
            return None if level is None else level + by_db

        return replace(
            self,
            level_lufs=up(self.level_lufs),
            short_term_lufs=up(self.short_term_lufs),
            noise_lufs=up(self.noise_lufs),
        )


UNMEASURED: Final = ClipLevel(None, None, None, None, ())


def clip_level(energy: FloatArray, is_speech: BoolArray, left_out: Sequence[SampleSpan] = ()) -> ClipLevel:
    """Levels of a clip.

    Args:
        energy: float64 (hops,), 10 ms K-weighted energies with the gains that count.
        is_speech: bool (hops,); all False where the clip has no speech that counts.
        left_out: stretches that are not measured, counted from the clip's start; may lie outside of it.
    """
    energy = energy.copy()
    has_speech = bool(is_speech.any())
    counted = is_speech.copy() if has_speech else np.ones(len(energy), bool)
    for span in left_out:
        energy[_hops(span)], counted[_hops(span)] = 0.0, False
    # Without speech there is no telling an outlier from the sound itself: a door slam is its clip.
    bursts = outliers(energy, counted) if has_speech else []
    for first, last in bursts:
        energy[first:last], counted[first:last] = 0.0, False
    short = window_powers(energy, min(SHORT_TERM_HOPS, max(1, len(energy))), 10) if len(energy) else np.zeros(0)
    return ClipLevel(
        _counted_lufs(energy, counted),
        lufs_from_power(float(short.max())) if len(short) and short.max() > 0 else None,
        range_lu(window_powers(energy, SHORT_TERM_HOPS, 10)) if len(energy) >= SHORT_TERM_HOPS + 100 else None,
        _noise_lufs(energy, is_speech),
        tuple(SampleSpan(a * HOP_SAMPLES, (b - a) * HOP_SAMPLES) for a, b in bursts),
    )


def speaking_share(is_speech: BoolArray) -> FloatArray:
    """Share of each gating block that lies in speech, float64 (blocks,), 0 to 1.

    Args:
        is_speech: bool (hops of 10 ms,); less than a block of 400 ms gives no share.
    """
    if len(is_speech) < BLOCK_HOPS:
        return np.zeros(0)
    share: FloatArray = np.lib.stride_tricks.sliding_window_view(is_speech, BLOCK_HOPS)[::BLOCK_STEP_HOPS].mean(axis=1)
    return share


def spoken_blocks(block_power: FloatArray, is_speech: BoolArray) -> FloatArray:
    """Powers of the gating blocks of which speech fills at least half, 0 for the others; float64 (blocks,).

    Args:
        block_power: float64 (blocks,), of dialogue.
        is_speech: bool (hops,), where speech was detected.
    """
    inside = speaking_share(is_speech) >= HALF_BLOCK
    n = min(len(inside), len(block_power))
    found = np.zeros(len(block_power))
    found[:n] = np.where(inside[:n], block_power[:n], 0.0)
    return found


def _hops(span: SampleSpan) -> slice:
    first = max(0, span.start_sample // HOP_SAMPLES)
    return slice(first, max(first, -(-span.end_sample // HOP_SAMPLES)))


def _counted_lufs(energy: FloatArray, counted: BoolArray) -> float | None:
    if not counted.any():
        return None
    # A block's power is that of what counts in it alone: what sounds between the words is not in it.
    share = speaking_share(counted)
    inside = share >= HALF_BLOCK
    if inside.any():
        found = integrated_lufs(gating_block_powers(energy * counted)[inside] / share[inside])
    else:
        found = lufs_from_power(float(energy[counted].sum()) / (int(counted.sum()) * HOP_SAMPLES))
    return None if found is None or found == SILENCE else found


def outliers(energy: FloatArray, is_speech: BoolArray) -> list[tuple[int, int]]:
    """Bursts of up to 0.45 s far above the loudest twentieth of the speech of a clip, as first hop and the next one.

    Silence around the speech changes nothing: it is measured against speech alone.

    Args:
        energy: float64 (hops,), 10 ms energies.
        is_speech: bool (hops,).
    """
    if len(energy) < 2 * HOPS_PER_SECOND or not is_speech.any():
        return []
    power = energy / HOP_SAMPLES
    loud = float(np.quantile(power[is_speech], 0.95))
    if loud <= 0.0:
        return []
    over = power > loud * 10.0 ** (_OUTLIER_LU / 10.0)
    edges = np.flatnonzero(np.diff(np.concatenate([[False], over, [False]]).astype(np.int8)))
    found = []
    for first, last in zip(edges[::2], edges[1::2], strict=True):
        if last - first <= _OUTLIER_MOST_HOPS:
            # Its decay goes with it.
            end = int(last)
            while end < len(power) and end - first < _OUTLIER_MOST_HOPS and power[end] > loud:
                end += 1
            found.append((max(0, int(first) - 1), end))
    return found


def _noise_lufs(energy: FloatArray, is_speech: BoolArray) -> float | None:
    talk = np.concatenate([[0], np.cumsum(is_speech)])
    # Moments where nobody speaks; short ones where there are no longer ones; none of them, no floor.
    for window, step in ((_MOMENT_HOPS, 10), (_SHORT_PAUSE_HOPS, 5)):
        moments = window_powers(energy, min(window, max(1, len(energy))), step) if len(energy) else np.zeros(0)
        starts = np.arange(len(moments)) * step
        last = np.minimum(starts + window, len(energy))
        free = moments[(talk[last] - talk[starts]) == 0]
        # Digital silence at an edge is no noise floor.
        free = free[free > 1e-12]
        if len(free) >= 3:
            return lufs_from_power(float(np.quantile(free, 0.2)))
    return None
