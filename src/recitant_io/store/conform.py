"""Recordings made readable at any place: 48 kHz float32 on disk, with the energies that contours are drawn from.

Source files are never changed. The conformed copy can be thrown away and made again.
"""

import hashlib
import os
import uuid
from collections import OrderedDict
from collections.abc import Iterable
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from threading import Lock
from typing import Final

import numpy as np
import numpy.typing as npt
import soundfile

from recitant_core.dsp.kweighting import KState, k_energies
from recitant_core.errors import UnreadableMedia
from recitant_core.measure.meter import MeterState, Readings, feed_meter, feed_stereo_meter, read_meter
from recitant_core.measure.waveform import extremes
from recitant_core.ports import Progress, no_progress
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import STEREO, ChannelLayout, layout_from_count
from recitant_core.units.clock import RATE_HZ
from recitant_io.media.confined import open_media
from recitant_io.media.containers import open_sound_file
from recitant_io.media.decode import require_finite
from recitant_io.media.resample import at_48k
from recitant_io.media.storage import require_room, storage_errors

PeakArray = npt.NDArray[np.int16]
WAVEFORM_SAMPLES: Final = 256  # one pair of extremes for so many samples
_LOOK_SAMPLES: Final = 60 * RATE_HZ  # between two looks at the room that is left
_KEPT_FREE_BYTES: Final = 256 << 20  # that database and pages need to go on


