"""MariaDB and Redis of this checkout alone: own folder, own ports, on loopback, or at an address that workers on other
machines reach. Standard library only."""

import fcntl
import json
import os
import secrets
import shutil
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import IO, Final

from machine import CannotGoOn, say
from processes import KeptProcess, give_to, service_user, stop_leftovers

_LOOPBACK: Final = "127.0.0.1"
_PORTS_FOR_OTHERS: Final = {"RECITANT_DB_PORT": 3307, "RECITANT_REDIS_PORT": 6380}
_SECRETS: Final = ("root", "database", "django", "redis")
_REDIS_BYTES: Final = "256mb"
_STOP_S: Final = 20.0
_FOUND_IN: Final = "environment.json"
"""Of a folder whose services run: where they are, with what passwords."""


class Services:
    """The two services under one folder."""

    def __init__(self, folder: Path, *, is_lasting: bool = True) -> None:
        """
        Args:
            is_lasting: whether rows must outlive a crash of the machine; tests need not wait for the disk, and nobody
                else reaches their services.
        """
        self.address = os.environ.get("RECITANT_SERVICES_AT", _LOOPBACK) if is_lasting else _LOOPBACK
        self._is_shared = self.address != _LOOPBACK
        self.folder = folder.resolve()
        self._haste = [] if is_lasting else ["--innodb-flush-log-at-trx-commit=0", "--innodb-doublewrite=0"]
        self.data = self.folder / "mariadb"
        self._kept: list[KeptProcess] = []
        self.folder.mkdir(parents=True, exist_ok=True)
        for part in ("uploads", "media"):
            (self.folder / part).mkdir(exist_ok=True)
            (self.folder / part).chmod(0o700)
        self._secrets = _read_secrets(self.folder / "secrets.json")
        self._database_user = service_user("mysql", self.data)
        self._redis_user = service_user("redis", self.folder / "redis")
        # Accounts of services pass through to their own folders; nobody else has anything to read here.
        self.folder.chmod(0o711 if self._database_user or self._redis_user else 0o700)
        self.database_port = self._port("RECITANT_DB_PORT")
        self.redis_port = self._port("RECITANT_REDIS_PORT")

    def start(self) -> None:
        """Start both and wait until they answer.

        Raises:
            CannotGoOn: one does not come up; the message names its log.
        """
        is_new = not (self.data / "mysql").is_dir()
        give_to(self._database_user, self.data)
        if is_new:
            say("making the database folder")
            command = ["mariadb-install-db", "--no-defaults", f"--datadir={self.data}", "--skip-test-db"]
            command += ["--auth-root-authentication-method=normal", *self._as_user()]
            self._run_once(command, "mariadb-install.log")
        self._start(self._database(), self.database_port, "MariaDB")
        if is_new or not (self.folder / self._ready_mark).exists():
            self._make_accounts()
        self._start(self._redis(), self.redis_port, "Redis")

    def environment(self) -> dict[str, str]:
        """What the application needs to find them."""
        return {
            "RECITANT_VAR": str(self.folder),
            "RECITANT_DB_HOST": self.address,
            "RECITANT_REDIS_HOST": self.address,
            "RECITANT_DB_PORT": str(self.database_port),
            "RECITANT_DB_PASSWORD": self._secrets["database"],
            "RECITANT_REDIS_PORT": str(self.redis_port),
            "RECITANT_REDIS_PASSWORD": self._secrets["redis"],
            "RECITANT_SECRET_KEY": self._secrets["django"],
        }

    def tend(self) -> None:
        """Start again what ended by itself."""
        for kept in self._kept:
            kept.tend()

    def stop(self) -> None:
        """End both."""
        for kept in reversed(self._kept):
            kept.ask_to_stop()
        for kept in reversed(self._kept):
            kept.wait()
        self._kept = []

    def _start(self, kept: KeptProcess, port: int, name: str) -> None:
        kept.start()
        self._kept.append(kept)
        ends_at = time.monotonic() + 60
        while time.monotonic() < ends_at and not kept.has_ended():
            if answers(port, self.address):
                return
            time.sleep(0.05)
        raise CannotGoOn(f"{name} did not come up; see {self.folder / kept.log}")

    def _database(self) -> KeptProcess:
        command = ["mariadbd", "--no-defaults", f"--datadir={self.data}", f"--port={self.database_port}"]
        command += [f"--bind-address={self.address}", f"--socket={self._socket_path()}"]
        command += [f"--pid-file={self.data / 'mariadb.pid'}", "--skip-name-resolve"]
        command += ["--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin"]
        command += ["--innodb-buffer-pool-size=128M", "--max-connections=80", *self._haste, *self._as_user()]
        return KeptProcess("MariaDB", command, self.folder, "mariadb.log", user=self._database_user, stop_s=_STOP_S)

    def _redis(self) -> KeptProcess:
        folder = self.folder / "redis"
        folder.mkdir(exist_ok=True)
        # A password on the command line would stand in the list of processes.
        settings = folder / "redis.conf"
        settings.touch(mode=0o600)
        lines = [
            f"bind {self.address}",
            f"port {self.redis_port}",
            f"dir {folder}",
            f"requirepass {self._secrets['redis']}",
        ]
        # Jobs in the queue are rows too, but none may be pushed out silently: what does not fit is refused.
        lines += [f"maxmemory {_REDIS_BYTES}", "maxmemory-policy noeviction"]
        lines += ["save 60 1", "appendonly yes", "appendfsync everysec", "daemonize no"]
        settings.write_text("\n".join(lines) + "\n")
        give_to(self._redis_user, folder, settings)
        command = ["redis-server", str(settings)]
        return KeptProcess("Redis", command, self.folder, "redis.log", user=self._redis_user, stop_s=_STOP_S)

    def _socket_path(self) -> Path:
        # Socket paths have a short limit that a deep checkout would pass: the application uses the port.
        return Path("/tmp") / f"recitant-{os.getpid()}-{self.database_port}.sock"

    def _as_user(self) -> list[str]:
        # Started as root without an account of its own it refuses, unless told so.
        return ["--user=root"] if os.geteuid() == 0 and self._database_user is None else []

    def _make_accounts(self) -> None:
        root, password = self._secrets["root"], self._secrets["database"]
        account = f"'recitant'@'{'%' if self._is_shared else _LOOPBACK}'"
        statements = (
            f"ALTER USER 'root'@'localhost' IDENTIFIED BY '{root}';"
            f"CREATE OR REPLACE USER {account} IDENTIFIED BY '{password}';"
            "CREATE DATABASE IF NOT EXISTS recitant CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;"
            f"GRANT ALL ON recitant.* TO {account};"
            f"GRANT ALL ON `test\\_recitant%`.* TO {account};"
        )
        for given in ("", root):
            environment = {**os.environ, "MYSQL_PWD": given}
            command = ["mariadb", "--no-defaults", "-u", "root", f"--socket={self._socket_path()}"]
            # Read from standard input: arguments stand in the list of processes.
            done = subprocess.run(command, env=environment, input=statements.encode(), capture_output=True, check=False)
            if done.returncode == 0:
                (self.folder / self._ready_mark).touch()
                return
        raise CannotGoOn(f"the database accounts could not be made: {done.stderr.decode().strip()}")

    @property
    def _ready_mark(self) -> str:
        return "database-ready-for-others" if self._is_shared else "database-ready"

    def _port(self, name: str) -> int:
        # Other machines must find it where it was yesterday.
        return int(os.environ.get(name) or _PORTS_FOR_OTHERS[name]) if self._is_shared else _free_port()

    def _run_once(self, command: list[str], log: str) -> None:
        rights = {} if self._database_user is None else {"user": self._database_user, "extra_groups": []}
        with (self.folder / log).open("wb") as file:
            if subprocess.run(command, stdout=file, stderr=file, check=False, **rights).returncode != 0:
                raise CannotGoOn(f"{command[0]} failed; see {self.folder / log}")


