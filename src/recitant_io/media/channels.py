"""Recorder files: how many channels a sound file has, what they are called, and which of them are silent."""

import os
from dataclasses import dataclass
from pathlib import Path
from typing import Final

import numpy as np
import soundfile
import wavinfo

from recitant_core.errors import UnreadableMedia
from recitant_core.ports import Progress, no_progress
from recitant_core.units.arrays import FloatArray
from recitant_core.units.channels import LAYOUTS
from recitant_io.media.containers import open_sound_file
from recitant_io.media.decode import BLOCK_FRAMES

MOST_CHANNELS: Final = 64
SILENT_DBFS: Final = -80.0
_USUAL_RECORDER: Final = (
    4,
)  # four channels without names are four microphones far more often than a square of speakers


@dataclass(frozen=True)
class RecorderFile:
    """The channels of a file in which each channel is a microphone of its own."""

    names: tuple[str, ...]
    """Of each channel, empty where the file gives none."""
    peaks: FloatArray
    """Highest sample of each channel, full scale 1.0, float64 (channels,)."""

    @property
    def sounding(self) -> tuple[int, ...]:
        """Channels that are not silent, counted from 0."""
        return tuple(int(k) for k in np.flatnonzero(self.peaks > 10.0 ** (SILENT_DBFS / 20.0)))


def recorder_file(path: Path, progress: Progress = no_progress) -> RecorderFile | None:
    """The channels of a recorder file, read once; None for any other: one or two channels, a surround mix, a film.

    Raises:
        UnreadableMedia: more channels than can be taken apart, or it cannot be decoded.
    """
    file = open_sound_file(path)
    if file is None:
        return None
    with file:
        n_channels = file.channels
        names = channel_names(path, n_channels) if n_channels > 2 else ()
        if n_channels <= 2 or (n_channels in LAYOUTS and n_channels not in _USUAL_RECORDER and not any(names)):
            return None
        if n_channels > MOST_CHANNELS:
            raise UnreadableMedia("too_many_channels", file=path.name, n_channels=n_channels, most=MOST_CHANNELS)
        peaks, read = np.zeros(n_channels), 0
        try:
            while len(block := file.read(BLOCK_FRAMES, dtype="float32", always_2d=True)):
                peaks = np.maximum(peaks, np.abs(block).max(axis=0))
                read += len(block)
                progress(min(1.0, read / max(1, file.frames)))
        except soundfile.LibsndfileError as error:
            raise UnreadableMedia("damaged", file=path.name, at_s=None) from error
    return RecorderFile(names, peaks)


def channel_names(path: Path, n_channels: int) -> tuple[str, ...]:
    """Names of the channels from the file's iXML chunk, empty where there is none."""
    names = [""] * n_channels
    try:
        ixml = wavinfo.WavInfoReader(os.fspath(path)).ixml
        for track in ixml.track_list if ixml is not None else ():
            place = int(track.interleave_index or track.channel_index) - 1
            if 0 <= place < n_channels:
                names[place] = " ".join((track.name or "").split())[:60]
    except Exception:
        # Not a WAV file, or a chunk that somebody else wrote badly: the channels have numbers then.
        return tuple(names)
    return tuple(names)
