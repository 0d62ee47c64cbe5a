"""Compressed files: what each codec is asked for, written through FFmpeg, and read back as a player would.

Held to: tests/io/test_codecs.py
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any, Final

import av
import numpy as np

from recitant_core.delivery.orders.orders import Wanted, wanted_from_text
from recitant_core.errors import PlanError
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ
from recitant_io.media.containers import open_container
from recitant_io.media.decode import open_here
from recitant_io.media.labels import Labels, write_labels
from recitant_io.media.storage import storage_errors

_BLOCK_FRAMES: Final = 1 << 16


@dataclass(frozen=True)
class Codec:
    """Encoder of one kind of compressed file."""

    name: str
    label: str
    suffix: str
    encoder: str
    muxer: str
    sample_format: str
    bit_rates_kbps: tuple[int, ...]
    """That may be chosen; the first unless told. Empty for lossless ones."""
    options: Mapping[str, str] | None = None
    """For the muxer."""
    cover_muxer: str = ""
    """The muxer instead of the usual one for files with a cover; empty for the same."""
    holds_labels: bool = True
    holds_chapters: bool = False
    delay_samples: int = 0
    """By which every decoder gives the sound late: what the format has no field to declare."""

    @property
    def is_lossless(self) -> bool:
        """Whether what is read back is what was written."""
        return not self.bit_rates_kbps


CODECS: Final = {
    codec.name: codec
    for codec in (
        Codec("mp3", "MP3", ".mp3", "libmp3lame", "mp3", "fltp", (192, 128, 160, 256, 320, 96), holds_chapters=True),
        # At 48,000 parts a second the edit list says to the sample where the sound begins and ends.
        Codec(
            "m4a",
            "AAC",
            ".m4a",
            "aac",
            "ipod",
            "fltp",
            (256, 96, 128, 160, 192, 320),
            options={"movflags": "+faststart", "movie_timescale": "48000"},
            cover_muxer="mp4",  # writes the same file, and takes pictures
            holds_chapters=True,
        ),
        Codec("opus", "Opus", ".opus", "libopus", "ogg", "flt", (160, 64, 96, 128, 192, 256)),
        Codec(
            "ac3",
            "AC-3",
            ".ac3",
            "ac3",
            "ac3",
            "fltp",
            (384, 192, 224, 256, 320, 448, 640),
            holds_labels=False,
            delay_samples=256,
        ),
        Codec("flac", "FLAC", ".flac", "flac", "flac", "s32", ()),
    )
}


def codec_by_name(name: str) -> Codec:
    """The codec of this name.

    Raises:
        PlanError: there is none; carries the known names.
    """
    if name not in CODECS:
        raise PlanError("unknown_codec", field="files", found=name, known=", ".join(CODECS))
    return CODECS[name]


def checked_bit_rate(codec: Codec, bit_rate_kbps: int | None) -> int | None:
    """The bit rate that is asked for in kbit/s, or the codec's usual one; None for lossless codecs.

    Raises:
        PlanError: a bit rate that the codec does not offer.
    """
    rate_kbps = next(iter(codec.bit_rates_kbps), None) if bit_rate_kbps is None else bit_rate_kbps
    if rate_kbps is not None and rate_kbps not in codec.bit_rates_kbps:
        known = ", ".join(map(str, sorted(codec.bit_rates_kbps)))
        raise PlanError("no_such_bit_rate", field="files", codec=codec.label, found=rate_kbps, known=known)
    return rate_kbps


def wanted_files(text: str) -> Wanted:
    """Kinds of files from a list such as "mix,stems,mp3:128".

    Raises:
        PlanError: a word that names no file, or a bit rate that its codec does not offer; ``field`` is "files".
    """
    found = wanted_from_text(text, frozenset(CODECS))
    for name, bit_rate_kbps in found.codecs:
        checked_bit_rate(codec_by_name(name), bit_rate_kbps)
    return found


def encode(
    blocks: Iterable[Audio],
    path: Path,
    codec: Codec,
    n_channels: int,
    *,
    bit_rate_kbps: int | None = None,
    labels: Labels | None = None,
    chapters: Sequence[Any] = (),
) -> None:
    """A compressed file at 48 kHz that appears under its name when it is whole; removed if the work fails.

    Args:
        blocks: float32 (frames, channels) at 48 kHz, in order.
        n_channels: 1 or 2.
        bit_rate_kbps: one that the codec offers; its first if None.
        labels: tags and a cover, for containers that hold some.
        chapters: as containers.chapter_data makes them, for containers that hold some.

    Raises:
        StorageFull: no room left. PlanError: a bit rate that the codec does not offer.
    """
    rate_kbps = checked_bit_rate(codec, bit_rate_kbps)
    part = path.with_name(f".{path.name}.part")
    try:
        muxer, options = codec.muxer, dict(codec.options or {})
        if codec.cover_muxer and labels is not None and labels.cover is not None:
            muxer, options = codec.cover_muxer, options | {"brand": "M4A "}
        with storage_errors(), av.open(str(part), "w", format=muxer, options=options) as file:
            if chapters and codec.holds_chapters:
                file.set_chapters(list(chapters))
            stream = sound_stream(file, codec.encoder, codec.sample_format, rate_kbps, n_channels)
            cover = write_labels(file, muxer, labels) if labels is not None and codec.holds_labels else None
            if cover is not None:
                cover.write()
            for packet in _packets(stream, blocks, codec):
                file.mux(packet)
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)


def sound_stream(container: Any, encoder: str, sample_format: str, bit_rate_kbps: int | None, n_channels: int) -> Any:
    """A stream of mono or stereo sound at 48 kHz in a container that is being written (PyAV)."""
    stream = container.add_stream(encoder, rate=RATE_HZ, layout="mono" if n_channels == 1 else "stereo")
    stream.format = sample_format
    if bit_rate_kbps is not None:
        stream.bit_rate = bit_rate_kbps * 1_000
    return stream


def sound_frame(values: Any, at_sample: int, sample_format: str) -> Any:
    """A frame for such a stream (PyAV).

    Args:
        values: (frames, channels), of the type that the format holds.
        at_sample: of its first.
    """
    is_planar = sample_format.endswith("p")
    frame = av.AudioFrame.from_ndarray(
        np.ascontiguousarray(values.T if is_planar else values.reshape(1, -1)),
        format=sample_format,
        layout="mono" if values.shape[1] == 1 else "stereo",
    )
    frame.sample_rate, frame.pts, frame.time_base = RATE_HZ, at_sample, Fraction(1, RATE_HZ)
    return frame


def _packets(stream: Any, blocks: Iterable[Audio], codec: Codec) -> Iterator[Any]:
    at_sample = 0
    for block in blocks:
        for at in range(0, len(block), _BLOCK_FRAMES):
            part = block[at : at + _BLOCK_FRAMES]
            values = _at_top_of_32(part) if codec.sample_format == "s32" else part
            yield from stream.encode(sound_frame(values, at_sample, codec.sample_format))
            at_sample += len(part)
    yield from stream.encode(None)


def _at_top_of_32(audio: Audio) -> Any:
    """Audio in 24 bit, int32 with the sample in its upper bits, as FFmpeg's encoders of 24 bit take it."""
    whole = np.round(audio.astype(np.float64) * (1 << 23)).clip(-(1 << 23), (1 << 23) - 1)
    return whole.astype(np.int32) << 8


