"""Scenes of a stem: stretches of ten seconds and more in which it keeps its level, cut where the material changes.

Source of the method: least squares with a penalty a cut, found exactly by dynamic programming (B. Jackson et al. 2005).
Held to: tests/core/test_scenes.py
"""

from itertools import pairwise
from typing import Final

import numpy as np

from recitant_core.measure.loudness import BoolArray
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOPS_PER_SECOND, RATE_HZ

LEAST_SCENE_S: Final = 10
_BLOCK_HOPS: Final = HOPS_PER_SECOND
_PENALTY_DB2: Final = 300.0  # five dB for fifteen seconds are worth a cut
_USUAL_STEP_DB: Final = 3.0  # from second to second; a stem that moves more needs more to be cut
_SILENT_UNDER_DB: Final = 30.0
_SNAP_BLOCKS: Final = 3


def scenes(energy: FloatArray) -> list[tuple[int, int]]:
    """First hop and the one behind the last of every scene, in order; one where nothing changes.

    Args:
        energy: float64 (hops,), 10 ms energies of a stem.
    """
    n_blocks = -(-len(energy) // _BLOCK_HOPS)
    if n_blocks < 2 * LEAST_SCENE_S:
        return [(0, len(energy))]
    padded = np.concatenate([energy, np.zeros(n_blocks * _BLOCK_HOPS - len(energy))])
    power = padded.reshape(n_blocks, _BLOCK_HOPS).sum(axis=1) / (RATE_HZ / HOPS_PER_SECOND * _BLOCK_HOPS)
    loud = float(np.quantile(power, 0.95))
    if loud <= 0.0:
        return [(0, len(energy))]
    sounds = power > loud * 10.0 ** (-_SILENT_UNDER_DB / 10.0)
    level_db = np.where(sounds, 10.0 * np.log10(np.maximum(power, 1e-30)), 0.0)
    cuts = [_in_gap(cut, sounds) for cut in _cuts(level_db, sounds.astype(np.float64))]
    edges = [0, *(cut * _BLOCK_HOPS for cut in dict.fromkeys(cuts)), len(energy)]
    return list(pairwise(edges))


def _cuts(level_db: FloatArray, weight: FloatArray) -> list[int]:
    n = len(level_db)
    heard = level_db[weight > 0.0]
    step_db = float(np.median(np.abs(np.diff(heard)))) if len(heard) > 1 else 0.0
    # Where levels jump about anyway, a new scene has to be worth more.
    penalty = _PENALTY_DB2 * max(1.0, (step_db / _USUAL_STEP_DB) ** 2)
    sums = [np.concatenate([[0.0], np.cumsum(part)]) for part in (weight, weight * level_db, weight * level_db**2)]
    # Least cost of scenes up to each second, by dynamic programming; a scene costs its spread and the penalty.
    best = np.full(n + 1, np.inf)
    best[0] = -penalty
    before = np.zeros(n + 1, dtype=np.int64)
    for end in range(LEAST_SCENE_S, n + 1):
        begin = np.arange(0, end - LEAST_SCENE_S + 1)
        count, first, second = (total[end] - total[begin] for total in sums)
        cost = best[begin] + penalty + second - first * first / np.maximum(count, 1e-9)
        found = int(np.argmin(cost))
        best[end], before[end] = cost[found], found
    cuts = []
    end = n
    while before[end] > 0:
        end = int(before[end])
        cuts.append(end)
    return cuts[::-1]


def _in_gap(cut: int, sounds: BoolArray) -> int:
    # The nearest silence takes the change, where there is one close by.
    near = [at for at in range(cut - _SNAP_BLOCKS, cut + _SNAP_BLOCKS + 1) if 0 < at < len(sounds) and not sounds[at]]
    return min(near, key=lambda at: abs(at - cut)) if near else cut