def file_hash(path: Path) -> str:
    """SHA-256 of a file's bytes, in hex."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


class StoredSource:
    """A conformed recording: raw float32 at 48 kHz, memory-mapped. Implements SampleSource."""

    def __init__(self, path: Path, key: str, n_channels: int) -> None:
        self.key = key
        self.layout: ChannelLayout = layout_from_count(n_channels)
        # An empty file cannot be mapped; a recording of no samples is refused at intake.
        self._samples = np.memmap(path, dtype=np.float32, mode="r").reshape(-1, n_channels)
        self.length_samples = len(self._samples)

    def read(self, start_sample: int, length_samples: int) -> Audio:
        """The samples of a span inside: float32 (length_samples, channels), a view of the file."""
        view: Audio = np.asarray(self._samples[start_sample : start_sample + length_samples])
        return view


_FILE_BLOCK: Final = 1 << 16
_FILE_BLOCKS_KEPT: Final = 8


class FileSource:
    """A 48 kHz PCM file read where it lies. Implements SampleSource.

    Raises:
        UnreadableMedia: not a file that libsndfile reads.
    """

    def __init__(self, path: Path, key: str) -> None:
        self.key = key
        file = open_sound_file(path)
        if file is None:
            raise UnreadableMedia("not_media", file=path.name)
        self._file = file
        self._turn = Lock()  # the file has one place where it is read
        self._blocks: OrderedDict[int, Audio] = OrderedDict()
        self._name = path.name
        self.layout: ChannelLayout = layout_from_count(self._file.channels)
        self.length_samples = int(self._file.frames)

    def read(self, start_sample: int, length_samples: int) -> Audio:
        """The samples of a span inside: float32 (length_samples, channels).

        Raises:
            UnreadableMedia: the file ends early, cannot be decoded here, or holds what is no number.
        """
        out = np.empty((length_samples, self.layout.n_channels), np.float32)
        at = 0
        while at < length_samples:
            index, first = divmod(start_sample + at, _FILE_BLOCK)
            part = self._block(index)[first : first + length_samples - at]
            out[at : at + len(part)] = part
            at += len(part)
        return out

    def _block(self, index: int) -> Audio:
        # Short reads follow each other, by turns at a few places: a block is decoded once for all of them.
        with self._turn:
            if index not in self._blocks:
                while len(self._blocks) >= _FILE_BLOCKS_KEPT:
                    self._blocks.popitem(last=False)
                self._blocks[index] = self._decoded(index * _FILE_BLOCK)
            self._blocks.move_to_end(index)
            return self._blocks[index]

    def _decoded(self, start_sample: int) -> Audio:
        length_samples = min(_FILE_BLOCK, self.length_samples - start_sample)
        try:
            self._file.seek(start_sample)
            block: Audio = self._file.read(length_samples, dtype="float32", always_2d=True)
        except soundfile.LibsndfileError as error:
            raise UnreadableMedia("damaged", file=self._name, at_s=start_sample / RATE_HZ) from error
        if len(block) < length_samples:
            raise UnreadableMedia(
                "cut_short", file=self._name, promised_bytes=self.length_samples, found_bytes=start_sample + len(block)
            )
        require_finite(block, self._name, start_sample / RATE_HZ, RATE_HZ)
        return block


@dataclass(frozen=True)
class Conformed:
    """Result of conforming a recording."""

    n_channels: int
    layout_name: str
    rate_hz: int
    """Of the original file."""
    coding: str
    length_samples: int
    readings: Readings


def conform(
    path: Path,
    folder: Path,
    progress: Progress = no_progress,
    sound_track: int = 0,
    channel: int | None = None,
) -> Conformed:
    """Decode, resample to 48 kHz and measure a recording in one pass; write what the programme works from.

    Writes into ``folder``: audio.f32 (raw float32, interleaved), energy.f64 (10 ms K-weighted energies of the
    recording as two loudspeakers give it, at pan 0), pairs.f64 of a two-channel one (the same of left, right and left
    times right, so that any routing can be foretold), wave.i16 (lowest and highest sample of each channel per 256
    samples, full scale 32767). Files appear whole or not at all.

    Raises:
        UnreadableMedia, UnsupportedLayout: see open_media; also a recording without a single sample.
        StorageFull: no room left; what was begun is removed.
    """
    with storage_errors(), open_media(path, sound_track, channel) as (facts, blocks):
        expected = facts.announced_s * RATE_HZ if facts.announced_s else None
        folder.mkdir(parents=True, exist_ok=True)
        # Room for what the file says before anything is written; for what it really holds, while it is.
        require_room(folder, path.name, _KEPT_FREE_BYTES + round((expected or 0.0) * 4 * facts.layout.n_channels))
        looked_at = 0

        def tell(done_samples: float) -> None:
            nonlocal looked_at
            if done_samples - looked_at >= _LOOK_SAMPLES:
                looked_at = int(done_samples)
                require_room(folder, path.name, _KEPT_FREE_BYTES)
            progress(min(1.0, done_samples / expected) if expected else 0.0)

        conformed = at_48k(blocks, facts.rate_hz, facts.layout.n_channels)
        length, readings = conform_blocks(conformed, facts.layout, folder, tell)
        if length == 0:
            raise UnreadableMedia("no_samples", file=path.name)
    return Conformed(facts.layout.n_channels, facts.layout.name, facts.rate_hz, facts.coding, length, readings)


def conform_blocks(
    blocks: Iterable[Audio], layout: ChannelLayout, folder: Path, on_samples: Progress
) -> tuple[int, Readings]:
    """Measure and write what comes as float32 blocks at 48 kHz, as conform does; nothing is kept of no samples.

    Args:
        on_samples: told how many samples are done.

    Returns:
        Length in samples, and readings.
    """
    folder.mkdir(parents=True, exist_ok=True)
    names = ("audio.f32", "energy.f64", "wave.i16", "pairs.f64")
    # The same recording may be taken in twice at once: each run writes parts of its own.
    run = uuid.uuid4().hex
    begun = [folder / f"{name}.{run}.part" for name in names]
    meter = MeterState.at_rest(layout)
    heard = KState.at_rest(STEREO, RATE_HZ)
    wave = _Waveform(layout.n_channels)
    length = 0
    try:
        with storage_errors(), ExitStack() as stack:
            audio_file, energy_file, wave_file, pairs_file = (stack.enter_context(part.open("wb")) for part in begun)
            for block in blocks:
                audio_file.write(block.data)
                if layout is STEREO:
                    meter, pairs = feed_stereo_meter(block, meter)
                    pairs_file.write(pairs.data)
                else:
                    meter = feed_meter(block, meter)
                energies = meter.hops[-1]
                if layout.n_channels > STEREO.n_channels:
                    # Mono in the middle and stereo have the energy that the meter has found already.
                    energies, heard = k_energies(in_stereo(block, layout), heard)
                energy_file.write(energies.data)
                wave_file.write(wave.feed(block).data)
                length += len(block)
                on_samples(length)
            wave_file.write(wave.rest().data)
            for file in (audio_file, energy_file, wave_file, pairs_file):
                file.flush()
                os.fsync(file.fileno())
        if length:
            for part, name in zip(begun, names, strict=True):
                part.replace(folder / name)
    finally:
        for part in begun:
            part.unlink(missing_ok=True)
    return length, read_meter(meter)


def stored_energy(folder: Path) -> FloatArray:
    """The 10 ms energies of a conformed recording, float64 (hops, 3) of two channels, (hops, 1) of any other number.

    A copy made before the pairs were kept gives (hops, 1), which tells all but routing.
    """
    pairs = folder / "pairs.f64"
    if pairs.exists() and pairs.stat().st_size:
        return np.fromfile(pairs, dtype=np.float64).reshape(-1, 3)
    return stored_total_energy(folder)[:, None]


def stored_total_energy(folder: Path) -> FloatArray:
    """The 10 ms energies of a conformed recording as two loudspeakers give it, float64 (hops,)."""
    return np.fromfile(folder / "energy.f64", dtype=np.float64)


def stored_peaks(folder: Path, n_channels: int, samples_per_peak: int, first: int, count: int) -> PeakArray:
    """Lowest and highest sample of so many pieces of a conformed recording, int16 (pieces, channels, 2).

    Args:
        samples_per_peak: a power of 16: 16 reads the samples themselves, 256 and more what was kept beside them.
        first: piece to begin at.
        count: pieces at most; fewer at the end of the recording.
    """
    if samples_per_peak < WAVEFORM_SAMPLES:
        source = StoredSource(folder / "audio.f32", "", n_channels)
        start = min(first * samples_per_peak, source.length_samples)
        audio = source.read(start, min(count * samples_per_peak, source.length_samples - start))
        audio = np.concatenate([audio, np.zeros((-len(audio) % samples_per_peak, n_channels), np.float32)])
        return _as_int16(extremes(audio, samples_per_peak))
    kept = np.memmap(folder / "wave.i16", dtype=np.int16, mode="r").reshape(-1, n_channels, 2)
    step = samples_per_peak // WAVEFORM_SAMPLES
    part = np.asarray(kept[first * step : (first + count) * step])
    if step == 1 or not len(part):
        return part
    starts = np.arange(0, len(part), step)
    return np.stack([np.minimum.reduceat(part[:, :, 0], starts), np.maximum.reduceat(part[:, :, 1], starts)], axis=2)


def in_stereo(block: Audio, layout: ChannelLayout) -> Audio:
    """A block in stereo, float32 (frames, 2)."""
    return np.ascontiguousarray(block @ layout.stereo_matrix().astype(np.float32))


class _Waveform:
    """Lowest and highest sample per 256, however the blocks fall."""

    def __init__(self, n_channels: int) -> None:
        self._rest = np.zeros((0, n_channels), np.float32)

    def feed(self, block: Audio) -> PeakArray:
        joined = np.concatenate([self._rest, block])
        whole = len(joined) // WAVEFORM_SAMPLES * WAVEFORM_SAMPLES
        self._rest = joined[whole:]
        return self._extremes(joined[:whole])

    def rest(self) -> PeakArray:
        padding = np.zeros((-len(self._rest) % WAVEFORM_SAMPLES, self._rest.shape[1]), np.float32)
        return self._extremes(np.concatenate([self._rest, padding]))

    def _extremes(self, audio: Audio) -> PeakArray:
        return _as_int16(extremes(audio, WAVEFORM_SAMPLES))


def _as_int16(pairs: Audio) -> PeakArray:
    return np.ascontiguousarray(np.clip(np.round(pairs * 32767), -32767, 32767).astype(np.int16))
