"""WAV files as broadcasters exchange them: sound, a `bext` chunk, iXML, and RF64 where 4 GiB are too few.

Source: EBU Tech 3285 (Broadcast Wave Format, version 2 with loudness), EBU Tech 3306 (RF64), iXML 2.10; fields and
sizes from memory, held against the readers wavinfo, FFmpeg and libsndfile.
Held to: tests/io/test_riff.py
"""

import struct
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Final
from unicodedata import combining, normalize
from xml.etree.ElementTree import Element, SubElement, tostring

import numba
import numpy as np

from recitant_core.dsp.quantise import Integers
from recitant_core.measure.meter import Readings
from recitant_core.units.arrays import Audio
from recitant_core.units.timecode import frame_rate
from recitant_io.media.storage import storage_errors

FLOAT_BITS: Final = 32
MOST_RIFF_BYTES: Final = (1 << 32) - (1 << 16)  # sizes are 32 bit; room for the chunks that describe
_PCM, _IEEE_FLOAT, _EXTENSIBLE = 1, 3, 0xFFFE
_SUBFORMAT_TAIL: Final = bytes.fromhex("000000001000800000aa00389b71")
_SPEAKERS: Final = {1: 0x4, 2: 0x3, 3: 0x7, 4: 0x33, 5: 0x37, 6: 0x3F}
"""WAVEFORMATEXTENSIBLE channel masks."""
_NO_LOUDNESS: Final = 0x7FFF  # Tech 3285: the value is not known
_ORIGINATOR: Final = "Recitant"


@dataclass(frozen=True)
class Description:
    """Description that a file carries."""

    title: str = ""
    project: str = ""
    reference: str = ""
    """Names this file among all others of its originator, up to 32 letters."""
    made_at: datetime | None = None
    starts_at: int = 0
    """First sample of the file since midnight, at the file's rate."""
    frame_rate: str = "25"
    """A key of timecode.FRAME_RATES."""
    channel_names: tuple[str, ...] = ()
    coding_history: str = field(default="", repr=False)
    """A line for each coding, after EBU R 98."""


class RiffWriter:
    """A WAV or RF64 file whose length is known, being written to an open file."""

    def __init__(
        self,
        path: Path,
        rate_hz: int,
        n_channels: int,
        bit_depth: int,
        n_frames: int,
        description: Description | None = None,
    ) -> None:
        """Writes everything before the sound.

        Args:
            bit_depth: 16 or 24 (whole numbers), 32 (float).
            n_frames: that will be written.
            description: none for a file that only sounds.
        """
        self._bit_depth = bit_depth
        self._expected = self._missing = n_frames
        n_data = n_frames * n_channels * bit_depth // 8
        self._pad = n_data % 2
        chunks = [b"WAVE"]
        is_large = n_data > MOST_RIFF_BYTES
        if is_large:
            chunks.append(bytes(8 + 28))  # ds64, filled in below
        self._bext_at: int | None = None
        if description is not None:
            self._bext_at = 8 + sum(map(len, chunks))
            chunks.append(_chunk(b"bext", _bext(description)))
            chunks.append(_chunk(b"iXML", _ixml(description, rate_hz, n_channels, bit_depth)))
        chunks.append(_chunk(b"fmt ", _format(rate_hz, n_channels, bit_depth)))
        if bit_depth == FLOAT_BITS:
            chunks.append(_chunk(b"fact", struct.pack("<I", min(n_frames, 0xFFFFFFFF))))
        n_riff = sum(map(len, chunks)) + 8 + n_data + self._pad
        if is_large:
            chunks[1] = _chunk(b"ds64", struct.pack("<QQQI", n_riff, n_data, n_frames, 0))
        sizes = (0xFFFFFFFF, 0xFFFFFFFF) if is_large else (n_riff, n_data)
        with storage_errors():
            self._file = path.open("wb")
            self._file.write((b"RF64" if is_large else b"RIFF") + struct.pack("<I", sizes[0]))
            self._file.write(b"".join(chunks) + b"data" + struct.pack("<I", sizes[1]))

    def write_integers(self, values: Integers) -> None:
        """Append whole numbers, int32 (frames, channels), full scale 2^(bit_depth - 1)."""
        n_bytes = self._bit_depth // 8
        packed = np.empty(values.size * n_bytes, np.uint8)
        _pack(np.ascontiguousarray(values).reshape(-1), n_bytes, packed)
        self._write(packed.data, len(values))

    def write_float(self, audio: Audio) -> None:
        """Append float32 (frames, channels)."""
        self._write(np.ascontiguousarray(audio, "<f4").reshape(-1).view(np.uint8).data, len(audio))

    def _write(self, data: memoryview, n_frames: int) -> None:
        self._missing -= n_frames
        with storage_errors():
            self._file.write(data)

    def measured(self, readings: Readings) -> None:
        """Put the loudness of the sound into the description."""
        if self._bext_at is not None:
            with storage_errors():
                end = self._file.tell()
                self._file.seek(self._bext_at + 8 + 412)
                self._file.write(struct.pack("<5h", *_loudness(readings)))
                self._file.seek(end)

    def close(self) -> None:
        """End the file.

        Raises:
            ValueError: more or fewer frames than were announced.
        """
        with storage_errors():
            self._file.write(bytes(self._pad))
            self._file.close()
        if self._missing:
            raise ValueError(f"{self._expected - self._missing} frames for a file of {self._expected}")

    def abandon(self) -> None:
        """Leave the file as it stands."""
        self._file.close()


