"""Deliveries as WAV: whole numbers in, exactly those whole numbers in the file; RF64 where WAV would overflow."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

import numpy as np
import soundfile

from recitant_core.dsp.quantise import Integers
from recitant_core.errors import StorageFull
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ
from recitant_io.conform import storage_errors

_WAV_LIMIT_BYTES: Final = 4_000_000_000
_SUBTYPES: Final = {16: "PCM_16", 24: "PCM_24", 32: "FLOAT"}


class WavWriter:
    """A WAV file being written."""

    def __init__(self, file: soundfile.SoundFile, bit_depth: int) -> None:
        self._file = file
        self._bit_depth = bit_depth

    def write_integers(self, values: Integers) -> None:
        """Append whole numbers, int32 (frames, channels), full scale 2^(bit_depth - 1)."""
        with storage_errors():
            self._file.write(values << np.int32(32 - self._bit_depth))

    def write_float(self, audio: Audio) -> None:
        """Append float32 (frames, channels) to a file of 32 bit float."""
        with storage_errors():
            self._file.write(audio)


@contextmanager
def wav_writer(path: Path, n_channels: int, bit_depth: int, length_samples: int) -> Iterator[WavWriter]:
    """A file at 48 kHz that appears under its name when it is whole; removed if the work fails.

    Args:
        path: where it shall stand.
        n_channels: of every block.
        bit_depth: 16 or 24 (whole numbers), 32 (float).
        length_samples: how long it will be, to choose between WAV and RF64.

    Raises:
        StorageFull: no room left.
    """
    part = path.with_name(f".{path.name}.part")
    is_large = length_samples * n_channels * bit_depth // 8 > _WAV_LIMIT_BYTES
    try:
        with (
            storage_errors(),
            soundfile.SoundFile(
                os.fsencode(part), "w", RATE_HZ, n_channels, _SUBTYPES[bit_depth], format="RF64" if is_large else "WAV"
            ) as file,
        ):
            yield WavWriter(file, bit_depth)
        part.replace(path)
    except soundfile.LibsndfileError as error:
        # libsndfile says only "system error" when a write fails, and that is a disk with no room left.
        raise StorageFull("storage_full") from error
    finally:
        part.unlink(missing_ok=True)
