"""Processes that the start command keeps alive: they end with it, come back, and are found by the next start.

Standard library only.
"""

import contextlib
import ctypes
import os
import pwd
import signal
import subprocess
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Final

from machine import say

MARK: Final = "RECITANT_HELD_FOLDER"
"""Environment variable of every process that a start command made: the folder that it works in."""
_HELD: Final = "held"
"""Folder of notes, one a process: its number, and when it was started in ticks of the system (proc(5))."""
_PR_SET_PDEATHSIG: Final = 1  # prctl(2)
_LONGEST_DELAY_S: Final = 10.0
_STEADY_S: Final = 60.0  # after so long alive the next end counts as the first
_LIBC: Final = ctypes.CDLL(None, use_errno=True)


@dataclass
class KeptProcess:
    """One process, started again when it ends by itself: at once, then after 1, 2, 4, 8 and 10 s."""

    name: str
    command: Sequence[str]
    folder: Path
    """That it works in; its log lies there."""
    log: str
    environment: dict[str, str] = field(default_factory=dict)
    user: str | None = None
    """Whose rights it has; None for those of the start command."""
    sockets: tuple[int, ...] = ()
    """Descriptors that it inherits."""
    stop_s: float = 15.0
    """Time to stop by itself before it is killed."""
    n_ends: int = 0
    """How often it ended by itself since it was last steady."""
    _process: "subprocess.Popen[bytes] | None" = None
    _started_at_s: float = 0.0
    _due_at_s: float | None = None

    def start(self) -> None:
        """Start it, whatever was before."""
        with (self.folder / self.log).open("ab") as file:
            # A group of its own: Ctrl-C reaches the start command first, which stops all in order.
            self._process = subprocess.Popen(
                self.command,
                env={**os.environ, **self.environment, MARK: str(self.folder)},
                stdout=file,
                stderr=file,
                start_new_session=True,
                preexec_fn=end_with_parent(os.getpid()),  # noqa: PLW1509  the start command has one thread
                pass_fds=self.sockets,
                **_rights_of(self.user),
            )
        self._started_at_s, self._due_at_s = time.monotonic(), None
        held = self.folder / _HELD
        held.mkdir(exist_ok=True)
        (held / self.log).write_text(f"{self._process.pid} {_started_ticks(self._process.pid)}")

    def has_ended(self) -> bool:
        """Whether it is not running."""
        return self._process is None or self._process.poll() is not None

    def tend(self) -> None:
        """Start it again if it ended and its delay is over; says so."""
        if not self.has_ended():
            return
        now = time.monotonic()
        if self._due_at_s is None:
            self.n_ends = 1 if now - self._started_at_s > _STEADY_S else self.n_ends + 1
            delay_s = 0.0 if self.n_ends == 1 else min(_LONGEST_DELAY_S, 2.0 ** (self.n_ends - 2))
            again = "at once" if delay_s == 0.0 else f"in {delay_s:.0f} s"
            say(f"{self.name} ended by itself and is started again {again}; see {self.folder / self.log}")
            self._due_at_s = now + delay_s
        if now >= self._due_at_s:
            self.start()

    def ask_to_stop(self) -> None:
        """Ask it to end."""
        if self._process is not None:
            self._process.terminate()

    def kill(self) -> None:
        """End it and what it made, at once; it is started again like one that ended by itself."""
        if self._process is not None and not self.has_ended():
            os.killpg(self._process.pid, signal.SIGKILL)
            self._process.wait()

    def wait(self) -> None:
        """Wait until it has ended; it is killed after its time."""
        if self._process is None:
            return
        try:
            self._process.wait(self.stop_s)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()


def run_beside(command: Sequence[str], environment: dict[str, str]) -> "subprocess.Popen[bytes]":
    """Start a command that ends with this process, however that ends; it says what it does on the console."""
    first = end_with_parent(os.getpid())
    return subprocess.Popen(command, env=environment, preexec_fn=first)  # noqa: PLW1509  it has one thread


@dataclass
class Beside:
    """Commands that run one after another beside others; where one fails, those behind it are left."""

    commands: list[list[str]]
    environment: dict[str, str]
    _process: "subprocess.Popen[bytes] | None" = None

    def tend(self) -> None:
        """Start the next one where it is time."""
        if self._process is not None:
            code = self._process.poll()
            if code is None:
                return
            self._process = None
            if code:
                self.commands.clear()
        if self.commands:
            self._process = run_beside(self.commands.pop(0), self.environment)

    def stop(self) -> None:
        """End the one that runs, and leave the others."""
        self.commands.clear()
        if self._process is not None and self._process.poll() is None:
            self._process.terminate()
            self._process.wait()


