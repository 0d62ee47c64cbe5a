"""A light copy of a picture that every browser plays: H.264, at most 640 wide, one frame rate, a key frame a second."""

from fractions import Fraction
from pathlib import Path
from typing import Any, Final

import av

from recitant_core.errors import UnreadableMedia
from recitant_core.ports import Progress, no_progress
from recitant_io.media.containers import DAMAGED, open_container
from recitant_io.media.storage import storage_errors

WIDTH: Final = 640
STILL_WIDTH: Final = 320


def make_proxy(path: Path, target: Path, frame_rate: Fraction, progress: Progress = no_progress) -> None:
    """Write the light copy; the first frame of the original stands at 0 s, each later one at its own time.

    A picture of variable rate becomes one of constant rate: every frame of the copy shows what the original shows at
    that moment.

    Raises:
        UnreadableMedia: the picture cannot be decoded. StorageFull: no room left.
    """
    part = target.with_suffix(".part.mp4")
    try:
        with storage_errors(), path.open("rb") as file, open_container(file, path) as original:
            stream: Any = original.streams.video[0]
            stream.thread_type = "AUTO"
            length_s = float(stream.duration * stream.time_base) if stream.duration else None
            width = min(WIDTH, stream.width) // 2 * 2
            height = max(2, round(stream.height * width / stream.width / 2) * 2)
            with av.open(str(part), "w", options={"movflags": "+faststart"}) as copy:
                out = copy.add_stream("libx264", rate=frame_rate, options={"preset": "veryfast", "crf": "27"})
                out.width, out.height, out.pix_fmt = width, height, "yuv420p"
                out.codec_context.gop_size = max(1, round(frame_rate))
                out.codec_context.max_b_frames = 0
                written = 0
                first_s: float | None = None
                shown = None
                for frame in original.decode(stream):
                    at_s = float(frame.pts * stream.time_base) if frame.pts is not None else 0.0
                    first_s = at_s if first_s is None else first_s
                    # Frames of the copy up to this moment show what was there before it.
                    due = max(0, round((at_s - first_s) * frame_rate))
                    while shown is not None and written < due:
                        written = _write(copy, out, shown, written)
                    shown = frame.reformat(width, height, "yuv420p")
                    progress(min(1.0, (at_s - first_s) / length_s) if length_s else 0.0)
                if shown is None:
                    raise UnreadableMedia("no_picture", file=path.name)
                _write(copy, out, shown, written)
                for packet in out.encode(None):
                    copy.mux(packet)
        part.replace(target)
    except DAMAGED as error:
        raise UnreadableMedia("damaged", file=path.name, at_s=None) from error
    finally:
        part.unlink(missing_ok=True)


def make_still(path: Path, target: Path, share: float = 0.3) -> None:
    """Write one frame as JPEG, at most 320 wide.

    Args:
        share: of the picture's length at which it stands.

    Raises:
        UnreadableMedia: the picture cannot be decoded. StorageFull: no room left.
    """
    part = target.with_name(f"{target.stem}.part.jpg")
    try:
        with storage_errors(), path.open("rb") as file, open_container(file, path) as original:
            target.parent.mkdir(parents=True, exist_ok=True)
            stream: Any = original.streams.video[0]
            if stream.duration:
                original.seek(int(stream.duration * share), stream=stream)
            frame = next(original.decode(stream), None)
            if frame is None:
                raise UnreadableMedia("no_picture", file=path.name)
            width = min(STILL_WIDTH, frame.width) // 2 * 2
            height = max(2, round(frame.height * width / frame.width / 2) * 2)
            with av.open(str(part), "w", format="image2") as copy:
                out = copy.add_stream("mjpeg", rate=1)
                out.width, out.height, out.pix_fmt = width, height, "yuvj420p"
                small = frame.reformat(width, height, "yuvj420p")
                small.pts, small.time_base = 0, Fraction(1)
                for packet in (*out.encode(small), *out.encode(None)):
                    copy.mux(packet)
        part.replace(target)
    except DAMAGED as error:
        raise UnreadableMedia("damaged", file=path.name, at_s=None) from error
    finally:
        part.unlink(missing_ok=True)


def _write(copy, out, frame, number: int) -> int:  # type: ignore[no-untyped-def]
    frame.pts = number
    frame.time_base = 1 / Fraction(out.codec_context.framerate)
    frame.pict_type = 0
    for packet in out.encode(frame):
        copy.mux(packet)
    return number + 1
