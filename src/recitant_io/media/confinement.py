"""The child process that reads a stranger's file: takes one request, limits and isolates itself, answers, and ends.

It is forked by a process that has loaded what is needed and reads no file itself.
"""

import contextlib
import os
import resource
import select
import signal
import socket
import sys
from collections.abc import Callable
from dataclasses import asdict
from fractions import Fraction
from pathlib import Path
from typing import Any, BinaryIO, Final

import msgspec

from recitant_core.errors import RecitantError, UnreadableMedia
from recitant_core.ports import Progress
from recitant_io.media.caption_files import read_captions
from recitant_io.media.channels import recorder_file
from recitant_io.media.decode import MOST_S, open_here, require_regular
from recitant_io.media.frames import ANSWER, BLOCK, FACTS, HEAD, NUMBER, PROGRESS, REFUSAL, Refusal, Request
from recitant_io.media.isolation import isolate
from recitant_io.media.machine import end_with_parent
from recitant_io.media.probe import probe

_SOUND_BYTES: Final = 2 << 30
_PICTURE_BYTES: Final = 4 << 30
_FIRST_S: Final = 60
"""Processor time before a file has said how long it is."""
_CAPTIONS_S: Final = 15
"""Processor time for a caption file."""
_SLOWEST: Final = 4.0
"""Times real time that a sound is decoded at, at the least."""
_SLOWEST_BYTES: Final = 10e6
"""Bytes of samples that are read in a second of processor time, at the least."""
_PICTURE_S: Final = 8.0
"""Processor time for a second of picture, at the most: large pictures are decoded slower than they play."""
_MOST_PICTURE_BYTES: Final = 4 << 30
_MOST_FILES: Final = 64
_IDLE_S: Final = 60.0
"""After so long without a request the process that forks ends."""


def main() -> int:
    """Fork a reader for each request that comes by the socket of the first argument; the exit code.

    It ends with its parent because the socket does: a signal would come with the end of the thread that started it.
    """
    control = socket.socket(fileno=int(sys.argv[1]))
    ended, wake = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
    signal.signal(signal.SIGCHLD, lambda *_: None)
    signal.set_wakeup_fd(wake)
    readers: dict[int, int] = {}
    events = select.poll()
    events.register(control, select.POLLIN)
    events.register(ended, select.POLLIN)
    while found := events.poll(None if readers else 1000.0 * _IDLE_S):
        for descriptor, _ in found:
            if descriptor == ended:
                os.read(ended, 4096)
                _tell_ends(readers)
                continue
            asked, ends, *_ = socket.recv_fds(control, 1, 3)
            if not asked:
                return 0  # whoever asked is gone
            process_id = os.fork()
            if process_id == 0:
                signal.set_wakeup_fd(-1)
                signal.signal(signal.SIGCHLD, signal.SIG_DFL)
                control.close()
                for told in readers.values():
                    os.close(told)
                os._exit(_read(*ends))
            readers[process_id] = ends[2]
            with contextlib.suppress(BrokenPipeError):  # whoever asked gave up
                os.write(ends[2], NUMBER.pack(process_id))
            os.close(ends[0])
            os.close(ends[1])
    return 0


def _tell_ends(readers: dict[int, int]) -> None:
    while readers:
        process_id, status = os.waitpid(-1, os.WNOHANG)
        if process_id == 0:
            return
        told = readers.pop(process_id)
        with contextlib.suppress(BrokenPipeError):  # nobody wants to know any more
            os.write(told, NUMBER.pack(os.waitstatus_to_exitcode(status)))
        os.close(told)


def _read(request_end: int, answers: int, status: int) -> int:
    """Take the request, answer it in frames; the exit code."""
    end_with_parent()
    os.close(status)
    with os.fdopen(request_end, "rb") as file:
        request = msgspec.msgpack.decode(file.read(), type=Request)
    with os.fdopen(answers, "wb", buffering=0) as out:
        operation, n_bytes = _OPERATIONS[request.operation]
        _limit(n_bytes, _FIRST_S if n_bytes == _SOUND_BYTES else None, can_write=n_bytes == _PICTURE_BYTES)
        target = request.arguments.get("target")
        isolate([Path(os.fsdecode(request.path))], [] if target is None else [Path(target).parent])
        try:
            require_regular(Path(os.fsdecode(request.path)))
            answer = operation(Path(os.fsdecode(request.path)), out, **request.arguments)
        except BrokenPipeError:
            return 1  # nobody listens any more
        except RecitantError as error:
            _send(out, REFUSAL, msgspec.msgpack.encode(_refusal(error)))
        except Exception as error:
            # Libraries fail at hostile files in ways that they do not declare; all of them mean the same here.
            named = UnreadableMedia("damaged", file=Path(os.fsdecode(request.path)).name, at_s=None)
            named.__cause__ = error
            _send(out, REFUSAL, msgspec.msgpack.encode(_refusal(named)))
        else:
            _send(out, ANSWER, msgspec.msgpack.encode(answer))
    return 0


