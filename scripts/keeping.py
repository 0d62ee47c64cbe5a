"""Backup into one file, and the way back: a tar with the database as SQL, the media, the secrets and a list.

Standard library only, beside MariaDB's own tools.
"""

import contextlib
import gzip
import hashlib
import io
import json
import os
import shutil
import subprocess
import tarfile
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Final

from machine import CannotGoOn, say
from services import database_arguments, put_aside, reached, remove, running

_FORM: Final = 1
_DATABASE: Final = "database.sql.gz"
_LIST: Final = "backup.json"
_SECRETS: Final = ("secrets.json", "demo-account.json")
_MADE_AGAIN: Final = ("kept-mixes", "chained", "stem-levels", "stills")
"""Folders of media that the application makes anew by itself."""
_PIECE_BYTES: Final = 1 << 20


def back_up(folder: Path, path: Path) -> None:
    """Write everything of an application's folder into a file that appears when it is whole; people may go on working.

    The database is read as it is at one moment. Media are linked before and after that: a file is never changed once it
    is there, so that each one that the rows know is among them.

    Args:
        folder: of the application, as var/app.
        path: of the backup; what is there is replaced.

    Raises:
        CannotGoOn: no room, or the database cannot be read.
    """
    with reached(folder) as environment, tempfile.TemporaryDirectory(dir=folder, prefix="backup-") as scratch:
        media, dump = Path(scratch) / "media", Path(scratch) / _DATABASE
        _link(folder / "media", media)
        sha256 = _dump(environment, dump)
        _link(folder / "media", media)
        files = sorted(one for one in media.rglob("*") if one.is_file())
        n_bytes = sum(one.stat().st_size for one in files) + dump.stat().st_size
        _require_room(path.absolute().parent, n_bytes)
        listed = {"form": _FORM, "made_at_s": time.time(), "files": len(files), "bytes": n_bytes, "sha256": sha256}
        part = path.with_name(f".{path.name}.part")
        try:
            part.touch(mode=0o600)
            with tarfile.open(part, "w") as tar:
                _add_text(tar, _LIST, json.dumps(listed))
                for name in _SECRETS:
                    if (folder / name).exists():
                        tar.add(folder / name, name)
                tar.add(dump, _DATABASE)
                for one in files:
                    tar.add(one, f"media/{one.relative_to(media)}")
            part.replace(path)
        finally:
            part.unlink(missing_ok=True)
    if os.environ.get("RECITANT_MEDIA_STORE"):
        say(f"{os.environ['RECITANT_MEDIA_STORE']} holds what has no copy here: it needs a backup of its own.")
    say(f"{path}: {len(files)} files and the database, {n_bytes / 1e9:.2f} GB. It holds everything: keep it safe.")


def restore(path: Path, folder: Path, *, replaces: bool) -> None:
    """Make an application's folder what it was when it was backed up.

    Args:
        path: of the backup.
        folder: of the application, which must not run.
        replaces: what is there is put aside, and brought back if this fails; without it there must be nothing.

    Raises:
        CannotGoOn: no backup of ours, not whole, no room, something is there, or the database does not take it.
    """
    listed = _listed(path)
    folder.parent.mkdir(parents=True, exist_ok=True)
    _require_room(folder.parent, int(listed["bytes"]))
    aside = folder.with_name(f"{folder.name}-before-{time.strftime('%Y%m%d-%H%M%S')}")
    has_old = (folder / "secrets.json").exists()
    if has_old and not replaces:
        raise CannotGoOn("there is something already; with --replace it is put aside and this takes its place.")
    if has_old:
        put_aside(folder, aside)
    try:
        _fill(path, folder, listed)
    except BaseException:
        remove(folder)
        if has_old:
            aside.rename(folder)
        raise
    say("restored. ./recitant start goes on from there.")
    if has_old:
        say(f"what was there lies in {aside}; remove it when you do not need it.")


def _fill(path: Path, folder: Path, listed: dict[str, object]) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    with tarfile.open(path) as tar:
        for entry in tar:
            _extract(tar, entry, folder)
    dump = folder / _DATABASE
    with gzip.open(dump) as file:
        if hashlib.file_digest(file, "sha256").hexdigest() != listed["sha256"]:
            raise CannotGoOn(f"{path} is damaged: its database is not what was backed up.")
    kept = folder / "secrets.json"
    old = json.loads(kept.read_text())
    kept.unlink()  # accounts of the database are made anew
    with running(folder) as services:
        environment = services.environment()
        with gzip.open(dump) as file:
            _load(environment, file)
    # Sessions and signed links stay good.
    new = json.loads(kept.read_text()) | {"django": old["django"]}
    kept.write_text(json.dumps(new))
    for name in (_DATABASE, _LIST):
        (folder / name).unlink()


