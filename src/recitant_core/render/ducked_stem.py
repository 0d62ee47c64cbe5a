"""A stem or track under speech while the depths of its runs are being found, and the powers they are found from.

Held to: tests/core/test_two_levels.py
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

import numpy as np

from recitant_core.measure.clearance import BoolArray
from recitant_core.timeline.model import Duck
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, SampleSpan
from recitant_core.units.roles import Role

BAND_WINS: Final = 0.75
"""Share of a bell's depth by which the power in its band falls."""


@dataclass
class DuckedStem:
    """One duck while the depths of its runs are being found."""

    duck: Duck
    role: Role
    power: FloatArray
    """Momentary power of what gives way, float64 (hops,)."""
    energy: FloatArray
    distance_lu: float
    """That its loud moments keep from the words."""
    runs: list[SampleSpan]
    depths_db: list[float] = field(default_factory=list)
    rooms_db: list[float] = field(default_factory=list)
    """Depth in the band of each run, 0 or more."""
    _left: FloatArray = field(default_factory=lambda: np.zeros(0))
    _left_in_band: FloatArray = field(default_factory=lambda: np.zeros(0))

    @property
    def most_db(self) -> float:
        """The deepest that its rule lets it go."""
        return -self.duck.rule.floor_db

    def hops(self, run: SampleSpan) -> slice:
        """Hops of a run."""
        return slice(run.start_sample // HOP_SAMPLES, -(-run.end_sample // HOP_SAMPLES))

    def reset(self) -> None:
        """No depth anywhere."""
        self.depths_db = [0.0] * len(self.runs)
        self.rooms_db = [0.0] * len(self.runs)
        self._left = np.empty_like(self.power)
        self._left_in_band = np.empty_like(self.power)

    def begin(self, hops: slice) -> None:
        """Depths of runs in these hops are to be found."""
        self._left[hops] = 1.0
        self._left_in_band[hops] = 1.0

    def deepen(self, index: int, depth_db: float) -> None:
        """Another depth for a run."""
        self.depths_db[index] = depth_db
        self._left[self.hops(self.runs[index])] = 10.0 ** (-depth_db / 10.0)

    def make_room(self, index: int, room_db: float) -> None:
        """Another depth in the band for a run."""
        self.rooms_db[index] = room_db
        self._left_in_band[self.hops(self.runs[index])] = 10.0 ** (-BAND_WINS * room_db / 10.0)

    def lowered(self, hops: slice) -> FloatArray:
        """Momentary power with its depths, float64 (hops of the slice,)."""
        return self.power[hops] * self._left[hops]

    def lowered_in(self, band: "Band", hops: slice) -> FloatArray:
        """Momentary power in a band with its depths and its room, float64 (hops of the slice,)."""
        return band.powers[self.duck.duck_id][hops] * self._left[hops] * self._left_in_band[hops]


@dataclass(frozen=True)
class Words:
    """Powers of what is to be understood, float64 (hops,) each."""

    around: FloatArray
    """Of the words around each hop."""
    counted: BoolArray
    """Hops whose words set a depth, bool (hops,)."""
    window: FloatArray
    """Of the speech in the 400 ms around each hop, 0 where that does not count."""


@dataclass(frozen=True)
class Band:
    """Powers in the band in which room can be made, float64 (hops,) each."""

    window: FloatArray
    """Of the speech in the 400 ms around each hop, 0 where that does not count."""
    fixed: FloatArray
    """Momentary, of what gives no way."""
    powers: Mapping[str, FloatArray]
    """Momentary, of what each duck lowers, by its id, before it does."""