def _decode(path: Path, out: BinaryIO, sound_track: int, channel: int | None) -> None:
    with open_here(path, sound_track, channel) as (facts, blocks):
        length_s = facts.announced_s if facts.announced_s is not None else MOST_S
        _limit(_SOUND_BYTES, _FIRST_S + length_s / _SLOWEST, can_write=False)
        _send(out, FACTS, msgspec.msgpack.encode(asdict(facts)))
        for block in blocks:
            _send(out, BLOCK, block.data)


def _probe(path: Path, _out: BinaryIO) -> Any:
    return asdict(probe(path))


def _recorder(path: Path, out: BinaryIO) -> Any:
    _limit(_SOUND_BYTES, _FIRST_S + path.stat().st_size / _SLOWEST_BYTES, can_write=False)
    found = recorder_file(path, _teller(out))
    return None if found is None else (found.names, found.peaks.tolist())


def _proxy(path: Path, out: BinaryIO, target: str, frame_rate: str) -> None:
    from recitant_io.media.picture import make_proxy  # loaded by those alone who need it, as below

    found = probe(path).picture
    length_s = found.length_samples / 48_000 if found is not None else MOST_S
    _limit(_PICTURE_BYTES, _FIRST_S + length_s * _PICTURE_S, can_write=True)
    make_proxy(path, Path(target), Fraction(frame_rate), _teller(out))


def _still(path: Path, _out: BinaryIO, target: str) -> None:
    from recitant_io.media.picture import make_still

    _limit(_PICTURE_BYTES, _FIRST_S, can_write=True)
    make_still(path, Path(target))


def _cover(path: Path, _out: BinaryIO, data: bytes) -> Any:
    from recitant_io.media.labels import cover_from_bytes

    return asdict(cover_from_bytes(data, path.name))


def _captions(_path: Path, _out: BinaryIO, data: bytes, form: str) -> Any:
    _limit(_SOUND_BYTES, _CAPTIONS_S, can_write=False)
    return [(cue.start_sample, cue.end_sample, cue.text) for cue in read_captions(data, form)]


_OPERATIONS: Final[dict[str, tuple[Callable[..., Any], int]]] = {
    "decode": (_decode, _SOUND_BYTES),
    "probe": (_probe, _SOUND_BYTES),
    "recorder": (_recorder, _SOUND_BYTES),
    "cover": (_cover, _SOUND_BYTES),
    "captions": (_captions, _SOUND_BYTES),
    "proxy": (_proxy, _PICTURE_BYTES),
    "still": (_still, _PICTURE_BYTES),
}


def _limit(n_bytes: int, processor_s: float | None, *, can_write: bool) -> None:
    _lower(resource.RLIMIT_AS, n_bytes)
    _lower(resource.RLIMIT_FSIZE, _MOST_PICTURE_BYTES if can_write else 0)
    _lower(resource.RLIMIT_CORE, 0)
    _lower(resource.RLIMIT_NOFILE, _MOST_FILES)
    if processor_s is not None:
        used = resource.getrusage(resource.RUSAGE_SELF)
        _lower(resource.RLIMIT_CPU, round(used.ru_utime + used.ru_stime + processor_s))


def _lower(which: int, value: int) -> None:
    hard = resource.getrlimit(which)[1]
    resource.setrlimit(which, (value if hard == resource.RLIM_INFINITY else min(value, hard), hard))


def _teller(out: BinaryIO) -> Progress:
    return lambda share: _send(out, PROGRESS, msgspec.msgpack.encode(share))


def _refusal(error: RecitantError) -> Refusal:
    facts = {name: _fact(value) for name, value in error.facts.items()}
    return Refusal(type(error).__name__, error.code, facts, ascii(error.__cause__ or "")[:500])


def _fact(value: object) -> str | int | float | bytes | None:
    if value is None or isinstance(value, int | float):
        return value
    text = str(value)
    return text if text.isprintable() else os.fsencode(text)


def _send(out: BinaryIO, kind: int, data: "bytes | memoryview") -> None:
    view = memoryview(data).cast("B")
    out.write(HEAD.pack(kind, len(view)))
    at = 0
    while at < len(view):
        at += out.write(view[at:])


if __name__ == "__main__":
    sys.exit(main())
