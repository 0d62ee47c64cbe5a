"""What a sound file says of itself to players: title, artist, album, year, comment, and a cover.

Held to: tests/io/test_labels.py
"""

import base64
import io
import struct
from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any, Final

import av
from av.stream import Disposition

from recitant_core.errors import PlanError

MOST_COVER_BYTES: Final = 4_000_000
_MOST_SIDE: Final = 4_000
_KINDS: Final = {
    b"\xff\xd8\xff": ("mjpeg", "jpeg_pipe", "image/jpeg"),
    b"\x89PNG\r\n\x1a\n": ("png", "png_pipe", "image/png"),
}
_FRONT_COVER: Final = 3  # of the picture types of ID3v2 and FLAC
TAGS: Final = ("title", "artist", "album", "date", "comment")
"""As FFmpeg names them; each container writes them in its own way."""


@dataclass(frozen=True)
class Cover:
    """A picture that players show, as its file has it."""

    data: bytes
    coding: str
    """Of FFmpeg: mjpeg or png."""
    media_type: str
    width: int
    height: int


@dataclass(frozen=True)
class Labels:
    """Tags of a file."""

    tags: Mapping[str, str] = field(default_factory=dict)
    """By name, of TAGS; empty ones are left out."""
    cover: Cover | None = None


def cover_from_bytes(data: bytes, name: str) -> Cover:
    """A cover from a JPEG or PNG file.

    Args:
        name: of the file, for sentences.

    Raises:
        PlanError: too large, or no such picture; ``field`` is "cover".
    """
    if len(data) > MOST_COVER_BYTES:
        raise PlanError("cover_too_large", field="cover", file=name, most_mb=MOST_COVER_BYTES // 1_000_000)
    known = next((kind for magic, kind in _KINDS.items() if data.startswith(magic)), None)
    if known is None:
        raise PlanError("not_a_cover", field="cover", file=name)
    coding, demuxer, media_type = known
    try:
        container: Any = av.open(io.BytesIO(data), format=demuxer)
        with container as file:
            stream = file.streams.video[0]
            width, height = stream.codec_context.width, stream.codec_context.height
            if not width or not height:
                raise PlanError("not_a_cover", field="cover", file=name)
            if max(width, height) > _MOST_SIDE:
                raise PlanError("cover_too_wide", field="cover", file=name, most=_MOST_SIDE)
            next(iter(file.decode(stream)))
    except (av.FFmpegError, IndexError, StopIteration) as error:
        raise PlanError("not_a_cover", field="cover", file=name) from error
    return Cover(data, coding, media_type, width, height)


def cover_from_file(path: Path) -> Cover:
    """A cover from a JPEG or PNG file.

    Raises:
        PlanError: not there, too large, or no such picture; ``field`` is "cover".
    """
    try:
        if path.exists() and not path.is_file():
            raise PlanError("not_a_cover", field="cover", file=path.name)
        with path.open("rb") as file:
            return cover_from_bytes(file.read(MOST_COVER_BYTES + 1), path.name)
    except OSError as error:
        raise PlanError("no_cover_file", field="cover", file=path.name) from error


def write_labels(file: Any, muxer: str, labels: Labels) -> "CoverTrack | None":
    """Tags into a container that is being written (PyAV), and room for its cover.

    Returns:
        what writes the cover once all streams are there; None where there is none, or it is a tag in this container.
    """
    file.metadata.update({name: text for name, text in labels.tags.items() if text})
    if labels.cover is None:
        return None
    if muxer == "ogg":
        file.metadata["METADATA_BLOCK_PICTURE"] = _flac_picture(labels.cover)
        return None
    return CoverTrack(file, labels.cover)


class CoverTrack:
    """A cover as containers hold it: a track of one picture."""

    def __init__(self, file: Any, cover: Cover) -> None:
        self._file = file
        self._cover = cover
        stream = file.add_stream(cover.coding, rate=1)
        stream.width, stream.height = cover.width, cover.height
        stream.pix_fmt = "yuvj420p" if cover.coding == "mjpeg" else "rgb24"
        stream.time_base = Fraction(1, 1_000)
        stream.disposition = Disposition.attached_pic
        self._stream = stream

    def write(self) -> None:
        """Write the picture, its bytes as they came."""
        packet: Any = av.Packet(self._cover.data)
        packet.stream, packet.time_base = self._stream, self._stream.time_base
        packet.pts = packet.dts = 0
        self._file.mux(packet)


def _flac_picture(cover: Cover) -> str:
    """The cover as a comment in Ogg: the picture block of FLAC (RFC 9639, 8.8) in base 64."""
    kind = cover.media_type.encode()
    head = struct.pack(">II", _FRONT_COVER, len(kind)) + kind + struct.pack(">I", 0)
    size = struct.pack(">IIIII", cover.width, cover.height, 24, 0, len(cover.data))
    return base64.b64encode(head + size + cover.data).decode("ascii")
