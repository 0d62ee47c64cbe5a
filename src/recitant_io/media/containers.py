"""Files that may be read: fixed lists of formats, and nothing in them may open another file or address.

And chapters, as containers that are written take them.
"""

import os
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any, BinaryIO, Final, NoReturn

import av
import soundfile

from recitant_core.delivery.orders.chapters import Chapter
from recitant_core.errors import UnreadableMedia
from recitant_core.units.clock import RATE_HZ

# Names of FFmpeg's demuxers. Left out on purpose: whatever lists other files or addresses (hls, dash, concat, sdp,
# imf, image sequences), devices, scripts and subtitles. "mov" keeps its external references off by itself.
_DEMUXERS: Final = (
    "aac", "ac3", "aiff", "amr", "ape", "asf", "au", "avi", "caf", "dts", "dtshd", "dv", "eac3", "flac", "flv", "gxf",
    "matroska", "mov", "mp3", "mpeg", "mpegts", "mxf", "nut", "ogg", "rm", "tak", "truehd", "tta", "w64", "wav", "wv",
)  # fmt: skip
# Names of libsndfile's formats; SD2 is left out because it reads a neighbour of the file.
_SOUND_FILE_FORMATS: Final = ("AIFF", "AU", "CAF", "FLAC", "MP3", "OGG", "RF64", "W64", "WAV", "WAVEX")

DAMAGED: Final = (av.FFmpegError, IndexError)
"""What PyAV raises at a damaged container; the latter for a stream that comes up in the middle."""


def open_container(file: BinaryIO, path: Path) -> Any:
    """A container that is open for reading (PyAV), to be closed by its context.

    Args:
        file: open at its start; nothing else is ever opened.
        path: whose name stands in errors.

    Raises:
        UnreadableMedia: damaged, no container, or none of those that may be read.
    """

    def refuse(url: str, _flags: int, _options: dict[str, str]) -> NoReturn:
        raise PermissionError(f"a container asked for {url!r}")

    whitelist = {"format_whitelist": ",".join(_DEMUXERS), "protocol_whitelist": "none"}
    try:
        return av.open(file, mode="r", options=whitelist, io_open=refuse)
    except (av.FFmpegError, OSError, ValueError) as error:
        raise UnreadableMedia("not_media", file=path.name) from error


def picture_stream(container: Any) -> Any:
    """The first stream of pictures (PyAV) that is no cover and has a decoder here; None where there is none."""
    pictures = [one for one in container.streams.video if not one.disposition & av.stream.Disposition.attached_pic]
    return next((one for one in pictures if one.codec_context is not None), None)


def open_sound_file(path: Path) -> soundfile.SoundFile | None:
    """A file that libsndfile reads, to be closed by its context; None where it is none of its formats.

    By descriptor: libsndfile then judges by content alone and cannot look for files beside it.
    """
    descriptor = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    try:
        file = soundfile.SoundFile(descriptor, closefd=True)
    except soundfile.LibsndfileError:
        return None  # it has closed the descriptor
    if file.format in _SOUND_FILE_FORMATS:
        return file
    file.close()
    return None


def chapter_data(chapters: Sequence[Chapter], offset_samples: int, length_samples: int) -> Any:
    """Chapters as a container that is being written takes them (PyAV).

    Args:
        chapters: of a programme, in order.
        offset_samples: where the container's first sample lies in the programme.
        length_samples: of the container; chapters behind its end are left out.
    """
    inside = [one for one in chapters if one.at_sample - offset_samples < length_samples]
    starts = [max(0, one.at_sample - offset_samples) for one in inside]
    ends = [*starts[1:], length_samples][: len(starts)]
    return [
        {"id": index, "start": start, "end": end, "time_base": Fraction(1, RATE_HZ), "metadata": {"title": one.title}}
        for index, (one, start, end) in enumerate(zip(inside, starts, ends, strict=True))
    ]