def _chunk(name: bytes, data: bytes) -> bytes:
    # Chunks that describe have an even length of their own: some readers of RF64 do not skip the padding.
    return name + struct.pack("<I", len(data)) + data + bytes(len(data) % 2)


def _format(rate_hz: int, n_channels: int, bit_depth: int) -> bytes:
    tag = _IEEE_FLOAT if bit_depth == FLOAT_BITS else _PCM
    frame = n_channels * bit_depth // 8
    rest = struct.pack("<HIIHH", n_channels, rate_hz, rate_hz * frame, frame, bit_depth)
    if n_channels <= 2:
        # Float has a size of what is said besides, which is nothing.
        return struct.pack("<H", tag) + rest + (b"\0\0" if tag == _IEEE_FLOAT else b"")
    more = struct.pack("<HHIH", 22, bit_depth, _SPEAKERS.get(n_channels, 0), tag)
    return struct.pack("<H", _EXTENSIBLE) + rest + more + _SUBFORMAT_TAIL


def _bext(found: Description) -> bytes:
    made_at = found.made_at
    history = found.coding_history.encode("ascii", "replace")
    return (
        _text(found.title, 256)
        + _text(_ORIGINATOR, 32)
        + _text(found.reference, 32)
        + _text(made_at.strftime("%Y-%m-%d") if made_at else "", 10)
        + _text(made_at.strftime("%H:%M:%S") if made_at else "", 8)
        + struct.pack("<QH", found.starts_at, 2)
        + bytes(64)
        + struct.pack("<5h", *[_NO_LOUDNESS] * 5)
        + bytes(180)
        + history
        + bytes(len(history) % 2)
    )


def _text(text: str, n_bytes: int) -> bytes:
    # Tech 3285: ASCII. Letters lose their accents, and what is left over becomes a question mark.
    plain = "".join(c for c in normalize("NFKD", text) if not combining(c))
    return plain.encode("ascii", "replace")[:n_bytes].ljust(n_bytes, b"\0")


def _loudness(found: Readings) -> list[int]:
    values = (
        found.integrated_lufs,
        found.range_lu,
        found.true_peak_dbtp,
        found.max_momentary_lufs,
        found.max_short_term_lufs,
    )
    return [_hundredths(value) for value in values]


def _hundredths(value: float | None) -> int:
    # Tech 3285: values outside of -99.99 to 99.99 are not known.
    return _NO_LOUDNESS if value is None or not abs(value) < 99.995 else round(100.0 * value)


def _ixml(found: Description, rate_hz: int, n_channels: int, bit_depth: int) -> bytes:
    root = Element("BWFXML")
    rate = frame_rate(found.frame_rate)
    _put(root, "IXML_VERSION", "2.10")
    _put(root, "PROJECT", found.project)
    _put(root, "NOTE", found.title)
    speed = SubElement(root, "SPEED")
    for name, value in (
        ("MASTER_SPEED", f"{rate.numerator}/{rate.denominator}"),
        ("CURRENT_SPEED", f"{rate.numerator}/{rate.denominator}"),
        ("TIMECODE_RATE", f"{rate.numerator}/{rate.denominator}"),
        ("TIMECODE_FLAG", "DF" if found.frame_rate.endswith("df") else "NDF"),
        ("FILE_SAMPLE_RATE", rate_hz),
        ("AUDIO_BIT_DEPTH", bit_depth),
        ("DIGITIZER_SAMPLE_RATE", rate_hz),
        ("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI", found.starts_at >> 32),
        ("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO", found.starts_at & 0xFFFFFFFF),
        ("TIMESTAMP_SAMPLE_RATE", rate_hz),
    ):
        _put(speed, name, str(value))
    tracks = SubElement(root, "TRACK_LIST")
    _put(tracks, "TRACK_COUNT", str(n_channels))
    for index in range(n_channels):
        track = SubElement(tracks, "TRACK")
        _put(track, "CHANNEL_INDEX", str(index + 1))
        _put(track, "INTERLEAVE_INDEX", str(index + 1))
        _put(track, "NAME", found.channel_names[index] if index < len(found.channel_names) else "")
    text: bytes = b'<?xml version="1.0" encoding="UTF-8"?>\n' + tostring(root, "utf-8")
    return text + b"\n" * (len(text) % 2)


def _put(parent: Element, name: str, text: str) -> None:
    # XML has no place for control characters.
    SubElement(parent, name).text = "".join(c for c in text if c.isprintable())


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
