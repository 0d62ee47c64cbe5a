"""Files of strangers, read in a child process with limits: whatever such a file does to its reader ends there.

A child has a limit of memory, of processor time (by the length that the file announces), of what it may write, and of
the time between two signs of life. One that dies, or takes too long, is a refused file.
"""

import fcntl
import os
import select
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any, Final, NoReturn

import msgspec
import numpy as np

from recitant_core import errors
from recitant_core.errors import RecitantError, UnreadableMedia
from recitant_core.ports import Progress, no_progress
from recitant_core.units.arrays import Audio
from recitant_core.units.channels import layout_from_count
from recitant_io.channels import RecorderFile
from recitant_io.decode import MediaFacts
from recitant_io.frames import ANSWER, BLOCK, FACTS, HEAD, PROGRESS, REFUSAL, Refusal, Request
from recitant_io.probe import Probe

SILENT_S: Final = 120.0
"""Without a sign of life for so long a child is ended."""
READER: Final = "recitant_io.confinement"
_INHERITED: Final = ("PATH", "HOME", "LANG", "LC_ALL", "TMPDIR", "NUMBA_CACHE_DIR")
_PIPE_BYTES: Final = 1 << 20
_F_SETPIPE_SZ: Final = 1031  # fcntl(2)
_MOST_FRAME_BYTES: Final = 1 << 28
_REFUSALS: Final = ("UnreadableMedia", "UnsupportedLayout", "PlanError", "StorageFull")


@contextmanager
def open_media(
    path: Path, sound_track: int = 0, channel: int | None = None
) -> Iterator[tuple[MediaFacts, Iterator[Audio]]]:
    """The facts of a file and its blocks, float32 (frames, channels), finite; see decode.open_here, which does it.

    Raises:
        UnreadableMedia: as there; also a file that its reader dies of, or that takes it too long.
        UnsupportedLayout: as there.
    """
    with _child(Request("decode", str(path), {"sound_track": sound_track, "channel": channel})) as child:
        kind, data = child.next_frame()
        if kind != FACTS:
            child.refuse()
        facts = msgspec.msgpack.decode(data, type=MediaFacts)
        # Layouts are compared by identity: the ones of this process.
        facts = replace(facts, layout=layout_from_count(facts.layout.n_channels))
        yield facts, child.blocks(facts.layout.n_channels)


def probe(path: Path) -> Probe:
    """What a file says about itself; empty facts for what is no container, carries none, or cannot be looked at."""
    try:
        found: Probe = call(Request("probe", str(path)), Probe)
        return found
    except UnreadableMedia:
        return Probe(None, None, None, (), None)


def recorder_file(path: Path) -> RecorderFile | None:
    """The channels of a recorder file; see channels.recorder_file.

    Raises:
        UnreadableMedia: as there, and where the reader dies or takes too long.
    """
    found = call(Request("recorder", str(path)), tuple[tuple[str, ...], list[float]] | None)
    return None if found is None else RecorderFile(found[0], np.array(found[1]))


def call(request: Request, kind: Any, progress: Progress = no_progress) -> Any:
    """What a child answers to a request, of this kind.

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
    # None of our secrets; and the libraries' own threads would ask for memory and give nothing back.
    environment = {name: os.environ[name] for name in _INHERITED if name in os.environ}
    environment |= {"PYTHONPATH": os.pathsep.join(filter(None, sys.path)), "OPENBLAS_NUM_THREADS": "1"}
    with subprocess.Popen(
        [sys.executable, "-m", READER],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        env=environment,
        bufsize=0,
        start_new_session=True,
    ) as process:
        try:
            yield _Child(process, request)
        finally:
            process.kill()


class _Child:
    """A reader at work, and what it says."""

    def __init__(self, process: "subprocess.Popen[bytes]", request: Request) -> None:
        assert process.stdin is not None and process.stdout is not None
        self._process = process
        self._name = Path(request.path).name
        self._out = process.stdout.fileno()
        self._sign_of_life = select.poll()
        self._sign_of_life.register(self._out, select.POLLIN)
        _widen(self._out)
        try:
            process.stdin.write(msgspec.msgpack.encode(request))
            process.stdin.close()
        except BrokenPipeError:
            self.refuse()

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
        """What is decoded, float32 (frames, channels), to its end."""
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
        is_at_work = self._process.poll() is None
        self._process.kill()
        is_slow = is_at_work or self._process.wait() == -signal.SIGXCPU
        raise UnreadableMedia("takes_too_long" if is_slow else "breaks_reader", file=self._name)

    def _fill(self, wanted: memoryview) -> None:
        at = 0
        while at < len(wanted):
            if not self._sign_of_life.poll(1000.0 * SILENT_S):
                self.refuse()
            n_read = os.readv(self._out, [wanted[at:]])
            if n_read == 0:
                self._process.wait()
                self.refuse()
            at += n_read


def _widen(pipe: int) -> None:
    try:
        fcntl.fcntl(pipe, _F_SETPIPE_SZ, _PIPE_BYTES)
    except OSError:
        return  # the system allows this user less: slower, nothing else


def _error_of(refusal: Refusal) -> RecitantError:
    kind = getattr(errors, refusal.kind) if refusal.kind in _REFUSALS else UnreadableMedia
    error: RecitantError = kind(refusal.code, **refusal.facts)
    if refusal.cause:
        error.add_note(refusal.cause)
    return error