class RunsAlready(CannotGoOn):
    """Another run of this checkout holds the folder."""


@contextmanager
def reached(folder: Path) -> Iterator[dict[str, str]]:
    """The environment in which the services of a folder are found: those of the run that holds it, or started for now.

    Raises:
        CannotGoOn: a service does not come up.
    """
    with ExitStack() as stack:
        try:
            environment = stack.enter_context(running(folder)).environment()
        except RunsAlready:
            if not (folder / _FOUND_IN).exists():
                raise CannotGoOn("the application is just starting or stopping; try again in a moment.") from None
            environment = dict(json.loads((folder / _FOUND_IN).read_text()))
        yield environment


@contextmanager
def running(folder: Path, *, is_lasting: bool = True) -> Iterator[Services]:
    """Both services, while the context lasts; what an earlier start left behind is stopped first.

    Raises:
        RunsAlready: another run of this checkout holds the folder. CannotGoOn: a service does not come up.
    """
    with _held(folder) as lock:
        stop_leftovers(folder.resolve())
        services = Services(folder, is_lasting=is_lasting)
        try:
            services.start()
            _write_private(folder / _FOUND_IN, json.dumps(services.environment()))
            yield services
        finally:
            services.stop()
            (folder / _FOUND_IN).unlink(missing_ok=True)
            lock.truncate(0)


def empty(folder: Path) -> None:
    """Remove a folder in which nothing runs any more.

    Raises:
        RunsAlready: something does.
    """
    with _held(folder):
        stop_leftovers(folder.resolve())
        shutil.rmtree(folder)


def put_aside(folder: Path, aside: Path) -> None:
    """Rename a folder in which nothing runs any more.

    Raises:
        RunsAlready: something does.
    """
    with _held(folder):
        stop_leftovers(folder.resolve())
        folder.rename(aside)


@contextmanager
def _held(folder: Path) -> Iterator[IO[str]]:
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / "running.pid").open("a+") as lock:
        try:
            # The system lets go of it whatever way the process ends.
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            lock.seek(0)
            raise RunsAlready(f"this checkout runs already (process {lock.read()}); stop it first.") from error
        lock.truncate(0)
        lock.write(str(os.getpid()))
        lock.flush()
        yield lock


@contextmanager
def held(folder: Path) -> Iterator[None]:
    """A folder of a worker alone, which needs no services of its own; what an earlier one left behind is stopped first.

    Raises:
        RunsAlready: another process holds it.
    """
    with _held(folder):
        stop_leftovers(folder.resolve())
        for part in ("uploads", "media"):
            (folder / part).mkdir(mode=0o700, exist_ok=True)
        yield


def answers(port: int, address: str = _LOOPBACK) -> bool:
    """Whether something listens at a port of an address."""
    with socket.socket() as probe:
        return probe.connect_ex((address, port)) == 0


def _read_secrets(path: Path) -> dict[str, str]:
    """Made once, for the owner alone; those that a later revision needs are added."""
    known = dict(json.loads(path.read_text())) if path.exists() else {}
    missing = [name for name in _SECRETS if name not in known]
    if missing:
        known |= {name: secrets.token_urlsafe(32) for name in missing}
        _write_private(path, json.dumps(known))
    return known


def _write_private(path: Path, text: str) -> None:
    part = path.with_suffix(".part")
    part.unlink(missing_ok=True)
    part.touch(mode=0o600)
    part.write_text(text)
    part.replace(path)


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])
