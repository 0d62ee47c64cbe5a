"""Backup and restore: a round trip while somebody works, and backups that are none."""

import gzip
import importlib
import io
import os
import shutil
import subprocess
import tarfile
import threading
import uuid

import pytest

keeping = importlib.import_module("keeping")
machine = importlib.import_module("machine")
services = importlib.import_module("services")


def sql(environment, text):
    """Rows that a statement gives, as lines."""
    command = ["mariadb", "--no-defaults", "-N", "-B", "--default-character-set=utf8mb4"]
    command += [*services.database_arguments(environment), "recitant", "-e", text]
    told = {**os.environ, "MYSQL_PWD": environment["RECITANT_DB_PASSWORD"]}
    done = subprocess.run(command, env=told, capture_output=True, check=True)
    return done.stdout.decode().splitlines()


@pytest.fixture
def application(tmp_path):
    """A folder with some rows and files, whose services run."""
    folder = tmp_path / "var" / "app"
    with services.running(folder, is_lasting=False) as found:
        environment = found.environment()
        sql(environment, "CREATE TABLE take (id INT AUTO_INCREMENT PRIMARY KEY, name VARCHAR(40), half INT, raw BLOB)")
        sql(environment, "INSERT INTO take (name, half, raw) VALUES ('Größe 鐘 🎬', 0, X'00FF80'), ('none', 1, NULL)")
        for relative in ("originals/1/a", "conformed/ab/audio.f32", "chained/x", "originals/1/b.part"):
            (folder / "media" / relative).parent.mkdir(parents=True, exist_ok=True)
            (folder / "media" / relative).write_bytes(os.urandom(1_000))
        yield folder, environment


def files_of(folder):
    return {str(path.relative_to(folder)): path.read_bytes() for path in folder.rglob("*") if path.is_file()}


class Worker(threading.Thread):
    """Somebody who brings in a file and then writes two rows about it in one transaction, again and again."""

    def __init__(self, folder, environment):
        super().__init__()
        self.folder, self.environment, self.n_done, self.is_over = folder, environment, 0, False

    def run(self):
        while not self.is_over:
            name = uuid.uuid4().hex
            (self.folder / "media" / "originals" / name).write_bytes(name.encode())
            rows = [f"INSERT INTO take (name, half) VALUES ('{name}', {half})" for half in (0, 1)]
            sql(self.environment, "; ".join(["START TRANSACTION", *rows, "COMMIT"]))
            self.n_done += 1


def test_what_was_backed_up_while_somebody_worked_comes_back_whole(application, tmp_path):
    folder, environment = application
    worker = Worker(folder, environment)
    worker.start()
    try:
        while worker.n_done < 3:
            pass
        keeping.back_up(folder, tmp_path / "kept.tar")
        while worker.n_done < 6:
            pass
    finally:
        worker.is_over = True
        worker.join()
    assert (tmp_path / "kept.tar").stat().st_mode & 0o077 == 0  # it holds secrets
    other = tmp_path / "elsewhere" / "app"
    keeping.restore(tmp_path / "kept.tar", other, replaces=False)
    with services.running(other, is_lasting=False) as found:
        rows = [line.split("\t") for line in sql(found.environment(), "SELECT name, half FROM take WHERE id > 2")]
        names = [name for name, _ in rows]
        assert len(rows) >= 6 and all(names.count(name) == 2 for name in names)  # no half of a transaction
        assert all((other / "media" / "originals" / name).read_bytes() == name.encode() for name in names)
        assert sql(found.environment(), "SELECT name, HEX(raw) FROM take WHERE id <= 2") == [
            "Größe 鐘 🎬\t00FF80",
            "none\tNULL",
        ]
        assert found.environment()["RECITANT_SECRET_KEY"] == environment["RECITANT_SECRET_KEY"]
        assert found.environment()["RECITANT_DB_PASSWORD"] != environment["RECITANT_DB_PASSWORD"]
    kept = files_of(other / "media")
    assert kept["conformed/ab/audio.f32"] == (folder / "media/conformed/ab/audio.f32").read_bytes()
    assert "chained/x" not in kept and "originals/1/b.part" not in kept
    assert {path.name for path in other.iterdir()} >= {"secrets.json", "media", "mariadb"}
    assert not (other / "database.sql.gz").exists()


