"""Sound brought to 48 kHz as it is read."""

from collections.abc import Iterator

import numpy as np
import soxr

from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ


def at_48k(blocks: Iterator[Audio], rate_hz: int, n_channels: int) -> Iterator[Audio]:
    """Blocks of a sound at 48 kHz, float32 (frames, channels), from blocks at its own rate."""
    if rate_hz == RATE_HZ:
        yield from blocks
        return
    stream = soxr.ResampleStream(rate_hz, RATE_HZ, n_channels, dtype="float32", quality="VHQ")
    last = np.zeros((0, n_channels), np.float32)
    for block in blocks:
        yield np.ascontiguousarray(stream.resample_chunk(block))
    yield np.ascontiguousarray(stream.resample_chunk(last, last=True))
