"""Room on the disk, and what is said when there is none."""

import errno
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from recitant_core.errors import StorageFull


@contextmanager
def storage_errors() -> Iterator[None]:
    """Turns a disk that is full, or that takes nothing, into StorageFull."""
    try:
        yield
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise StorageFull("storage_full") from error
        if error.errno == errno.EROFS:
            raise StorageFull("storage_read_only") from error
        raise


def require_room(folder: Path, name: str, needed_bytes: int) -> None:
    """Nothing, if the disk under a folder has this much room.

    Raises:
        StorageFull: it has not.
    """
    free = shutil.disk_usage(folder).free
    if free < needed_bytes:
        raise StorageFull("file_too_large", file=name, needed=size_text(needed_bytes), free=size_text(free))


def size_text(n_bytes: int) -> str:
    """Bytes as people read them: MB, from 1 GB on in GB."""
    return f"{n_bytes / 1e9:.1f} GB" if n_bytes >= 1e9 else f"{n_bytes / 1e6:.0f} MB"
