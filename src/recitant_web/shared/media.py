"""Files of the application: in its folder on this machine, and in the store that several machines share, if any.

With a store (Django's storage "media") the folder is this machine's copy: what is written here is kept in the store
before any row names it, what is not here is fetched. Names are never given to other content, so a copy is never old.
"""

import os
import shutil
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Lock
from typing import Final

from django.conf import settings
from django.core.files import File
from django.core.files.storage import Storage, storages

from recitant_core.errors import RecitantError, StoreAway
from recitant_io.media.storage import storage_errors
from recitant_web.shared.caches import Cache

_MISSED_S: Final = 2.0
"""What the store did not have is asked for again after this long."""
_IN_USE_S: Final = 600.0
"""What was asked for lately is not removed to make room."""
_COPIES: Final = ("originals", "conformed", "pictures", "library", "deliveries")
_LAST: Final = "audio.f32"
"""Of the files of a conformed recording: put and fetched last, so a folder that holds it is whole."""
_missed: Cache[float] = Cache("files missed in the store", 1_000_000, lambda _at_s: 256)
_seen: Cache[bool] = Cache("files seen in the store", 1_000_000, lambda _is_there: 256)
_locks: Final = tuple(Lock() for _ in range(32))


def media_path(relative: str) -> Path:
    """Path of a file or folder on this machine, whether or not it is there."""
    return Path(settings.MEDIA_ROOT) / relative


def fetched(relative: str) -> Path:
    """A file on this machine, fetched where only the store has it; the path does not exist where nobody has it.

    Raises:
        StorageFull: no room for it. StoreAway: the store does not answer.
    """
    path, store = media_path(relative), _store()
    if store is None or not relative:
        return path
    if not path.exists():
        _fetch(store, [relative], relative)
    _touch(path)
    return path


def fetched_recording(relative: str) -> Path:
    """The folder of a conformed recording with all its files; as fetched."""
    folder, store = media_path(relative), _store()
    if store is None:
        return folder
    if not (folder / _LAST).exists() and not _is_missed(relative):
        with _answering():
            names = sorted(_listed(store, relative)[1], key=lambda name: name == _LAST)
        _fetch(store, [f"{relative}/{name}" for name in names], relative)
    _touch(folder / _LAST)
    return folder


def is_there(relative: str) -> bool:
    """Whether this machine or the store has a file."""
    store = _store()
    if media_path(relative).is_file() or _seen.get(relative):
        return True
    with _answering():
        is_kept = store is not None and store.exists(relative)
    return is_kept and _seen.put(relative, is_kept)


def keep(relative: str, *, is_final: bool = True) -> None:
    """Put a file, or a folder with all in it, into the store: before a row names it.

    Args:
        is_final: whether nothing else was ever written under these names: what the store has is not sent again.

    Raises:
        StoreAway: the store does not answer.
    """
    store, path = _store(), media_path(relative)
    if store is None:
        return
    files = [path] if path.is_file() else [one for one in path.rglob("*") if one.is_file() and ".part" not in one.name]
    for one in sorted(files, key=lambda file: (file.name == _LAST, file)):
        name = one.relative_to(settings.MEDIA_ROOT).as_posix()
        with _answering(), one.open("rb") as file:
            if not (is_final and store.exists(name)):
                store.save(name, File(file))


def drop(relative: str) -> None:
    """Remove a file, or a folder with all in it, here and from the store.

    Raises:
        StoreAway: the store does not answer.
    """
    path, store = media_path(relative), _store()
    if path.is_dir():
        shutil.rmtree(path, ignore_errors=True)
    else:
        path.unlink(missing_ok=True)
    if store is not None:
        _seen.clear()
        with _answering():
            _delete(store, relative)


def _delete(store: Storage, relative: str) -> None:
    for name in [*_all_names(store, relative), relative]:
        store.delete(name)


@contextmanager
def _answering() -> Iterator[None]:
    """Turns what a store has as errors of its own into StoreAway."""
    try:
        yield
    except (RecitantError, OSError):
        raise
    except Exception as error:  # each kind of store has its own classes
        raise StoreAway("store_away") from error


def _store() -> Storage | None:
    return storages["media"] if "media" in settings.STORAGES else None


def _fetch(store: Storage, names: list[str], asked: str) -> None:
    """Bring files here, each whole or not at all, in this order; remembers where the store has none."""
    with _answering(), _locks[hash(asked) % len(_locks)]:
        for name in names:
            path = media_path(name)
            if path.exists() or _is_missed(name):
                continue
            if not store.exists(name):
                _missed.put(name, time.monotonic())
                continue
            _make_room(store, store.size(name))
            with storage_errors():
                path.parent.mkdir(parents=True, exist_ok=True)
                part = path.with_name(f"{path.name}.{uuid.uuid4().hex}.part")
                try:
                    with store.open(name, "rb") as source, part.open("wb") as file:
                        shutil.copyfileobj(source, file, 1 << 20)
                    part.replace(path)
                finally:
                    part.unlink(missing_ok=True)
        if not names:
            _missed.put(asked, time.monotonic())


def _is_missed(name: str) -> bool:
    at_s = _missed.get(name)
    return at_s is not None and time.monotonic() - at_s < _MISSED_S


def _touch(path: Path) -> None:
    if path.exists():
        os.utime(path)


def _listed(store: Storage, folder: str) -> tuple[list[str], list[str]]:
    """Folders and files in a folder; none where there is no such folder."""
    try:
        folders, files = store.listdir(folder)
    except (FileNotFoundError, NotADirectoryError):  # a file system has folders, others only names
        return [], []
    return folders, files


def _all_names(store: Storage, folder: str) -> Iterator[str]:
    folders, files = _listed(store, folder)
    yield from (f"{folder}/{name}" for name in files)
    for inner in folders:
        yield from _all_names(store, f"{folder}/{inner}")


def _make_room(store: Storage, n_bytes: int) -> None:
    """Remove copies that were not asked for longest, until these bytes fit under the limit of the settings."""
    if not settings.MEDIA_COPIES_BYTES:
        return
    root = Path(settings.MEDIA_ROOT)
    units: dict[Path, list[Path]] = {}
    for kind in _COPIES:
        for path in (root / kind).rglob("*"):
            if path.is_file():
                units.setdefault(path.with_name(_LAST) if kind == "conformed" else path, []).append(path)
    used = [(max(p.stat().st_mtime for p in files), unit) for unit, files in units.items()]
    sizes = {unit: sum(path.stat().st_size for path in files) for unit, files in units.items()}
    left = sum(sizes.values()) + n_bytes - settings.MEDIA_COPIES_BYTES
    for at_s, unit in sorted(used):
        if left <= 0 or time.time() - at_s < _IN_USE_S:
            return
        # What was never kept (an upload under way) is nowhere else.
        if store.exists(unit.relative_to(root).as_posix()):
            for path in units[unit]:
                path.unlink(missing_ok=True)
            left -= sizes[unit]
