"""Energies of recordings in a band, kept beside the conformed recording once they were asked for."""

import uuid
from collections.abc import Callable, Mapping
from functools import cache
from pathlib import Path

import numpy as np

from recitant_core.dsp.bell import band_hop_energies
from recitant_core.ports import SampleSource
from recitant_core.units.arrays import FloatArray
from recitant_io.media.storage import storage_errors


def band_energies(sources: Mapping[str, SampleSource]) -> Callable[[str, float, float], FloatArray]:
    """Energies of any of these recordings in a band, kept while what is returned is; see following.BandEnergies."""

    @cache
    def found(key: str, centre_hz: float, width_octaves: float) -> FloatArray:
        return band_hop_energies(sources[key], centre_hz, width_octaves)

    return found


def stored_band_energy(folder: Path, source: SampleSource, centre_hz: float, width_octaves: float) -> FloatArray:
    """10 ms energies of a recording in a band, float64 (hops, 1); computed at the first call, a second an hour.

    Args:
        folder: of the conformed recording.

    Raises:
        StorageFull: no room to keep them.
    """
    path = folder / f"band-{centre_hz:g}-{width_octaves:g}.f64"
    if not path.exists():
        energy = band_hop_energies(source, centre_hz, width_octaves)
        part = path.with_name(f"{path.name}.{uuid.uuid4().hex}.part")
        with storage_errors():
            part.write_bytes(energy.tobytes())
            part.replace(path)
    return np.fromfile(path, dtype=np.float64)[:, None]
