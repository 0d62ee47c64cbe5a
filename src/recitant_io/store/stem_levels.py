"""Energies of rendered stems and the summary of their mix, kept under the hash of what makes their sound; losing them
loses time only."""

import uuid
from pathlib import Path
from typing import Final

import numpy as np

from recitant_core.delivery.fitting.summary import MixSummary
from recitant_core.units.arrays import FloatArray
from recitant_core.units.roles import Role
from recitant_io.media.storage import storage_errors

MOST_KEPT: Final = 48


_SUMMARY: Final = ("mix-peaks", "mix-energy", "speech-blocks")


def keep_stem_levels(folder: Path, key: str, stems: dict[Role, FloatArray], summary: MixSummary) -> None:
    """Write the energies of every stem and the summary of the mix; the oldest of too many go.

    Raises:
        StorageFull: no room.
    """
    with storage_errors():
        folder.mkdir(parents=True, exist_ok=True)
        part = folder / f"{key}.{uuid.uuid4().hex}.part"
        with part.open("wb") as file:
            energies = {role.value: energy.astype(np.float32) for role, energy in stems.items()}
            parts = (summary.peaks, summary.energy, summary.speech_blocks)
            energies |= {name: part.astype(np.float32) for name, part in zip(_SUMMARY, parts, strict=True)}
            np.savez(file, allow_pickle=False, **energies)
        part.replace(folder / f"{key}.npz")
        kept = sorted(folder.glob("*.npz"), key=lambda path: path.stat().st_mtime)
        for old in kept[:-MOST_KEPT]:
            old.unlink(missing_ok=True)


def stem_levels(folder: Path, key: str) -> dict[Role, FloatArray] | None:
    """The energies of every stem, float64 (hops,) each; None where they are not kept."""
    path = folder / f"{key}.npz"
    try:
        with np.load(path) as found:
            return {Role(name): found[name].astype(np.float64) for name in found.files if name not in _SUMMARY}
    except (OSError, ValueError):
        return None


def kept_summary(folder: Path, key: str) -> MixSummary | None:
    """The summary of a mix; None where it is not kept."""
    try:
        with np.load(folder / f"{key}.npz") as found:
            return MixSummary(*(found[name].astype(np.float64) for name in _SUMMARY))
    except (OSError, ValueError, KeyError):
        return None
