"""The mix of a programme kept on disk while it is tried: float32 as it was rendered, gone with the work."""

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, Final

import numpy as np

from recitant_core.render.mix import MixedSegment
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.clock import SampleSpan
from recitant_io.media.storage import storage_errors

BYTES_A_FRAME: Final = 8


class MixFile:
    """Segments one after another in a file without a name. Implements MixStore."""

    def __init__(self, file: IO[bytes], layout: ChannelLayout) -> None:
        self._file = file
        self._layout = layout
        self._spans: list[SampleSpan] = []

    def keep(self, segment: MixedSegment) -> None:
        """Append the mix of the next segment.

        Raises:
            StorageFull: no room left.
        """
        with storage_errors():
            self._file.write(np.ascontiguousarray(segment.mix).data)
            self._file.flush()
        self._spans.append(segment.span)

    def __iter__(self) -> Iterator[MixedSegment]:
        """The segments in order, without stems."""
        n_channels = self._layout.n_channels
        for span in self._spans:
            # At its place, whoever else reads: several trials go through the same mix side by side.
            mix = np.empty((span.length_samples, n_channels), np.float32)
            os.preadv(self._file.fileno(), [mix.data.cast("B")], 4 * n_channels * span.start_sample)
            yield MixedSegment(span, {}, mix)


@contextmanager
def premaster(folder: Path, layout: ChannelLayout) -> Iterator[MixFile]:
    """Room for a mix in a folder; nothing of it is left after, even if the process dies.

    Raises:
        StorageFull: no room left.
    """
    with storage_errors():
        folder.mkdir(parents=True, exist_ok=True)
    with storage_errors(), tempfile.TemporaryFile(dir=folder) as file:
        yield MixFile(file, layout)
