"""Sound files and the sound of movies, as float32 blocks at their own rate.

libsndfile first (exact, seekable), FFmpeg through PyAV for what it does not know.
"""

import struct
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import av
import numpy as np
import soundfile

from recitant_core.errors import UnreadableMedia
from recitant_core.units.arrays import Audio
from recitant_core.units.channels import MONO, ChannelLayout, layout_from_count
from recitant_io.media.containers import DAMAGED, open_container, open_sound_file

BLOCK_FRAMES: Final = 1 << 18
LEAST_RATE_HZ: Final = 4_000
MOST_RATE_HZ: Final = 768_000
MOST_S: Final = 12 * 3600
"""Of a recording that is taken in: a long day of an event; whatever is longer is a mistake or a trap."""
_UNKNOWN_SIZES: Final = (0, 0x7FFFFFFF, 0xFFFFFFFF)  # what writers put that could not go back to the header


@dataclass(frozen=True)
class MediaFacts:
    """Streams and lengths that a file states."""

    rate_hz: int
    layout: ChannelLayout
    length_frames: int | None
    """None where the container does not say."""
    is_seekable_pcm: bool
    coding: str
    announced_s: float | None
    """How long it says it is, in seconds, be it true or not; None where it says nothing."""


@contextmanager
def open_here(
    path: Path, sound_track: int = 0, channel: int | None = None
) -> "Iterator[tuple[MediaFacts, Iterator[Audio]]]":
    """The facts of a file and its blocks, float32 (frames, channels), finite; decoded in this process.

    Files of strangers go through confined.open_media.

    Args:
        path: of the file.
        sound_track: which one, where a container holds several.
        channel: one channel alone, counted from 0; all of them if None.

    Raises:
        UnreadableMedia: missing, empty, cut short, no sound inside, not decodable, too long, or samples that are no
            numbers.
        UnsupportedLayout: a number of channels without an agreed meaning.
    """
    _require_contents(path)
    file = open_sound_file(path)
    if file is None:
        with _open_container(path, sound_track, channel) as opened:
            yield opened
        return
    with file:
        _require_rate(path, file.samplerate)
        layout = _layout(path, file.channels, channel)
        is_pcm = file.format in ("WAV", "WAVEX", "RF64", "W64", "AIFF", "FLAC") and file.subtype.startswith(
            ("PCM", "FLOAT", "DOUBLE")
        )
        frames = file.frames if file.frames < 1 << 62 else None
        announced_s = None if frames is None else frames / file.samplerate
        _require_length(path, announced_s)
        facts = MediaFacts(file.samplerate, layout, frames, is_pcm, f"{file.format} {file.subtype}", announced_s)
        yield facts, _checked(path, _alone(_sound_blocks(path, file, facts), channel), file.samplerate)


def _layout(path: Path, n_channels: int, channel: int | None) -> ChannelLayout:
    if channel is None:
        return layout_from_count(n_channels)
    if not 0 <= channel < n_channels:
        raise UnreadableMedia("no_such_channel", file=path.name, channel=channel + 1, n_channels=n_channels)
    return MONO


def _alone(blocks: Iterator[Audio], channel: int | None) -> Iterator[Audio]:
    for block in blocks:
        yield block if channel is None else np.ascontiguousarray(block[:, channel : channel + 1])


def require_regular(path: Path) -> None:
    """Refuse what lies at a path and is no file: opening a pipe or a device may wait or go on without end.

    Raises:
        UnreadableMedia: a pipe, a device or a socket.
    """
    if path.exists() and not (path.is_file() or path.is_dir()):
        raise UnreadableMedia("not_a_file", file=path.name)


def _require_contents(path: Path) -> None:
    try:
        size = path.stat().st_size
        if path.is_dir():
            raise UnreadableMedia("is_a_folder", file=path.name)
        require_regular(path)
        with path.open("rb") as file:
            head = file.read(12)
            if size == 0:
                raise UnreadableMedia("empty_file", file=path.name)
            if head[:4] == b"RIFF" and head[8:] == b"WAVE":
                _require_whole_riff(path, file, size)
    except FileNotFoundError as error:
        raise UnreadableMedia("missing_file", file=path.name) from error
    except PermissionError as error:
        raise UnreadableMedia("not_allowed", file=path.name) from error