def end_with_parent(parent_id: int, signal_number: int = signal.SIGTERM) -> Callable[[], None]:
    """What a new process does first, so that it gets a signal when its parent dies, however that happens.

    Source: prctl(2), PR_SET_PDEATHSIG. The setting goes with a change of user, so it comes after that.
    """

    def first() -> None:
        _LIBC.prctl(_PR_SET_PDEATHSIG, signal_number)
        if os.getppid() != parent_id:  # it died in between
            os._exit(1)

    return first


def stop_leftovers(folder: Path) -> int:
    """End what a start command left behind that was killed: every process that works in this folder.

    Returns:
        How many there were.
    """
    found = held_by(folder)
    if not found:
        return 0
    say(f"{len(found)} processes of an earlier start still hold {folder}; they are stopped first")
    for number in (signal.SIGTERM, signal.SIGKILL):
        for process_id in held_by(folder):
            with contextlib.suppress(ProcessLookupError):
                os.kill(process_id, number)
        ends_at = time.monotonic() + 20
        while held_by(folder) and time.monotonic() < ends_at:
            time.sleep(0.1)
    return len(found)


def held_by(folder: Path) -> set[int]:
    """Numbers of the processes that a start command, this one or an earlier one, made to work in a folder."""
    found = set()
    # Services that run as somebody else, or write over their environment, are known by what was noted at their start.
    for note in (folder / _HELD).glob("*"):
        process_id, ticks = note.read_text().split()
        if _started_ticks(int(process_id)) == int(ticks):
            found.add(int(process_id))
    mark = f"{MARK}={folder}".encode()
    for entry in Path("/proc").iterdir():
        if not entry.name.isdecimal() or int(entry.name) == os.getpid():
            continue
        # Processes of others cannot be read and are none of ours; one that is gone is no matter. The dead have nothing.
        with contextlib.suppress(OSError):
            if mark in (entry / "environ").read_bytes().split(b"\0"):
                found.add(int(entry.name))
    return found


def _started_ticks(process_id: int) -> int:
    """When a process was started, which no other of that number shares; -1 where there is none, or it is dead."""
    try:
        fields = Path(f"/proc/{process_id}/stat").read_text().rpartition(")")[2].split()
    except FileNotFoundError:
        return -1
    return -1 if fields[0] == "Z" else int(fields[19])


def service_user(name: str) -> str | None:
    """The account that a service runs as: the one its package made, when root starts it; else None, for our own."""
    if os.geteuid() != 0:
        return None
    try:
        pwd.getpwnam(name)
    except KeyError:
        return None
    return name


def can_enter(user: str, folder: Path) -> bool:
    """Whether an account that is not root reaches a folder, as it does not below a home folder that is closed."""
    account = pwd.getpwnam(user)

    def may_pass(parent: Path) -> bool:
        found = parent.stat()
        is_own = found.st_uid == account.pw_uid and found.st_mode & 0o100
        is_of_group = found.st_gid == account.pw_gid and found.st_mode & 0o010
        return bool(is_own or is_of_group or found.st_mode & 0o001)

    return all(may_pass(parent) for parent in folder.resolve().parents)


def give_to(user: str | None, folder: Path, *written: Path) -> None:
    """Hand a folder, and what it holds, to the account of a service, and close it to all others.

    Args:
        written: files in it that were written just now, where the folder is the account's already.
    """
    folder.mkdir(parents=True, exist_ok=True)
    folder.chmod(0o700)
    account = pwd.getpwnam(user) if user is not None else pwd.getpwuid(os.geteuid())
    is_given = folder.stat().st_uid == account.pw_uid
    for path in written if is_given else (folder, *folder.rglob("*")):
        os.chown(path, account.pw_uid, account.pw_gid, follow_symlinks=False)


def _rights_of(user: str | None) -> dict[str, object]:
    if user is None:
        return {}
    account = pwd.getpwnam(user)
    return {"user": account.pw_uid, "group": account.pw_gid, "extra_groups": []}
