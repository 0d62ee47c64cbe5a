"""A delivery as one ZIP, made while it is read: nothing of it is kept on disk or in memory."""

import zipfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, Final

from recitant_core.delivery.orders.results import Delivered
from recitant_io.delivery.planned import OWN_NAMES
from recitant_io.media.storage import storage_errors

ZIP_NAME: Final = "everything.zip"
_BLOCK_BYTES: Final = 1 << 20


class _Outlet:
    """Output of a ZIP, to be taken away piece by piece."""

    def __init__(self) -> None:
        self._parts: list[bytes] = []

    def write(self, data: Any, /) -> int:
        """Take more."""
        part = bytes(data)
        self._parts.append(part)
        return len(part)

    def flush(self) -> None:
        """Nothing waits."""

    def taken(self) -> bytes:
        """All that came since the last time."""
        found, self._parts = b"".join(self._parts), []
        return found


def write_zip(folder: Path, done: Sequence[Delivered]) -> Path:
    """All files of a delivery in one ZIP in its folder, which appears when it is whole.

    Raises:
        StorageFull: no room left.
    """
    listed = [file.file for one in done for file in one.files]
    names = [name for name in [*OWN_NAMES, *listed] if (folder / name).is_file()]
    path = folder / ZIP_NAME
    part = path.with_name(f".{path.name}.part")
    try:
        with storage_errors(), part.open("wb") as file:
            for block in zipped(folder, names):
                file.write(block)
            part.replace(path)
    finally:
        part.unlink(missing_ok=True)
    return path


def zipped(folder: Path, names: Sequence[str]) -> Iterator[bytes]:
    """The files of a folder as a ZIP, piece by piece; sound does not get smaller, so it is stored as it is."""
    outlet: Any = _Outlet()
    with zipfile.ZipFile(outlet, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        for name in names:
            info = zipfile.ZipInfo.from_file(folder / name, name)
            with (folder / name).open("rb") as file, archive.open(info, "w") as into:
                while block := file.read(_BLOCK_BYTES):
                    into.write(block)
                    yield outlet.taken()
            yield outlet.taken()
    yield outlet.taken()
