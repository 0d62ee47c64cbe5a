"""Sound tracks of a film while it is written beside its picture: encoded from a file, or packets copied as they are.

Held to: tests/io/test_film.py
"""

from collections.abc import Iterator
from contextlib import ExitStack
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any, Final, Protocol

import av
import numpy as np
import soundfile

from recitant_core.errors import PlanError
from recitant_core.units.clock import RATE_HZ
from recitant_io.formats.codecs import sound_frame, sound_stream
from recitant_io.media.containers import open_container

_BLOCK_SAMPLES: Final = RATE_HZ // 2
_AAC_FRAME_SAMPLES: Final = 1_024
_SILENT_PACKETS: Final = 4  # after which a packet of silence holds nothing of what came before


class FilmTrack(Protocol):
    """A sound track that is being written."""

    def write_until(self, at_s: Fraction) -> None:
        """Write sound up to a time of the picture."""

    def finish(self) -> None:
        """Write what is left, up to the picture's end."""


@dataclass(frozen=True)
class TrackForm:
    """Encoding of sound in a container."""

    encoder: str
    sample_format: str
    bit_rate_kbps: int | None
    """None for lossless sound."""


@dataclass(frozen=True)
class FilmSound:
    """Sound that is encoded for a film."""

    path: Path
    """A file at 48 kHz."""
    name: str = ""
    language: str = "und"
    """Three letters after ISO 639-2; "und" where it is not said."""
    begins_at_sample: int = 0
    """Of the file, where the programme begins."""


@dataclass(frozen=True)
class CopiedSound:
    """A sound track of a file whose packets are copied as they are."""

    path: Path
    stream: int = 0
    """Which of the file's sound tracks."""
    origin_s: Fraction | None = None
    """Time of the file at the picture's first frame; None for sound of the programme, which begins where it begins."""
    is_filled: bool = False
    """Whether AAC is filled with silence up to the picture's end."""
    name: str = ""
    language: str = "und"


def film_track(
    film: Any,
    form: TrackForm,
    sound: FilmSound | CopiedSound,
    offset_samples: int,
    length_samples: int,
    stack: ExitStack,
) -> FilmTrack:
    """A sound track under way.

    Args:
        film: the container that is written (PyAV).
        form: for sound that is encoded.
        offset_samples: where the picture's first frame lies in the programme.
        length_samples: of the picture.
        stack: closes what it reads.

    Raises:
        PlanError: packets to be copied that the container does not take.
    """
    if isinstance(sound, CopiedSound):
        return _CopiedTrack(film, sound, offset_samples, length_samples, stack)
    return _EncodedTrack(film, form, sound, offset_samples, length_samples, stack)


# QuickTime files have a list of languages of their own; FFmpeg finds these under other letters of ISO 639-2 only.
_QUICKTIME_LETTERS: Final = {
    **{"deu": "ger", "nld": "dut", "swe": "sve", "zho": "chi", "ell": "gre", "isl": "ice", "cym": "wel"},
    **{"fre": "fra", "cze": "ces", "rum": "ron"},
}


def _say(film: Any, stream: Any, name: str, language: str) -> None:
    is_quicktime = film.format.name == "mov"
    stream.metadata["language"] = _QUICKTIME_LETTERS.get(language, language) if is_quicktime else language
    if name:
        stream.metadata["title"] = stream.metadata["handler_name"] = name


class _EncodedTrack:
    """Sound of a file through an encoder. Implements FilmTrack."""

    def __init__(
        self, film: Any, form: TrackForm, sound: FilmSound, offset_samples: int, length_samples: int, stack: ExitStack
    ) -> None:
        self._film = film
        self._form = form
        self._file = stack.enter_context(soundfile.SoundFile(sound.path))
        self._stream = sound_stream(film, form.encoder, form.sample_format, form.bit_rate_kbps, self._file.channels)
        _say(film, self._stream, sound.name, sound.language)
        self._length = length_samples
        self._written = 0
        self._silent = max(0, -offset_samples)
        self._file.seek(min(max(0, offset_samples) + sound.begins_at_sample, self._file.frames))

    def write_until(self, at_s: Fraction) -> None:
        """Write sound up to a time of the picture."""
        while self._written < min(self._length, int(at_s * RATE_HZ)):
            audio = self._next(min(_BLOCK_SAMPLES, self._length - self._written))
            frame = sound_frame(audio, self._written, self._form.sample_format)
            self._written += len(audio)
            self._film.mux(self._stream.encode(frame))

    def finish(self) -> None:
        """Write what is left, up to the picture's end."""
        self.write_until(Fraction(self._length, RATE_HZ))
        self._film.mux(self._stream.encode(None))

    def _next(self, n: int) -> Any:
        dtype = "int32" if self._form.sample_format == "s32" else "float32"
        out = np.zeros((n, self._file.channels), dtype)
        n_silent = min(n, self._silent)
        self._silent -= n_silent
        read = self._file.read(n - n_silent, dtype=dtype, always_2d=True)
        out[n_silent : n_silent + len(read)] = read
        return out


