"""Uncompressed files of a delivery: WAV, AIFF or FLAC, at 48 or 44.1 kHz, whole or as a pair, with leader and tail.

Whole numbers in are exactly those whole numbers in the file.
Held to: tests/io/test_sound_file.py
"""

import os
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final, Protocol, TypeVar
from zlib import crc32

import numpy as np
import soundfile
import soxr

from recitant_core.delivery.specification.form import TONE_HZ, USUAL_FORM, Channels, Form, Leader
from recitant_core.dsp.quantise import Integers, quantise
from recitant_core.errors import PlanError, StorageFull
from recitant_core.measure.meter import Readings
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ, samples_from_s
from recitant_core.units.level import factor_from_db
from recitant_io.formats.riff import FLOAT_BITS, Description, RiffWriter
from recitant_io.media.resample import at_48k
from recitant_io.media.storage import storage_errors

SUFFIXES: Final = {"wav": ".wav", "aiff": ".aif", "flac": ".flac"}
SIDES: Final = ("L", "R")
_SUBTYPES: Final = {16: "PCM_16", 24: "PCM_24", FLOAT_BITS: "FLOAT"}
_MOST_AIFF_BYTES: Final = (1 << 32) - (1 << 16)
_BLOCK_FRAMES: Final = 1 << 16
_Samples = TypeVar("_Samples", Audio, Integers)


class _Container(Protocol):
    """One file being written."""

    def write_integers(self, values: Integers) -> None: ...

    def write_float(self, audio: Audio) -> None: ...

    def measured(self, readings: Readings) -> None: ...

    def close(self) -> None: ...

    def abandon(self) -> None: ...


class _Libsndfile:
    """AIFF or FLAC, which libsndfile writes."""

    def __init__(self, path: Path, container: str, rate_hz: int, n_channels: int, bit_depth: int) -> None:
        self._bit_depth = bit_depth
        with _room():
            self._file = soundfile.SoundFile(
                os.fsencode(path), "w", rate_hz, n_channels, _SUBTYPES[bit_depth], format=container.upper()
            )

    def write_integers(self, values: Integers) -> None:
        with _room():
            self._file.write(values << np.int32(32 - self._bit_depth))

    def write_float(self, audio: Audio) -> None:
        with _room():
            self._file.write(audio)

    def measured(self, readings: Readings) -> None:
        """Neither has a place for loudness."""

    def close(self) -> None:
        with _room():
            self._file.close()

    def abandon(self) -> None:
        self.close()


@contextmanager
def _room() -> Iterator[None]:
    try:
        with storage_errors():
            yield
    except soundfile.LibsndfileError as error:
        # libsndfile says only "system error" when a write fails, and that is a disk with no room left.
        raise StorageFull("storage_full") from error


