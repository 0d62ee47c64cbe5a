"""Files of strangers, read in a child process with limits: whatever such a file does to its reader ends there.

A child has a limit of memory, of processor time (by the length that the file announces), of what it may write, and of
the time between two signs of life. One that dies, or takes too long, is a refused file.
"""

import atexit
import fcntl
import os
import select
import signal
import socket
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import replace
from pathlib import Path
from threading import Lock
from typing import Any, Final, NoReturn

import msgspec
import numpy as np

from recitant_core import errors
from recitant_core.captions.rules import Cue
from recitant_core.errors import RecitantError, UnreadableMedia
from recitant_core.ports import Progress, no_progress
from recitant_core.units.arrays import Audio
from recitant_core.units.channels import layout_from_count
from recitant_io.media.caption_files import form_of, require_size
from recitant_io.media.channels import RecorderFile
from recitant_io.media.decode import MediaFacts
from recitant_io.media.frames import ANSWER, BLOCK, FACTS, HEAD, NUMBER, PROGRESS, REFUSAL, Refusal, Request
from recitant_io.media.probe import Probe

SILENT_S: Final = 120.0
"""Without a sign of life for so long a child is ended."""
READER: Final = "recitant_io.media.confinement"
_TRIES: Final = 3
"""To have a reader forked by a process that ends when it is not needed."""
_LAST_WORDS_S: Final = 2.0
_INHERITED: Final = ("PATH", "HOME", "LANG", "LC_ALL", "TMPDIR", "NUMBA_CACHE_DIR")
_PIPE_BYTES: Final = 1 << 20
_F_SETPIPE_SZ: Final = 1031  # fcntl(2)
_MOST_FRAME_BYTES: Final = 1 << 28
_REFUSALS: Final = ("UnreadableMedia", "UnsupportedLayout", "PlanError", "StorageFull", "CaptionError")


@contextmanager
def open_media(
    path: Path, sound_track: int = 0, channel: int | None = None
) -> Iterator[tuple[MediaFacts, Iterator[Audio]]]:
    """The facts of a file and its blocks, float32 (frames, channels), finite; see decode.open_here, which does it.

    Raises:
        UnreadableMedia: as there; also a file that its reader dies of, or that takes it too long.
        UnsupportedLayout: as there.
    """
    with _child(Request("decode", os.fsencode(path), {"sound_track": sound_track, "channel": channel})) as child:
        kind, data = child.next_frame()
        if kind != FACTS:
            child.refuse()
        facts = msgspec.msgpack.decode(data, type=MediaFacts)
        # Layouts are compared by identity: the ones of this process.
        facts = replace(facts, layout=layout_from_count(facts.layout.n_channels))
        yield facts, child.blocks(facts.layout.n_channels)


def probe(path: Path) -> Probe:
    """Facts that a file states; empty for what is no container, carries none, or cannot be looked at."""
    try:
        found: Probe = call(Request("probe", os.fsencode(path)), Probe)
        return found
    except UnreadableMedia:
        return Probe(None, None, None, (), None)


def recorder_file(path: Path) -> RecorderFile | None:
    """The channels of a recorder file; see channels.recorder_file.

    Raises:
        UnreadableMedia: as there, and where the reader dies or takes too long.
    """
    found = call(Request("recorder", os.fsencode(path)), tuple[tuple[str, ...], list[float]] | None)
    return None if found is None else RecorderFile(found[0], np.array(found[1]))


def read_captions(data: bytes, name: str) -> list[Cue]:
    """Cues of a caption file, by the ending of its name; see caption_files.read_captions.

    Raises:
        CaptionError: as there, and for other endings. UnreadableMedia: the reader dies or takes too long.
    """
    form = form_of(name)
    require_size(data)
    found = call(Request("captions", os.fsencode(name), {"data": data, "form": form}), list[tuple[int, int, str]])
    return [Cue(*cue) for cue in found]


def call(request: Request, kind: Any, progress: Progress = no_progress) -> Any:
    """Answer of a child to a request, of this kind.

    Args:
        progress: told what the child tells; may raise Cancelled, which ends it.

    Raises:
        RecitantError: what the child refuses with; UnreadableMedia where it dies or takes too long.
    """
    with _child(request) as child:
        while True:
            frame, data = child.next_frame()
            if frame == ANSWER:
                return msgspec.msgpack.decode(data, type=kind)
            progress(msgspec.msgpack.decode(data, type=float) if frame == PROGRESS else child.refuse())


@contextmanager
def _child(request: Request) -> Iterator["_Child"]:
    child = _Child(request)
    try:
        yield child
    finally:
        child.close()