class _CopiedTrack:
    """Packets of a file. Implements FilmTrack."""

    def __init__(
        self, film: Any, sound: CopiedSound, offset_samples: int, length_samples: int, stack: ExitStack
    ) -> None:
        self._film = film
        file = stack.enter_context(sound.path.open("rb"))
        container = stack.enter_context(open_container(file, sound.path))
        self._source = container.streams.audio[sound.stream]
        try:
            self._stream = film.add_stream_from_template(self._source)
        except ValueError as error:
            coding = self._source.codec_context.name
            raise PlanError("sound_not_for_form", field="film", coding=coding, form=film.format.name) from error
        self._stream.time_base = self._source.time_base
        own = self._source.metadata
        _say(film, self._stream, own.get("title") or sound.name, own.get("language", sound.language))
        origin_s = Fraction(offset_samples, RATE_HZ) if sound.origin_s is None else sound.origin_s
        self._origin = round(origin_s / self._source.time_base)
        self._end = round(Fraction(length_samples, RATE_HZ) / self._source.time_base)
        self._is_filled = sound.is_filled
        self._packets = self._cut(container)
        self._waiting = next(self._packets, None)

    def write_until(self, at_s: Fraction) -> None:
        """Write sound up to a time of the picture."""
        end = at_s / self._source.time_base
        while self._waiting is not None and self._waiting.pts < end:
            self._film.mux(self._waiting)
            self._waiting = next(self._packets, None)

    def finish(self) -> None:
        """Write what is left, up to the picture's end."""
        self.write_until(Fraction(self._end + 1) * self._source.time_base)

    def _cut(self, container: Any) -> Iterator[Any]:
        before, at = None, 0
        for packet in container.demux(self._source):
            if not packet.size or packet.pts is None:
                continue
            packet.pts, packet.dts = packet.pts - self._origin, packet.pts - self._origin
            packet.stream = self._stream
            length = packet.duration or 0
            if packet.pts < 0 and packet.pts + length <= 0:
                # A decoder needs the one before the first that sounds.
                before = packet
                continue
            if packet.pts >= self._end:
                return
            if before is not None:
                yield before
                before = None
            if self._is_filled:
                # The last one of a file says how much of it belongs to the programme: here all of it sounds.
                length = _AAC_FRAME_SAMPLES
            at = packet.pts + length
            if length:
                packet.duration = min(length, self._end - packet.pts)
            yield packet
        if self._is_filled:
            yield from self._silence(at)

    def _silence(self, at: int) -> Iterator[Any]:
        silent = _silent_aac(self._source) if at < self._end else b""
        while at < self._end:
            packet: Any = av.Packet(silent)
            packet.time_base = self._source.time_base
            packet.pts = packet.dts = at
            packet.duration = min(_AAC_FRAME_SAMPLES, self._end - at)
            packet.stream = self._stream
            yield packet
            at += _AAC_FRAME_SAMPLES


def _silent_aac(like: Any) -> bytes:
    """A packet of silence that goes on after packets of an AAC stream (PyAV)."""
    encoder: Any = av.CodecContext.create("aac", "w")
    encoder.sample_rate, encoder.format, encoder.layout = RATE_HZ, "fltp", like.layout
    encoder.time_base = Fraction(1, RATE_HZ)
    packets: list[Any] = []
    for index in range(_SILENT_PACKETS):
        values = np.zeros((_AAC_FRAME_SAMPLES, like.channels), np.float32)
        packets += encoder.encode(sound_frame(values, index * _AAC_FRAME_SAMPLES, "fltp"))
    return bytes(packets[-1])