@dataclass(frozen=True)
class SoundFileForm:
    """Layout of one uncompressed file."""

    n_channels: int
    bit_depth: int
    """16 or 24 (whole numbers), 32 (float)."""
    length_samples: int
    """Of the programme, at 48 kHz."""
    form: Form = USUAL_FORM
    description: Description | None = None

    @property
    def container(self) -> str:
        """Float is always WAV: FLAC has none, and AIFF's is another format."""
        return "wav" if self.bit_depth == FLOAT_BITS else self.form.container

    @property
    def full_scale(self) -> float:
        """The highest sample that it can hold; for float that which players can."""
        return 1.0 if self.bit_depth == FLOAT_BITS else 1.0 - 2.0 ** (1 - self.bit_depth)

    @property
    def leader_frames(self) -> int:
        """Before the programme, at the file's rate."""
        return _frames(self.form.leader_s, self.form.rate_hz)

    @property
    def programme_frames(self) -> int:
        """Of the programme, at the file's rate."""
        return -(-self.length_samples * self.form.rate_hz // RATE_HZ)

    @property
    def n_frames(self) -> int:
        """Of the whole file."""
        return self.leader_frames + self.programme_frames + _frames(self.form.tail_s, self.form.rate_hz)

    def paths(self, path: Path) -> tuple[Path, ...]:
        """The file, or the pair that it becomes."""
        if self.form.channels is not Channels.TWO_MONO or self.n_channels != len(SIDES):
            return (path,)
        return tuple(path.with_name(f"{path.stem}-{side}{path.suffix}") for side in SIDES)


class SoundWriter:
    """An uncompressed file, or a pair, being written."""

    def __init__(self, files: Sequence[_Container], shape: SoundFileForm) -> None:
        self._files = files
        self._shape = shape
        self._n_programme = 0
        self.checksum = 0
        """CRC-32 of the samples of the programme as they went into the file."""
        rate_hz = shape.form.rate_hz
        self._resampler = (
            None
            if rate_hz == RATE_HZ
            else soxr.ResampleStream(RATE_HZ, rate_hz, shape.n_channels, dtype="float32", quality="VHQ")
        )

    def write_integers(self, values: Integers) -> None:
        """Append whole numbers, int32 (frames, channels), full scale 2^(bit_depth - 1), to a file at 48 kHz."""
        self._n_programme += len(values)
        self.checksum = crc32(np.ascontiguousarray(values).data, self.checksum)
        self._put_integers(values)

    def write_audio(self, audio: Audio, dither: int = 0) -> None:
        """Append float32 (frames, channels) at 48 kHz, dithered where the file holds whole numbers.

        Args:
            dither: another noise for each file whose noise must not add up with the others'.
        """
        if self._resampler is not None:
            audio = self._resampler.resample_chunk(np.ascontiguousarray(audio))
        self._put_audio(audio, dither)

    def measured(self, readings: Readings) -> None:
        """Put the loudness of the sound into the file, where it has a place for it."""
        for file in self._files:
            file.measured(readings)

    def begin(self) -> None:
        """Write what stands before the programme."""
        form, n = self._shape.form, self._shape.leader_frames
        if form.leader is Leader.SILENCE:
            self._put_silence(n)
            return
        for start in range(0, n, _BLOCK_FRAMES):
            places = np.arange(start, min(n, start + _BLOCK_FRAMES))
            wave = factor_from_db(form.tone_dbfs) * np.sin(2.0 * np.pi * TONE_HZ * places / form.rate_hz)
            audio = np.repeat(wave.astype(np.float32)[:, None], self._shape.n_channels, axis=1)
            self._put(audio, start)

    def end(self) -> None:
        """Write what is left of the programme, and what stands behind it."""
        if self._resampler is not None:
            last = np.zeros((0, self._shape.n_channels), np.float32)
            self._put_audio(self._resampler.resample_chunk(last, last=True), 0)
        shape = self._shape
        self._put_silence(shape.n_frames - shape.leader_frames - self._n_programme)

    def _put_audio(self, audio: Audio, dither: int) -> None:
        audio = np.ascontiguousarray(audio[: self._shape.programme_frames - self._n_programme])
        if self._shape.bit_depth == FLOAT_BITS:
            self._n_programme += len(audio)
            self.checksum = crc32(audio.data, self.checksum)
            self._put(audio, 0)
        else:
            self.write_integers(quantise(audio, self._shape.bit_depth, self._n_programme + dither))

    def _put(self, audio: Audio, at: int) -> None:
        if self._shape.bit_depth == FLOAT_BITS:
            for file, part in zip(self._files, self._sides(audio), strict=True):
                file.write_float(part)
        else:
            self._put_integers(quantise(np.ascontiguousarray(audio), self._shape.bit_depth, at))

    def _put_silence(self, n_frames: int) -> None:
        for start in range(0, n_frames, _BLOCK_FRAMES):
            shape = (min(_BLOCK_FRAMES, n_frames - start), self._shape.n_channels)
            if self._shape.bit_depth == FLOAT_BITS:
                self._put(np.zeros(shape, np.float32), 0)
            else:
                self._put_integers(np.zeros(shape, np.int32))

    def _put_integers(self, values: Integers) -> None:
        for file, part in zip(self._files, self._sides(values), strict=True):
            file.write_integers(part)

    def _sides(self, samples: _Samples) -> Sequence[_Samples]:
        if len(self._files) == 1:
            return [samples]
        return [np.ascontiguousarray(samples[:, side : side + 1]) for side in range(len(self._files))]


def require_container(shape: SoundFileForm) -> None:
    """Refuse a file that its container cannot hold.

    Raises:
        PlanError: more than an AIFF can say the size of; ``field`` is "form.container".
    """
    n_bytes = shape.n_frames * shape.n_channels * shape.bit_depth // 8
    if shape.container == "aiff" and n_bytes > _MOST_AIFF_BYTES:
        raise PlanError("aiff_too_long", field="form.container")


@contextmanager
def sound_writer(path: Path, shape: SoundFileForm) -> Iterator[SoundWriter]:
    """A file, or a pair, that appears under its name when it is whole; removed if the work fails.

    Raises:
        StorageFull: no room left. PlanError: more than an AIFF can hold.
    """
    require_container(shape)
    paths = shape.paths(path)
    n_each = shape.n_channels // len(paths)
    parts = [one.with_name(f".{one.name}.part") for one in paths]
    with ExitStack() as stack:
        files: list[_Container] = []
        for index, part in enumerate(parts):
            stack.callback(part.unlink, missing_ok=True)
            file = _opened(part, shape, n_each, SIDES[index] if len(paths) > 1 else "")
            stack.callback(file.abandon)
            files.append(file)
        writer = SoundWriter(files, shape)
        writer.begin()
        yield writer
        writer.end()
        for file in files:
            file.close()
        for part, whole in zip(parts, paths, strict=True):
            part.replace(whole)


def _opened(part: Path, shape: SoundFileForm, n_channels: int, side: str) -> _Container:
    rate_hz, bit_depth, n_frames = shape.form.rate_hz, shape.bit_depth, shape.n_frames
    if shape.container != "wav":
        return _Libsndfile(part, shape.container, rate_hz, n_channels, bit_depth)
    description = shape.description
    if description is not None:
        names = description.channel_names or (SIDES if n_channels == len(SIDES) else ("M",))
        description = replace(
            description,
            title=f"{description.title} {side}".strip(),
            starts_at=max(0, description.starts_at - shape.leader_frames),
            channel_names=(side,) if side else names,
            coding_history=_coding_history(rate_hz, n_channels, bit_depth),
        )
    return RiffWriter(part, rate_hz, n_channels, bit_depth, n_frames, description)


def _coding_history(rate_hz: int, n_channels: int, bit_depth: int) -> str:
    mode = {1: "mono", 2: "stereo"}.get(n_channels, "multichannel")
    return f"A=PCM,F={rate_hz},W={bit_depth},M={mode},T=Recitant\r\n"


def _frames(time_s: float, rate_hz: int) -> int:
    return samples_from_s(time_s) * rate_hz // RATE_HZ


class SoundReader:
    """The programme of an uncompressed file, or of a pair, read back without leader and tail."""

    def __init__(self, path: Path, shape: SoundFileForm, stack: ExitStack) -> None:
        """Opens it.

        Args:
            stack: closes it.

        Raises:
            OSError: it is not there.
        """
        self._shape = shape
        # With libsndfile: that a reader which is not ours finds the samples is what is proved.
        self._files = [stack.enter_context(soundfile.SoundFile(os.fsencode(one))) for one in shape.paths(path)]
        for file in self._files:
            file.seek(shape.leader_frames)
        self._left = shape.programme_frames
        self.checksum = 0
        """CRC-32 of the samples that were read, as SoundWriter takes it."""

    def read(self, n_frames: int) -> Audio:
        """The next frames at the file's rate, float32 (frames, channels); fewer at the end."""
        n = min(n_frames, self._left)
        parts = [file.read(n, dtype="float32", always_2d=True) for file in self._files]
        audio: Audio = parts[0] if len(parts) == 1 else np.concatenate(parts, axis=1)
        self._left -= len(audio)
        bit_depth = self._shape.bit_depth
        values = audio if bit_depth == FLOAT_BITS else (audio * np.float32(1 << (bit_depth - 1))).astype(np.int32)
        self.checksum = crc32(np.ascontiguousarray(values).data, self.checksum)
        return audio

    def blocks(self) -> Iterator[Audio]:
        """All that is left, in order."""
        while len(block := self.read(_BLOCK_FRAMES)):
            yield block


def programme_sound(path: Path, shape: SoundFileForm) -> Iterator[Audio]:
    """The programme of a file or pair, as float32 (frames, channels) at 48 kHz, without leader and tail.

    Raises:
        OSError: it is not there.
    """
    with ExitStack() as stack:
        reader = SoundReader(path, shape, stack)
        yield from at_48k(reader.blocks(), shape.form.rate_hz, shape.n_channels)
