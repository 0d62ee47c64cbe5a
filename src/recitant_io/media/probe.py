"""What a file says about itself beside its sound: where it belongs in time, its sound tracks, its picture."""

import os
import struct
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from typing import Any, Final

import av
import wavinfo

from recitant_core.errors import UnreadableMedia
from recitant_core.units.timecode import FRAME_RATES
from recitant_io.media.containers import DAMAGED, open_container, picture_stream

_PACKETS_LOOKED_AT: Final = 1_500
_DS64_END: Final = 48  # of the fields of the ds64 chunk, which comes first
_RATE_TOLERANCE: Final = 0.002
_PLAYS_IN_BROWSER: Final = {
    "h264": ("yuv420p", "yuvj420p"),
    "vp8": ("yuv420p",),
    "vp9": ("yuv420p",),
    "av1": ("yuv420p",),
}


@dataclass(frozen=True)
class SoundTrack:
    """One of the sound tracks of a container."""

    index: int
    name: str
    coding: str
    n_channels: int
    rate_hz: int
    start_samples: int
    """Where it begins after the picture's first frame, at 48 kHz; negative when before it."""


@dataclass(frozen=True)
class PictureFacts:
    """The picture of a container."""

    frame_rate: str | None
    """A name of units.timecode; None where the rate is none of those."""
    rate_hz: float
    is_variable_rate: bool
    length_samples: int
    width: int
    height: int
    coding: str
    plays_in_browser: bool


@dataclass(frozen=True)
class Probe:
    """Facts that a file states."""

    time_reference_samples: int | None
    """Samples since midnight at the file's own rate, from a Broadcast Wave file."""
    time_reference_rate_hz: int | None
    start_tc: str | None
    """Timecode of the first frame, as the container carries it."""
    sound_tracks: tuple[SoundTrack, ...]
    picture: PictureFacts | None


def probe(path: Path) -> Probe:
    """Facts that a file states; empty for what is no container or carries none. Never raises for content."""
    reference = _time_reference(path)
    try:
        with path.open("rb") as file, open_container(file, path) as container:
            return _container(container, reference)
    except (UnreadableMedia, *DAMAGED, OSError, ValueError):
        return Probe(*reference, None, (), None)


def _time_reference(path: Path) -> tuple[int | None, int | None]:
    with path.open("rb") as file:
        head = file.read(_DS64_END)
    if head[:4] not in (b"RIFF", b"RF64", b"BW64") or head[8:12] != b"WAVE" or not _has_whole_table(head):
        return None, None
    try:
        info = wavinfo.WavInfoReader(os.fspath(path))
        if info.bext is None:
            return None, None
        return int(info.bext.time_reference), int(info.fmt.sample_rate)
    except Exception:
        return None, None


def _has_whole_table(head: bytes) -> bool:
    """Whether the table of long chunks of an RF64 file fits where it stands; readers believe it to billions of lines.

    Source: EBU Tech 3306, ds64 chunk: three lengths of eight bytes, the number of lines, lines of twelve bytes.
    """
    if head[12:16] != b"ds64" or len(head) < _DS64_END:
        return True
    chunk_bytes, n_lines = struct.unpack("<I24xI", head[16:_DS64_END])
    return bool(28 + 12 * n_lines <= chunk_bytes)


def _container(container: Any, reference: tuple[int | None, int | None]) -> Probe:
    video = picture_stream(container)
    origin_s = _start_s(video) if video is not None else 0.0
    tracks = tuple(
        SoundTrack(
            index,
            stream.metadata.get("title") or stream.metadata.get("handler_name", ""),
            *_coding(stream),
            round((_start_s(stream) - origin_s) * 48_000) if video is not None else 0,
        )
        for index, stream in enumerate(container.streams.audio)
    )
    timecode = container.metadata.get("timecode")
    for stream in container.streams:
        timecode = timecode or stream.metadata.get("timecode")
    return Probe(*reference, timecode, tracks, _picture(container, video) if video is not None else None)


def _coding(stream: Any) -> tuple[str, int, int]:
    # A stream that has no decoder here knows nothing of its sound.
    if stream.codec_context is None:
        return "unknown", 0, 0
    return stream.codec_context.name, stream.channels, stream.rate or 0


def _start_s(stream: Any) -> float:
    return float(stream.start_time * stream.time_base) if stream.start_time else 0.0


def _picture(container: Any, stream: Any) -> PictureFacts:
    rate = stream.average_rate or stream.guessed_rate or Fraction(25)
    length_s = (
        float(stream.duration * stream.time_base) if stream.duration else (container.duration or 0) / av.time_base
    )
    codec = stream.codec_context
    family = "mp4" if codec.name == "h264" else "webm"
    is_playable = codec.pix_fmt in _PLAYS_IN_BROWSER.get(codec.name, ()) and family in container.format.name.split(",")
    is_variable = _is_variable(container, stream)
    return PictureFacts(
        frame_rate_name(rate),
        float(rate),
        is_variable,
        round(length_s * 48_000),
        stream.width,
        stream.height,
        codec.name,
        is_playable and not is_variable,
    )


def frame_rate_name(rate: Fraction) -> str | None:
    """Name of the standard rate within 0.2 % that is nearest, counted without dropped numbers; None where none is."""
    named = {name: value for name, value in FRAME_RATES.items() if not name.endswith("df")}
    best = min(named, key=lambda name: abs(float(named[name]) / float(rate) - 1.0))
    # 29.97 and 30 lie 0.1 % apart, so the nearest is taken, and only within half of that beyond doubt.
    return best if abs(float(named[best]) / float(rate) - 1.0) < _RATE_TOLERANCE else None


def _is_variable(container: Any, stream: Any) -> bool:
    shown = sorted(
        packet.pts
        for packet, _ in zip(container.demux(stream), range(_PACKETS_LOOKED_AT), strict=False)
        if packet.pts is not None
    )
    steps = [b - a for a, b in pairwise(shown) if b > a]
    # The last frames looked at may still wait for others that are shown before them.
    steps = steps[: max(1, len(steps) - 8)]
    if len(steps) < 10:
        return False
    middle = sorted(steps)[len(steps) // 2]
    # Time bases round: a frame may be one tick off, or a few percent.
    odd = sum(bool(abs(step - middle) > max(1, 0.1 * middle)) for step in steps)
    return odd > 0.01 * len(steps)