def round_trip(audio: Audio, codec: Codec, bit_rate_kbps: int) -> Audio:
    """Audio after a codec, in place with what went in, float32 of the same shape; nothing is written to disk.

    Args:
        audio: float32 (frames, channels) at 48 kHz; its first and last 4,096 frames are not those of a longer file.

    Raises:
        PlanError: a bit rate that the codec does not offer.
    """
    encoder: Any = av.CodecContext.create(codec.encoder, "w")
    encoder.sample_rate, encoder.format = RATE_HZ, codec.sample_format
    encoder.layout = "mono" if audio.shape[1] == 1 else "stereo"
    encoder.bit_rate = (checked_bit_rate(codec, bit_rate_kbps) or 0) * 1_000
    encoder.time_base = Fraction(1, RATE_HZ)
    encoder.open()
    packets = list(_packets(encoder, [audio], codec))
    decoder: Any = av.CodecContext.create(encoder.codec.canonical_name, "r")
    decoder.extradata = encoder.extradata
    frames = [frame for packet in [*packets, None] for frame in decoder.decode(packet)]
    heard = np.concatenate([frame.to_ndarray() for frame in frames], axis=1).T
    # The encoder's first packets hold what it needs to begin: its times say how much.
    first = -round(packets[0].pts * packets[0].time_base * RATE_HZ)
    out = np.zeros_like(audio)
    part = heard[first : first + len(audio)]
    out[: len(part)] = part
    return out


def decoded_blocks(path: Path) -> Iterator[Audio]:
    """A compressed file as it plays, float32 (frames, channels), without the priming and padding that it declares."""
    left = _declared_samples(path)
    with open_here(path) as (_facts, blocks):
        for block in blocks:
            part = block if left is None else block[:left]
            left = None if left is None else left - len(part)
            yield part


def _declared_samples(path: Path) -> int | None:
    """Length that an MP4 container gives its sound: decoders fill the last block of AAC with silence."""
    if path.suffix != ".m4a":
        return None
    with path.open("rb") as file, open_container(file, path) as container:
        stream = container.streams.audio[0]
        return None if stream.duration is None else round(stream.duration * stream.time_base * RATE_HZ)
