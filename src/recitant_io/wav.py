"""Deliveries as WAV: whole numbers in, exactly those whole numbers in the file; RF64 where WAV would overflow."""

import os
import wave
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final, Protocol

import numba
import numpy as np
import soundfile

from recitant_core.dsp.quantise import Integers
from recitant_core.errors import StorageFull
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ
from recitant_io.conform import storage_errors

_WAV_LIMIT_BYTES: Final = 4_000_000_000
_FLOAT_BITS: Final = 32
_SUBTYPES: Final = {16: "PCM_16", 24: "PCM_24", 32: "FLOAT"}


class WavWriter(Protocol):
    """A WAV file being written."""

    def write_integers(self, values: Integers) -> None:
        """Append whole numbers, int32 (frames, channels), full scale 2^(bit_depth - 1)."""

    def write_float(self, audio: Audio) -> None:
        """Append float32 (frames, channels) to a file of 32 bit float."""


class _PlainWav:
    """Whole numbers of two or three bytes, packed here: what libsndfile does for each value by itself."""

    def __init__(self, file: wave.Wave_write) -> None:
        self._file = file

    def write_integers(self, values: Integers) -> None:
        n_bytes = self._file.getsampwidth()
        packed = np.empty(values.size * n_bytes, np.uint8)
        _pack(np.ascontiguousarray(values).reshape(-1), n_bytes, packed)
        with storage_errors():
            self._file.writeframesraw(packed.data)

    def write_float(self, audio: Audio) -> None:
        raise NotImplementedError(f"{len(audio)} frames of float for a file of whole numbers")


class _LargeWav:
    """Float, or more than the sizes of a WAV file can say."""

    def __init__(self, file: soundfile.SoundFile, bit_depth: int) -> None:
        self._file = file
        self._bit_depth = bit_depth

    def write_integers(self, values: Integers) -> None:
        with storage_errors():
            self._file.write(values << np.int32(32 - self._bit_depth))

    def write_float(self, audio: Audio) -> None:
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
        if is_large or bit_depth == _FLOAT_BITS or n_channels > 2:
            with (
                storage_errors(),
                soundfile.SoundFile(
                    os.fsencode(part),
                    "w",
                    RATE_HZ,
                    n_channels,
                    _SUBTYPES[bit_depth],
                    format="RF64" if is_large else "WAV",
                ) as file,
            ):
                yield _LargeWav(file, bit_depth)
        else:
            with storage_errors(), part.open("wb") as raw, wave.open(raw, "wb") as plain:
                plain.setparams((n_channels, bit_depth // 8, RATE_HZ, length_samples, "NONE", "not compressed"))
                yield _PlainWav(plain)
        part.replace(path)
    except soundfile.LibsndfileError as error:
        # libsndfile says only "system error" when a write fails, and that is a disk with no room left.
        raise StorageFull("storage_full") from error
    finally:
        part.unlink(missing_ok=True)


@numba.njit(cache=True, nogil=True)
def _pack(values, n_bytes, out):  # type: ignore[no-untyped-def]
    # Least byte first.
    if n_bytes == 2:
        for k in range(len(values)):
            out[2 * k] = values[k] & 255
            out[2 * k + 1] = (values[k] >> 8) & 255
        return
    for k in range(len(values)):
        out[3 * k] = values[k] & 255
        out[3 * k + 1] = (values[k] >> 8) & 255
        out[3 * k + 2] = (values[k] >> 16) & 255