def test_a_restore_puts_aside_what_is_there_and_brings_it_back_when_it_fails(tmp_path):
    folder = tmp_path / "var" / "app"
    with services.running(folder, is_lasting=False) as found:
        sql(found.environment(), "CREATE TABLE mine (id INT)")
        keeping.back_up(folder, tmp_path / "kept.tar")
        with pytest.raises(machine.CannotGoOn, match="runs already"):
            keeping.restore(tmp_path / "kept.tar", folder, replaces=True)
    with pytest.raises(machine.CannotGoOn, match="--replace"):
        keeping.restore(tmp_path / "kept.tar", folder, replaces=False)
    broken = tmp_path / "broken.tar"
    with tarfile.open(tmp_path / "kept.tar") as tar, tarfile.open(broken, "w") as out:
        for entry in tar.getmembers():
            if entry.name == "database.sql.gz":
                data = gzip.compress(b"CREATE TABL nonsense;")
                entry.size = len(data)
                out.addfile(entry, io.BytesIO(data))
            else:
                out.addfile(entry, tar.extractfile(entry))
    with pytest.raises(machine.CannotGoOn, match="damaged"):
        keeping.restore(broken, folder, replaces=True)
    with services.running(folder, is_lasting=False) as found:
        assert sql(found.environment(), "SHOW TABLES") == ["mine"]
    keeping.restore(tmp_path / "kept.tar", folder, replaces=True)
    assert len(list(folder.parent.glob("app-before-*"))) == 1
    with services.running(folder, is_lasting=False) as found:
        assert sql(found.environment(), "SHOW TABLES") == ["mine"]


def test_what_is_no_backup_is_said(tmp_path, monkeypatch):
    (tmp_path / "text").write_text("no tar")
    with tarfile.open(tmp_path / "other.tar", "w") as tar:
        tar.add(tmp_path / "text", "text")
    for name in ("text", "other.tar", "missing"):
        with pytest.raises(machine.CannotGoOn, match="no backup that can be read"):
            keeping.restore(tmp_path / name, tmp_path / "app", replaces=False)
    assert not (tmp_path / "app").exists()


def test_a_backup_without_room_leaves_nothing(application, tmp_path, monkeypatch):
    folder, _ = application
    real = keeping.shutil.disk_usage("/")
    monkeypatch.setattr(keeping.shutil, "disk_usage", lambda _: real._replace(free=10))
    with pytest.raises(machine.CannotGoOn, match="are free"):
        keeping.back_up(folder, tmp_path / "kept.tar")
    assert not list(tmp_path.glob("*kept*")) and not list(folder.glob("backup-*"))


def test_a_backup_that_leads_outside_is_refused(tmp_path):
    folder = tmp_path / "var" / "app"
    with services.running(folder, is_lasting=False):
        keeping.back_up(folder, tmp_path / "kept.tar")
    for name, kind in (("../outside", tarfile.REGTYPE), ("link", tarfile.SYMTYPE)):
        trap = tmp_path / "trap.tar"
        shutil.copy(tmp_path / "kept.tar", trap)
        with tarfile.open(trap, "a") as tar:
            entry = tarfile.TarInfo(name)
            entry.type, entry.linkname = kind, "/etc/passwd"
            tar.addfile(entry, io.BytesIO())
        with pytest.raises(machine.CannotGoOn, match="belongs in none"):
            keeping.restore(trap, tmp_path / "other" / "app", replaces=False)
        assert not (tmp_path / "other" / "app").exists() and not (tmp_path / "other" / "outside").exists()