def _require_whole_riff(path: Path, file, size: int) -> None:  # type: ignore[no-untyped-def]
    while len(chunk := file.read(8)) == 8:
        name, length = chunk[:4], struct.unpack("<I", chunk[4:])[0]
        start = file.tell()
        if name == b"data":
            if length not in _UNKNOWN_SIZES and start + length > size:
                raise UnreadableMedia("cut_short", file=path.name, promised_bytes=length, found_bytes=size - start)
            return
        file.seek(start + length + length % 2)
    raise UnreadableMedia("no_audio", file=path.name)


def _require_rate(path: Path, rate_hz: int) -> None:
    if not LEAST_RATE_HZ <= rate_hz <= MOST_RATE_HZ:
        raise UnreadableMedia("odd_rate", file=path.name, rate_hz=rate_hz)


def _sound_blocks(path: Path, file: soundfile.SoundFile, facts: MediaFacts) -> Iterator[Audio]:
    read = 0
    try:
        while len(block := file.read(BLOCK_FRAMES, dtype="float32", always_2d=True)):
            read += len(block)
            yield block
    except soundfile.LibsndfileError as error:
        raise UnreadableMedia("damaged", file=path.name, at_s=read / facts.rate_hz) from error
    if facts.length_frames is not None and read < facts.length_frames and facts.is_seekable_pcm:
        raise UnreadableMedia("cut_short", file=path.name, promised_bytes=facts.length_frames, found_bytes=read)


def _require_length(path: Path, length_s: float | None) -> None:
    if length_s is not None and length_s > MOST_S:
        raise UnreadableMedia("too_long", file=path.name, hours=length_s / 3600, most_hours=MOST_S // 3600)


def _checked(path: Path, blocks: Iterator[Audio], rate_hz: int) -> Iterator[Audio]:
    read = 0
    for block in blocks:
        require_finite(block, path.name, read / rate_hz, rate_hz)
        read += len(block)
        _require_length(path, read / rate_hz)
        yield block


def require_finite(block: Audio, name: str, start_s: float, rate_hz: int) -> None:
    """Nothing, if every sample is a number of usable size.

    Raises:
        UnreadableMedia: NaN, infinite, or beyond +120 dBFS: not sound; with the time of the first such sample.
    """
    highest = float(np.abs(block).max(initial=0.0))
    if not highest <= 1e6:
        bad = ~(np.abs(block) <= 1e6).all(axis=1)
        raise UnreadableMedia("not_numbers", file=name, at_s=start_s + int(np.argmax(bad)) / rate_hz)


@contextmanager
def _open_container(
    path: Path, sound_track: int, channel: int | None
) -> "Iterator[tuple[MediaFacts, Iterator[Audio]]]":
    with ExitStack() as stack:
        file = stack.enter_context(path.open("rb"))
        container = stack.enter_context(open_container(file, path))
        if not container.streams.audio:
            raise UnreadableMedia("no_audio", file=path.name)
        stream = container.streams.audio[min(sound_track, len(container.streams.audio) - 1)]
        if stream.codec_context is None:
            raise UnreadableMedia("unknown_coding", file=path.name)
        rate_hz = stream.rate or 0
        _require_rate(path, rate_hz)
        layout = _layout(path, stream.channels, channel)
        announced_s = _announced_s(container, stream)
        _require_length(path, announced_s)
        coding = f"{container.format.name} {stream.codec_context.name}"
        facts = MediaFacts(rate_hz, layout, None, False, coding, announced_s)
        yield facts, _checked(path, _alone(_container_blocks(path, container, stream), channel), rate_hz)


def _announced_s(container: Any, stream: Any) -> float | None:
    of_stream = float(stream.duration * stream.time_base) if stream.duration else 0.0
    of_container = container.duration / av.time_base if container.duration else 0.0
    # A length that cannot be is none.
    return next((length_s for length_s in (of_stream, of_container) if length_s > 0.0), None)


def _container_blocks(path: Path, container, stream) -> Iterator[Audio]:  # type: ignore[no-untyped-def]
    to_float = av.AudioResampler(format="flt", layout=stream.layout, rate=stream.rate)
    pending: list[Audio] = []
    held = 0
    try:
        for frame in container.decode(stream):
            for piece in to_float.resample(frame):
                block = piece.to_ndarray().reshape(-1, stream.channels)
                pending.append(np.ascontiguousarray(block, dtype=np.float32))
                held += len(block)
            if held >= BLOCK_FRAMES:
                yield np.concatenate(pending)
                pending, held = [], 0
    except DAMAGED as error:
        raise UnreadableMedia("damaged", file=path.name, at_s=None) from error
    if pending:
        yield np.concatenate(pending)
