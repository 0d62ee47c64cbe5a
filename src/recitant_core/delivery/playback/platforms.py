"""What a platform does to a mix that it is given: small stand-ins, after common practice and after no platform by name.

Each works on the summary of a mix (peaks of 5 ms, energies of 10 ms) with the law of our own limiter.
Held to: tests/core/test_platforms.py
"""

from dataclasses import dataclass
from typing import Final

import numpy as np

from recitant_core.delivery.fitting.summary import MixSummary
from recitant_core.gain.limiter_steps import limited_energy, limiting_db
from recitant_core.measure.loudness import gating_block_powers, integrated_lufs
from recitant_core.measure.meter import Readings
from recitant_core.timeline.model import Master
from recitant_core.units.arrays import FloatArray
from recitant_core.units.level import factor_from_db


@dataclass(frozen=True)
class Platform:
    """Loudness normalisation of a platform."""

    name: str
    reference_lufs: float | None
    """To which mixes are turned; None where they are passed on as they come."""
    turns_up: bool
    """Whether quiet ones are turned up too."""
    ceiling_dbtp: float | None
    """Of its limiter; None where it has none."""


PLATFORMS: Final = (
    Platform("turns-down", -14.0, turns_up=False, ceiling_dbtp=None),
    Platform("turns-both", -14.0, turns_up=True, ceiling_dbtp=-1.0),
    Platform("broadcast", None, turns_up=False, ceiling_dbtp=-3.0),
)
"""Common practice: players of online video and music turn to about -14 LUFS; transmission limits once more."""


@dataclass(frozen=True)
class PlatformResult:
    """Loudness of a mix behind a platform's normalisation, and how it came about."""

    platform: str
    came_lufs: float | None
    """Of the mix as it reaches the platform; None for silence, and for what is shorter than a gating block."""
    heard_lufs: float | None
    turned_db: float
    most_reduction_db: float
    """Of the platform's limiter."""
    limited_share: float


def platform_results(summary: MixSummary, readings: Readings, master: Master) -> list[PlatformResult]:
    """Loudness of a mix behind each of PLATFORMS.

    Args:
        summary: of the mix as balanced.
        readings: of the same mix.
        master: with which it is handed over; Master() for the mix as balanced.
    """
    between_db = max(0.0, readings.true_peak_dbtp - readings.sample_peak_dbfs)
    with np.errstate(divide="ignore"):
        peaks_db = 20.0 * np.log10(summary.peaks) + between_db + master.gain_db
    energy = summary.energy * factor_from_db(master.gain_db) ** 2
    if master.ceiling_dbtp is not None:
        reduction_db = limiting_db(peaks_db, master.ceiling_dbtp)
        energy, peaks_db = limited_energy(energy, reduction_db), np.minimum(peaks_db, master.ceiling_dbtp)
    return [_result(platform, peaks_db, energy) for platform in PLATFORMS]


def _result(platform: Platform, peaks_db: FloatArray, energy: FloatArray) -> PlatformResult:
    now = _loudness(energy)
    if now is None:
        return PlatformResult(platform.name, None, None, 0.0, 0.0, 0.0)
    turned_db = 0.0 if platform.reference_lufs is None else platform.reference_lufs - now
    if not platform.turns_up:
        turned_db = min(0.0, turned_db)
    # A platform that raises a mix limits it at its own ceiling.
    reduction_db = np.zeros(len(peaks_db))
    if platform.ceiling_dbtp is not None:
        reduction_db = limiting_db(peaks_db + turned_db, platform.ceiling_dbtp)
    heard = _loudness(limited_energy(energy * factor_from_db(turned_db) ** 2, reduction_db))
    works = reduction_db > 0.05
    return PlatformResult(
        platform.name,
        now,
        heard,
        turned_db,
        float(reduction_db.max(initial=0.0)),
        float(works.mean()) if len(works) else 0.0,
    )


def _loudness(energy: FloatArray) -> float | None:
    found = integrated_lufs(gating_block_powers(energy))
    return found if found is not None and np.isfinite(found) else None
