"""10 ms energies of a whole recording."""

import numpy as np

from recitant_core.dsp.kweighting import KState, k_energies, k_pairs
from recitant_core.ports import SampleSource
from recitant_core.units.arrays import FloatArray
from recitant_core.units.channels import STEREO
from recitant_core.units.clock import RATE_HZ
from recitant_io.store.conform import in_stereo

_CHUNK = 60 * RATE_HZ


def source_hop_energies(source: SampleSource) -> FloatArray:
    """10 ms energies of a recording, read-only: float64 (hops, 3) of two channels, (hops, 1) of any other number."""
    is_pair = source.layout.n_channels == STEREO.n_channels
    state = KState.at_rest(STEREO if source.layout.n_channels > 1 else source.layout, RATE_HZ)
    parts = []
    for start in range(0, source.length_samples, _CHUNK):
        block = source.read(start, min(_CHUNK, source.length_samples - start))
        if is_pair:
            found, state = k_pairs(block, state)
        else:
            mono_or_two = block if source.layout.n_channels == 1 else in_stereo(block, source.layout)
            hops, state = k_energies(mono_or_two, state)
            found = hops[:, None]
        parts.append(found)
    energies = np.concatenate(parts)
    energies.flags.writeable = False
    return energies
