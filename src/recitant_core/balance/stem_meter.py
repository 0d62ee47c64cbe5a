"""Energies of the stems of a plan as they are rendered.

Held to: tests/core/test_ducking_update.py
"""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from recitant_core.dsp.kweighting import KState, k_energies
from recitant_core.render.laid import Sources
from recitant_core.render.mix import mixed_segments
from recitant_core.timeline.model import Plan
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role


class StemMeter:
    """10 ms energies of every stem, while its segments pass by."""

    def __init__(self, plan: Plan) -> None:
        self._states = {role: KState.at_rest(plan.layout, RATE_HZ) for role in plan.roles}
        self._parts: dict[Role, list[FloatArray]] = {role: [] for role in plan.roles}

    def feed(self, stems: Mapping[Role, Audio]) -> None:
        """Count one more stretch of all stems, float32 (frames, channels) each, of one length."""
        for role, stem in stems.items():
            energy, self._states[role] = k_energies(stem, self._states[role])
            self._parts[role].append(energy)

    def energies(self) -> dict[Role, FloatArray]:
        """Of each stem, float64 (hops,)."""
        return {role: np.concatenate(found) for role, found in self._parts.items()}


def exact_energies(plan: Plan, sources: Sources) -> dict[Role, FloatArray]:
    """10 ms energies of every stem as it is rendered, before the master's processors; float64 (hops,) each.

    Args:
        plan: rendered once, as a whole.
        sources: of its clips, by key.
    """
    meter = StemMeter(plan)
    for segment in mixed_segments(replace(plan, master_chain=()), sources):
        meter.feed(segment.stems)
    return meter.energies()
