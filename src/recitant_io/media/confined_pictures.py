"""Pictures of strangers, looked at in a child process; see confined."""

import os
from fractions import Fraction
from pathlib import Path

from recitant_core.errors import UnreadableMedia
from recitant_core.ports import Progress, no_progress
from recitant_io.media.confined import call, probe
from recitant_io.media.frames import Request
from recitant_io.media.labels import Cover


def make_proxy(path: Path, target: Path, frame_rate: Fraction, progress: Progress = no_progress) -> None:
    """Write the light copy of a picture; see picture.make_proxy.

    Raises:
        UnreadableMedia: as there, and where the reader dies or takes too long. StorageFull: no room left.
    """
    arguments = {"target": str(target), "frame_rate": str(frame_rate)}
    try:
        call(Request("proxy", os.fsencode(path), arguments), None, progress)
    finally:
        target.with_suffix(".part.mp4").unlink(missing_ok=True)


def make_still(path: Path, target: Path) -> None:
    """Write one frame of a picture as JPEG; see picture.make_still.

    Raises:
        UnreadableMedia: as there, and where the reader dies or takes too long. StorageFull: no room left.
    """
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        call(Request("still", os.fsencode(path), {"target": str(target)}), None)
    finally:
        target.with_name(f"{target.stem}.part.jpg").unlink(missing_ok=True)


def picture_coding(path: Path) -> str:
    """Codec of a film's picture, as FFmpeg names it.

    Raises:
        UnreadableMedia: no picture.
    """
    found = probe(path).picture
    if found is None:
        raise UnreadableMedia("no_picture", file=path.name)
    return found.coding


def cover_from_bytes(data: bytes, name: str) -> Cover:
    """A cover from a JPEG or PNG file; see labels.cover_from_bytes.

    Raises:
        PlanError: as there. UnreadableMedia: the reader dies or takes too long.
    """
    cover: Cover = call(Request("cover", os.fsencode(name), {"data": data}), Cover)
    return cover
