"""MariaDB and Redis of this checkout alone: own folder, own ports, loopback only. Standard library only."""

import fcntl
import json
import os
import secrets
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from machine import CannotGoOn, say


class Services:
    """The two services under one folder."""

    def __init__(self, folder: Path, *, is_lasting: bool = True) -> None:
        """
        Args:
            is_lasting: whether rows must outlive a crash of the machine; tests need not wait for the disk.
        """
        self.folder = folder
        self._haste = [] if is_lasting else ["--innodb-flush-log-at-trx-commit=0", "--innodb-doublewrite=0"]
        self.data = folder / "mariadb"
        self._processes: list[subprocess.Popen[bytes]] = []
        for part in ("uploads", "media"):
            (folder / part).mkdir(parents=True, exist_ok=True)
        self._secrets_path = folder / "secrets.json"
        if not self._secrets_path.exists():
            made = {name: secrets.token_urlsafe(32) for name in ("root", "database", "django")}
            self._secrets_path.touch(mode=0o600)
            self._secrets_path.write_text(json.dumps(made))
        self._secrets = json.loads(self._secrets_path.read_text())
        self.database_port = _free_port()
        self.redis_port = _free_port()

    def start(self) -> None:
        """Start both and wait until they answer.

        Raises:
            CannotGoOn: one does not come up; the message names its log.
        """
        is_new = not (self.data / "mysql").is_dir()
        if is_new:
            say("making the database folder")
            self.data.mkdir(parents=True, exist_ok=True)
            command = ["mariadb-install-db", "--no-defaults", f"--datadir={self.data}", "--skip-test-db", *_user()]
            command += ["--auth-root-authentication-method=normal"]
            self._run_once(command, "mariadb-install.log")
        self._start_database()
        if is_new or not (self.folder / "database-ready").exists():
            self._make_accounts()
        self._spawn(
            ["redis-server", "--bind", "127.0.0.1", "--port", str(self.redis_port), "--dir", str(self.folder)]
            + ["--save", "60 1", "--appendonly", "yes", "--appendfsync", "everysec", "--daemonize", "no"],
            "redis.log",
        )
        self._wait(self.redis_port, "redis.log", "Redis")

    def environment(self) -> dict[str, str]:
        """What the application needs to find them."""
        return {
            "RECITANT_VAR": str(self.folder),
            "RECITANT_DB_PORT": str(self.database_port),
            "RECITANT_DB_PASSWORD": self._secrets["database"],
            "RECITANT_REDIS_PORT": str(self.redis_port),
            "RECITANT_SECRET_KEY": self._secrets["django"],
        }

    def dead(self) -> bool:
        """Whether one of them has ended by itself."""
        return any(process.poll() is not None for process in self._processes)

    def stop(self) -> None:
        """End both, the newest first."""
        for process in reversed(self._processes):
            process.terminate()
        for process in reversed(self._processes):
            try:
                process.wait(20)
            except subprocess.TimeoutExpired:
                process.kill()
        self._processes = []

    def _start_database(self) -> None:
        # Socket paths have a short limit that a deep checkout would pass: only the port is used.
        socket_path = Path("/tmp") / f"recitant-{os.getpid()}-{self.database_port}.sock"
        self._spawn(
            ["mariadbd", "--no-defaults", f"--datadir={self.data}", f"--port={self.database_port}"]
            + ["--bind-address=127.0.0.1", f"--socket={socket_path}", f"--pid-file={self.folder / 'mariadb.pid'}"]
            + ["--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin", "--skip-name-resolve"]
            + ["--innodb-buffer-pool-size=128M", "--max-connections=80", *self._haste, *_user()],
            "mariadb.log",
        )
        self._wait(self.database_port, "mariadb.log", "MariaDB")

    def _make_accounts(self) -> None:
        root, password = self._secrets["root"], self._secrets["database"]
        statements = (
            f"ALTER USER 'root'@'localhost' IDENTIFIED BY '{root}';"
            f"CREATE OR REPLACE USER 'recitant'@'127.0.0.1' IDENTIFIED BY '{password}';"
            "CREATE DATABASE IF NOT EXISTS recitant CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;"
            "GRANT ALL ON recitant.* TO 'recitant'@'127.0.0.1';"
            "GRANT ALL ON `test\\_recitant%`.* TO 'recitant'@'127.0.0.1';"
        )
        socket_path = f"/tmp/recitant-{os.getpid()}-{self.database_port}.sock"
        for given in ("", root):
            environment = {**os.environ, "MYSQL_PWD": given}
            command = ["mariadb", "--no-defaults", "-u", "root", f"--socket={socket_path}", "-e", statements]
            done = subprocess.run(command, env=environment, capture_output=True, check=False)
            if done.returncode == 0:
                (self.folder / "database-ready").touch()
                return
        raise CannotGoOn(f"the database accounts could not be made: {done.stderr.decode().strip()}")

    def _run_once(self, command: list[str], log: str) -> None:
        with (self.folder / log).open("wb") as file:
            if subprocess.run(command, stdout=file, stderr=file, check=False).returncode != 0:
                raise CannotGoOn(f"{command[0]} failed; see {self.folder / log}")

    def _spawn(self, command: list[str], log: str) -> None:
        with (self.folder / log).open("ab") as file:
            # A group of its own: Ctrl-C reaches us first, and we stop the services in order.
            process = subprocess.Popen(command, stdout=file, stderr=file, start_new_session=True)
        self._processes.append(process)

    def _wait(self, port: int, log: str, name: str) -> None:
        end = time.monotonic() + 60
        while time.monotonic() < end:
            if self._processes[-1].poll() is not None:
                break
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", port)) == 0:
                    return
            time.sleep(0.05)
        raise CannotGoOn(f"{name} did not come up; see {self.folder / log}")


@contextmanager
def running(folder: Path, *, is_lasting: bool = True) -> Iterator[Services]:
    """Both services, while the context lasts.

    Raises:
        CannotGoOn: another run of this checkout holds the folder, or a service does not come up.
    """
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / "running.pid").open("a+") as lock:
        try:
            # The system lets go of it whatever way the process ends.
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            lock.seek(0)
            raise CannotGoOn(f"this checkout runs already (process {lock.read()}); stop it first.") from error
        lock.truncate(0)
        lock.write(str(os.getpid()))
        lock.flush()
        services = Services(folder, is_lasting=is_lasting)
        try:
            services.start()
            yield services
        finally:
            services.stop()
            lock.truncate(0)


def _user() -> list[str]:
    return ["--user=root"] if os.geteuid() == 0 else []


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])