class _Forks:
    """A process that has everything loaded and reads nothing itself: it forks a reader a file, in milliseconds."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._made_for: tuple[int, str, str] | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._control: socket.socket | None = None

    def send(self, ends: list[int]) -> "subprocess.Popen[bytes]":
        """Have a reader forked with these descriptors: its request, its answers, and what became of it.

        Returns:
            The process that forks. It may have ended just now, as it does when nobody asks for a while.

        Raises:
            OSError: it has.
        """
        with self._lock:
            wanted = (os.getpid(), READER, os.pathsep.join(filter(None, sys.path)))
            if self._made_for != wanted or self._process is None or self._process.poll() is not None:
                self._start(wanted)
            assert self._control is not None and self._process is not None
            socket.send_fds(self._control, [b"r"], ends)
            return self._process

    def drop(self, process: "subprocess.Popen[bytes] | None") -> None:
        """Take another process next time, unless that was done already."""
        with self._lock:
            if process is None or self._process is process:
                self.close()

    def close(self) -> None:
        """End it, if it is this process's own."""
        if self._control is not None:
            self._control.close()
        if self._process is not None and self._made_for is not None and self._made_for[0] == os.getpid():
            self._process.wait()
        self._control, self._process, self._made_for = None, None, None

    def _start(self, wanted: tuple[int, str, str]) -> None:
        self.close()
        # None of our secrets; and the libraries' own threads would ask for memory and give nothing back.
        environment = {name: os.environ[name] for name in _INHERITED if name in os.environ}
        environment |= {"PYTHONPATH": wanted[2], "OPENBLAS_NUM_THREADS": "1", "PYTHONDONTWRITEBYTECODE": "1"}
        self._control, theirs = socket.socketpair()
        with theirs:
            self._process = subprocess.Popen(
                [sys.executable, "-m", wanted[1], str(theirs.fileno())],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                env=environment,
                pass_fds=[theirs.fileno()],
                start_new_session=True,
            )
        self._made_for = wanted


_forks: Final = _Forks()
atexit.register(_forks.close)


class _Child:
    """A reader at work, and what it says."""

    def __init__(self, request: Request) -> None:
        self._name = Path(os.fsdecode(request.path)).name
        self._ended: int | None = None
        self._out, self._told = -1, -1
        self._process_id: int | None = None
        data = msgspec.msgpack.encode(request)
        for _ in range(_TRIES):
            if self._ask(data):
                return
        self.close()
        raise UnreadableMedia("breaks_reader", file=self._name)

    def _ask(self, data: bytes) -> bool:
        """Have a reader forked; whether there is one."""
        self.close()
        request_end, asked = os.pipe()
        self._out, answers = os.pipe()
        self._told, status = os.pipe()
        theirs = [request_end, answers, status]
        forking = None
        try:
            forking = _forks.send(theirs)
        except OSError:
            os.close(asked)
            _forks.drop(forking)
            return False
        finally:
            for end in theirs:
                os.close(end)
        self._sign_of_life = select.poll()
        self._sign_of_life.register(self._out, select.POLLIN)
        _widen(self._out)
        with suppress(BrokenPipeError), os.fdopen(asked, "wb") as pipe:
            pipe.write(data)
        number = os.read(self._told, NUMBER.size)
        if len(number) < NUMBER.size:  # it ended before it forked
            _forks.drop(forking)
            return False
        self._process_id = NUMBER.unpack(number)[0]
        return True

    def close(self) -> None:
        """End it."""
        if self._process_id is not None and self._told >= 0 and self._how_it_ended(0.0) is None:
            with suppress(ProcessLookupError):  # it ended at this moment
                os.kill(self._process_id, signal.SIGKILL)
        for end in (self._out, self._told):
            if end >= 0:
                os.close(end)
        self._out, self._told = -1, -1

    def _how_it_ended(self, within_s: float) -> int | None:
        """Its exit code, negative for a signal; None while it is at work."""
        if self._ended is None:
            status = select.poll()
            status.register(self._told, select.POLLIN)
            if status.poll(1000.0 * within_s):
                number = os.read(self._told, NUMBER.size)
                # Without a word the process that forks died, and its readers with it.
                self._ended = NUMBER.unpack(number)[0] if len(number) == NUMBER.size else -signal.SIGKILL
        return self._ended

    def next_frame(self) -> tuple[int, bytearray]:
        """Kind and content of what comes next.

        Raises:
            RecitantError: a refusal, or the child died or takes too long.
        """
        head = bytearray(HEAD.size)
        self._fill(memoryview(head))
        kind, length = HEAD.unpack(head)
        if length > _MOST_FRAME_BYTES:
            self.refuse()
        data = bytearray(length)
        self._fill(memoryview(data))
        if kind == REFUSAL:
            raise _error_of(msgspec.msgpack.decode(data, type=Refusal))
        return kind, data

    def blocks(self, n_channels: int) -> Iterator[Audio]:
        """Decoded blocks, float32 (frames, channels), to the end."""
        while True:
            kind, data = self.next_frame()
            if kind == ANSWER:
                return
            if kind != BLOCK:
                self.refuse()
            yield np.frombuffer(data, np.float32).reshape(-1, n_channels)

    def refuse(self) -> NoReturn:
        """End the child and say what became of the file.

        Raises:
            UnreadableMedia: always.
        """
        ended = self._how_it_ended(_LAST_WORDS_S)
        is_slow = ended is None or ended == -signal.SIGXCPU
        raise UnreadableMedia("takes_too_long" if is_slow else "breaks_reader", file=self._name)

    def _fill(self, wanted: memoryview) -> None:
        at = 0
        while at < len(wanted):
            if not self._sign_of_life.poll(1000.0 * SILENT_S):
                self.refuse()
            n_read = os.readv(self._out, [wanted[at:]])
            if n_read == 0:
                self.refuse()
            at += n_read


def _widen(pipe: int) -> None:
    try:
        fcntl.fcntl(pipe, _F_SETPIPE_SZ, _PIPE_BYTES)
    except OSError:
        return  # the system allows this user less: slower, nothing else


def _error_of(refusal: Refusal) -> RecitantError:
    kind = getattr(errors, refusal.kind) if refusal.kind in _REFUSALS else UnreadableMedia
    facts = {n: os.fsdecode(value) if isinstance(value, bytes) else value for n, value in refusal.facts.items()}
    error: RecitantError = kind(refusal.code, **facts)
    if refusal.cause:
        error.add_note(refusal.cause)
    return error
