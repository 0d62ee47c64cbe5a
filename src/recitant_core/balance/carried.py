"""What carries the loudness of a balance: the share of each stem, of speech and of what else sounds on its tracks.

Held to: tests/core/test_carried.py
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from recitant_core.measure.clip_level import HALF_BLOCK, speaking_share
from recitant_core.measure.loudness import BoolArray, gated_blocks, gating_block_powers
from recitant_core.units.arrays import FloatArray
from recitant_core.units.roles import Role

SPEECH = "speech"
UNSPOKEN = "unspoken"
"""Whatever sounds on narration and dialogue tracks while nobody speaks."""


@dataclass(frozen=True)
class Carried:
    """Shares of what the integrated loudness counts, 0 to 1."""

    shares: dict[str, float]
    """Of its energy, by stem; of stems that are spoken on by SPEECH and UNSPOKEN."""
    speech_time_share: float
    """Of its time, in which somebody speaks."""


def carried(stems: Mapping[Role, FloatArray], is_speech: BoolArray) -> Carried:
    """Shares of energy and time in the gating blocks that count (BS.1770); none for silence.

    Args:
        stems: 10 ms energies of each stem with all its gains, float64 (hops,).
        is_speech: bool (hops,).
    """
    n = min((len(energy) for energy in stems.values()), default=0)
    blocks = gating_block_powers(sum((energy[:n] for energy in stems.values()), np.zeros(n)))
    counts = gated_blocks(blocks)
    if not counts.any():
        return Carried({}, 0.0)
    spoken = (speaking_share(is_speech[:n]) >= HALF_BLOCK)[: len(blocks)]
    shares: dict[str, float] = {}
    total = float(blocks[counts].sum())
    for role, energy in stems.items():
        own = gating_block_powers(energy[:n])
        parts = {SPEECH: counts & spoken, UNSPOKEN: counts & ~spoken} if role.is_speech else {role.value: counts}
        for name, mask in parts.items():
            shares[name] = shares.get(name, 0.0) + float(own[mask].sum()) / total
    return Carried(shares, float(spoken[counts].mean()))
