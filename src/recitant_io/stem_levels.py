"""10 ms energies of rendered stems, kept under the hash of what makes their sound; losing them loses time only."""

import uuid
from pathlib import Path
from typing import Final

import numpy as np

from recitant_core.timeline.model import Role
from recitant_core.units.arrays import FloatArray
from recitant_io.conform import storage_errors

MOST_KEPT: Final = 48


def keep_stem_levels(folder: Path, key: str, stems: dict[Role, FloatArray]) -> None:
    """Write the energies of every stem; the oldest of too many go.

    Raises:
        StorageFull: no room.
    """
    with storage_errors():
        folder.mkdir(parents=True, exist_ok=True)
        part = folder / f"{key}.{uuid.uuid4().hex}.part"
        with part.open("wb") as file:
            energies = {role.value: energy.astype(np.float32) for role, energy in stems.items()}
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
            return {Role(name): found[name].astype(np.float64) for name in found.files}
    except (OSError, ValueError):
        return None
