"""Loudness of a balance as its specification measures it.

Held to: tests/io/test_first_balance.py
"""

from collections.abc import Mapping

import numpy as np

from recitant_core.delivery.specification.model import Anchor, Spec
from recitant_core.measure.loudness import anchored_lufs, gating_block_powers, integrated_lufs
from recitant_core.units.arrays import FloatArray
from recitant_core.units.roles import Role


def anchor_lufs(stems: Mapping[Role, FloatArray], spec: Spec) -> float | None:
    """Loudness of a balance as its specification measures it, in LUFS; None where too little sounds.

    Args:
        stems: 10 ms K-weighted energies by role, float64 (hops,) each, of one length.
    """
    blocks = gating_block_powers(sum(stems.values(), np.zeros(max(map(len, stems.values()), default=0))))
    found = None
    speech = [energy for role, energy in stems.items() if role.is_speech]
    if spec.anchor is Anchor.DIALOGUE and speech:
        found = anchored_lufs(blocks, gating_block_powers(sum(speech[1:], speech[0])))
    found = found if found is not None else integrated_lufs(blocks)
    return found if found is not None and np.isfinite(found) else None
