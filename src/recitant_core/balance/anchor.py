"""Loudness of a balance as its specification measures it, and plans with their stems moved.

Held to: tests/io/test_first_balance.py
"""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from recitant_core.delivery.spec import Anchor, Spec
from recitant_core.measure.loudness import anchored_lufs, gating_block_powers, integrated_lufs
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Plan, Role
from recitant_core.units.arrays import FloatArray


def with_stems_moved(plan: Plan, dialogue_db: float, others_db: float) -> Plan:
    gains = dict(plan.stem_gains_db)
    for role in plan.roles:
        by = dialogue_db if role is Role.DIALOGUE else others_db
        gains[role] = round(min(max(plan.stem_gain_db(role) + by, LEAST_GAIN_DB), MOST_GAIN_DB), 2)
    return replace(plan, stem_gains_db=gains)


def anchor_lufs(stems: Mapping[Role, FloatArray], spec: Spec) -> float | None:
    blocks = gating_block_powers(sum(stems.values(), np.zeros(max(map(len, stems.values()), default=0))))
    found = None
    if spec.anchor is Anchor.DIALOGUE and Role.DIALOGUE in stems:
        found = anchored_lufs(blocks, gating_block_powers(stems[Role.DIALOGUE]))
    found = found if found is not None else integrated_lufs(blocks)
    return found if found is not None and np.isfinite(found) else None
