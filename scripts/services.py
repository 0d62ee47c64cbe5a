"""MariaDB and Redis of this checkout alone. The database listens at a socket in the file system and Redis on loopback,
or both at an address that workers on other machines reach. Standard library only."""

import fcntl
import json
import os
import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import IO, Final

from machine import ROOT, CannotGoOn, say
from private_files import read_secrets, write_private
from processes import MARK, KeptProcess, can_enter, end_with_parent, give_to, service_user, stop_leftovers

_LOOPBACK: Final = "127.0.0.1"
_PORTS_FOR_OTHERS: Final = {"RECITANT_DB_PORT": 3307, "RECITANT_REDIS_PORT": 6380}
_REDIS_BYTES: Final = "256mb"
_STOP_S: Final = 20.0
_FOUND_IN: Final = "environment.json"
"""Of a folder whose services run: where they are, with what passwords."""
_DATA_AT: Final = "services-at"
"""Names the folder of the services' data where their accounts cannot enter the application's."""
_SYSTEM_DATA: Final = Path("/var/lib/recitant")
_SAID_EVERY_S: Final = 10.0
_MOST_SOCKET_BYTES: Final = 100  # unix(7): 108 with the final zero


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
        self._is_lasting = is_lasting
        self._kept: list[KeptProcess] = []
        self.folder.mkdir(parents=True, exist_ok=True)
        for part in ("uploads", "media"):
            (self.folder / part).mkdir(exist_ok=True)
            (self.folder / part).chmod(0o700)
        self._secrets = read_secrets(self.folder / "secrets.json")
        self._database_user, self._redis_user = service_user("mysql"), service_user("redis")
        # Accounts of services pass through to their own folders; nobody else has anything to read here.
        has_accounts = self._database_user is not None or self._redis_user is not None
        for path in (self.folder, self.folder.parent) if self.folder.parent == ROOT / "var" else (self.folder,):
            path.chmod(0o711 if has_accounts else 0o700)
        self._place = self._place_of_data()
        self.data, self._redis_data = self._place / "mariadb", self._place / "redis"
        self._sockets = _socket_folder(self._place)
        self.database_port = self._port("RECITANT_DB_PORT") if self._is_shared else None
        self.redis_port = self._port("RECITANT_REDIS_PORT")

    def start(self) -> None:
        """Start both and wait until they answer, however long that takes; says what it waits for.

        Raises:
            CannotGoOn: one ends before it answers; the message names its log.
        """
        if not (self.data / "mysql").is_dir():
            self._make_database()
        give_to(self._database_user, self.data)
        give_to(self._database_user, self._sockets)
        self._start(self._database(), self.database_answers)
        self._close_database()
        self._start(self._redis(), self.redis_answers)

    def database_answers(self) -> bool:
        """Whether the database takes connections."""
        with socket.socket(socket.AF_UNIX) as probe:
            return probe.connect_ex(str(self._socket_path)) == 0

    def redis_answers(self) -> bool:
        """Whether Redis takes connections."""
        return answers(self.redis_port, self.address)

    def environment(self) -> dict[str, str]:
        """What the application needs to find them."""
        return {
            "RECITANT_VAR": str(self.folder),
            "RECITANT_DB_HOST": self.address if self._is_shared else str(self._socket_path),
            "RECITANT_REDIS_HOST": self.address,
            "RECITANT_DB_PORT": str(self.database_port or ""),
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

    def _start(self, kept: KeptProcess, is_up: Callable[[], bool]) -> None:
        kept.start()
        self._kept.append(kept)
        began = said_at = time.monotonic()
        while not is_up():
            if kept.has_ended():
                raise CannotGoOn(f"{kept.name} did not start. Its log is {self.folder / kept.log}.")
            if time.monotonic() - said_at >= _SAID_EVERY_S:
                said_at = time.monotonic()
                say(f"waiting for {kept.name}, {said_at - began:.0f} s so far; {last_line(self.folder / kept.log)}")
            time.sleep(0.05)

    def _make_database(self) -> None:
        say("making the database folder")
        part = self.data.with_name("mariadb.part")  # of a start that was cut short
        shutil.rmtree(part, ignore_errors=True)
        shutil.rmtree(self.data, ignore_errors=True)
        give_to(self._database_user, part)
        command = ["mariadb-install-db", "--no-defaults", f"--datadir={part}", "--skip-test-db"]
        command += ["--auth-root-authentication-method=normal", *self._as_user()]
        self._run_once(command, "mariadb-install.log")
        part.rename(self.data)

    def _database(self) -> KeptProcess:
        command = ["mariadbd", "--no-defaults", f"--datadir={self.data}", f"--socket={self._socket_path}"]
        command += [f"--pid-file={self.data / 'mariadb.pid'}", "--skip-name-resolve"]
        if self._is_shared:
            command += [f"--bind-address={self.address}", f"--port={self.database_port}"]
        else:
            command += ["--skip-networking"]
        # Statements read and write no files but those of the tables.
        command += ["--local-infile=0", "--skip-symbolic-links", f"--secure-file-priv={self._sockets}"]
        command += ["--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin"]
        command += ["--innodb-buffer-pool-size=128M", "--max-connections=80", *self._as_user()]
        command += [] if self._is_lasting else ["--innodb-flush-log-at-trx-commit=0", "--innodb-doublewrite=0"]
        return KeptProcess("MariaDB", command, self.folder, "mariadb.log", user=self._database_user, stop_s=_STOP_S)

    def _redis(self) -> KeptProcess:
        # A password on the command line would stand in the list of processes. The file lies where Redis cannot write:
        # a link that it put there would be followed with the rights of the start command.
        settings = self._place / "redis.conf"
        lines = [
            f"bind {self.address}",
            f"port {self.redis_port}",
            f"dir {self._redis_data}",
            f"requirepass {self._secrets['redis']}",
        ]
        # Jobs in the queue are rows too, but none may be pushed out silently: what does not fit is refused.
        lines += [f"maxmemory {_REDIS_BYTES}", "maxmemory-policy noeviction"]
        lines += ["save 60 1", "appendonly yes", "appendfsync everysec", "daemonize no"]
        write_private(settings, "\n".join(lines) + "\n", self._redis_user)
        give_to(self._redis_user, self._redis_data)
        (self._redis_data / "redis.conf").unlink(missing_ok=True)  # of an earlier revision
        command = ["redis-server", str(settings)]
        return KeptProcess("Redis", command, self.folder, "redis.log", user=self._redis_user, stop_s=_STOP_S)

    @property
    def _socket_path(self) -> Path:
        return self._sockets / "mariadb.sock"

    def _as_user(self) -> list[str]:
        # Started as root without an account of its own it refuses, unless told so.
        return ["--user=root"] if os.geteuid() == 0 and self._database_user is None else []

    def _close_database(self) -> None:
        """Leave two accounts that anybody can name: root at the socket and the application's, each with a password.

        At every start: folders of earlier revisions have a root without a password on loopback.
        """
        root, password = self._secrets["root"], self._secrets["database"]
        host = "%" if self._is_shared else "localhost"
        statements = (
            f"ALTER USER 'root'@'localhost' IDENTIFIED BY '{root}';"
            f"CREATE OR REPLACE USER 'recitant'@'{host}' IDENTIFIED BY '{password}';"
            "CREATE DATABASE IF NOT EXISTS recitant CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;"
            f"GRANT ALL ON recitant.* TO 'recitant'@'{host}';"
            "SELECT GROUP_CONCAT(QUOTE(User), '@', QUOTE(Host)) INTO @others FROM mysql.global_priv"
            " WHERE User = '' OR (User = 'root' AND Host <> 'localhost')"
            f" OR (User = 'recitant' AND Host <> '{host}');"
            "EXECUTE IMMEDIATE IF(@others IS NULL, 'DO 0', CONCAT('DROP USER ', @others));"
        )
        if not self._is_lasting:
            statements += f"GRANT ALL ON `test\\_recitant%`.* TO 'recitant'@'{host}';"
        for given in (root, ""):
            environment = {**os.environ, "MYSQL_PWD": given}
            command = ["mariadb", "--no-defaults", "-u", "root", f"--socket={self._socket_path}"]
            # Read from standard input: arguments stand in the list of processes.
            done = subprocess.run(command, env=environment, input=statements.encode(), capture_output=True, check=False)
            if done.returncode == 0:
                return
        raise CannotGoOn(f"the database accounts could not be made: {done.stderr.decode().strip()}")

    def _place_of_data(self) -> Path:
        """Where the services keep their data: in the application's folder, or where their accounts can enter."""
        note = self.folder / _DATA_AT
        if note.exists():
            return Path(note.read_text().strip())
        users = [user for user in (self._database_user, self._redis_user) if user is not None]
        if all(can_enter(user, self.folder) for user in users):
            return self.folder
        _SYSTEM_DATA.mkdir(exist_ok=True)
        _SYSTEM_DATA.chmod(0o711)
        place = Path(tempfile.mkdtemp(dir=_SYSTEM_DATA))
        place.chmod(0o711)
        for part in ("mariadb", "redis"):
            if (self.folder / part).exists():
                shutil.move(self.folder / part, place / part)
        note.write_text(str(place))
        say(f"database and queue keep their data in {place}: their accounts cannot enter {self.folder}")
        return place

    def _port(self, name: str) -> int:
        # Other machines must find it where it was yesterday.
        return int(os.environ.get(name) or _PORTS_FOR_OTHERS[name]) if self._is_shared else free_port()

    def _run_once(self, command: list[str], log: str) -> None:
        rights = {} if self._database_user is None else {"user": self._database_user, "extra_groups": []}
        with (self.folder / log).open("wb") as file:
            done = subprocess.run(
                command,
                env={**os.environ, MARK: str(self.folder)},
                stdout=file,
                stderr=file,
                check=False,
                preexec_fn=end_with_parent(os.getpid()),
                **rights,
            )
        if done.returncode != 0:
            raise CannotGoOn(f"{command[0]} failed. Its log is {self.folder / log}.")


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
            write_private(folder / _FOUND_IN, json.dumps(services.environment()))
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
        remove(folder)


def remove(folder: Path) -> None:
    """Remove a folder of an application with the data of its services, wherever they lie."""
    note = folder / _DATA_AT
    if note.exists() and Path(note.read_text().strip()).parent == _SYSTEM_DATA:
        shutil.rmtree(note.read_text().strip(), ignore_errors=True)
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


def database_arguments(environment: dict[str, str]) -> list[str]:
    """Arguments with which MariaDB's own commands reach the database as the application."""
    # An application that an earlier revision started does not say its host: it is this machine.
    host = environment.get("RECITANT_DB_HOST", _LOOPBACK)
    if host.startswith("/"):
        return [f"--socket={host}", "--user=recitant"]
    return [f"--host={host}", f"--port={environment['RECITANT_DB_PORT']}", "--user=recitant"]


def last_line(log: Path) -> str:
    """The newest line of a log, shortened; empty where there is none."""
    try:
        with log.open("rb") as file:
            file.seek(max(0, log.stat().st_size - 2_000))
            lines = file.read().decode(errors="replace").split("\n")
    except OSError:
        return ""
    return next((line.strip()[:120] for line in reversed(lines) if line.strip()), "")


def free_port(address: str = _LOOPBACK) -> int:
    """A port of an address that nobody listens at."""
    with socket.socket() as probe:
        probe.bind((address, 0))
        return int(probe.getsockname()[1])


def _socket_folder(place: Path) -> Path:
    """A folder for sockets, whose path is short enough for one."""
    folder = place / "sockets"
    if len(bytes(folder / "mariadb.sock")) > _MOST_SOCKET_BYTES:
        folder = Path(tempfile.mkdtemp(prefix="recitant-"))
    return folder