def _extract(tar: tarfile.TarFile, entry: tarfile.TarInfo, folder: Path) -> None:
    """One file, inside the folder; links, devices and names that lead outside are no files of a backup."""
    target = (folder / entry.name).resolve()
    if not entry.isreg() or not target.is_relative_to(folder.resolve()):
        raise CannotGoOn(f"the backup holds {entry.name!r}, which belongs in none.")
    target.parent.mkdir(parents=True, exist_ok=True)
    found = tar.extractfile(entry)
    assert found is not None
    with found, target.open("wb") as file:
        shutil.copyfileobj(found, file)
    target.chmod(0o600)


def _listed(path: Path) -> dict[str, object]:
    try:
        with tarfile.open(path) as tar:
            names = tar.getnames()
            file = tar.extractfile(_LIST)
            assert file is not None
            listed: dict[str, object] = json.loads(file.read())
    except (OSError, tarfile.TarError, KeyError, ValueError) as error:
        raise CannotGoOn(f"{path} is no backup that can be read: {error}.") from error
    if listed.get("form") != _FORM:
        raise CannotGoOn(f"{path} was made by a newer Recitant.")
    if sum(name.startswith("media/") for name in names) != listed["files"] or _DATABASE not in names:
        raise CannotGoOn(f"{path} is not whole.")
    return listed


def _link(source: Path, target: Path) -> None:
    for one in source.rglob("*"):
        relative = one.relative_to(source)
        is_begun = one.suffix == ".part" or ".part." in one.name or ".as-" in one.parent.name
        if relative.parts[0] in _MADE_AGAIN or is_begun or not one.is_file():
            continue
        place = target / relative
        place.parent.mkdir(parents=True, exist_ok=True)
        # Removed meanwhile, or linked before.
        with contextlib.suppress(FileNotFoundError, FileExistsError):
            os.link(one, place)


def _dump(environment: dict[str, str], path: Path) -> str:
    command = ["mariadb-dump", "--no-defaults", "--single-transaction", "--skip-lock-tables", "--no-tablespaces"]
    command += ["--hex-blob", "--default-character-set=utf8mb4", *database_arguments(environment), "recitant"]
    digest = hashlib.sha256()
    with gzip.open(path, "wb", compresslevel=3) as file, _speaking(environment, command) as process:
        assert process.stdout is not None
        while piece := process.stdout.read(_PIECE_BYTES):
            digest.update(piece)
            file.write(piece)
        if process.wait() != 0:
            raise CannotGoOn("the database could not be read; its message stands above.")
    return digest.hexdigest()


def _load(environment: dict[str, str], sql: IO[bytes]) -> None:
    command = [
        "mariadb",
        "--no-defaults",
        "--default-character-set=utf8mb4",
        *database_arguments(environment),
        "recitant",
    ]
    with _speaking(environment, command, takes=True) as process:
        assert process.stdin is not None
        with contextlib.suppress(BrokenPipeError):
            shutil.copyfileobj(sql, process.stdin)
            process.stdin.close()
        if process.wait() != 0:
            raise CannotGoOn("the database does not take what was backed up; its message stands above.")


@contextlib.contextmanager
def _speaking(
    environment: dict[str, str], command: list[str], *, takes: bool = False
) -> "Iterator[subprocess.Popen[bytes]]":
    # A password among the arguments would stand in the list of processes.
    told = {**os.environ, "MYSQL_PWD": environment["RECITANT_DB_PASSWORD"]}
    pipes = {"stdin": subprocess.PIPE} if takes else {"stdout": subprocess.PIPE}
    with subprocess.Popen(command, env=told, **pipes) as process:
        yield process


def _require_room(folder: Path, n_bytes: int) -> None:
    free = shutil.disk_usage(folder).free
    if free < n_bytes:
        raise CannotGoOn(f"{n_bytes / 1e9:.2f} GB are needed in {folder} and only {free / 1e9:.2f} GB are free.")


def _add_text(tar: tarfile.TarFile, name: str, text: str) -> None:
    data = text.encode()
    entry = tarfile.TarInfo(name)
    entry.size, entry.mode, entry.mtime = len(data), 0o600, int(time.time())
    tar.addfile(entry, io.BytesIO(data))
