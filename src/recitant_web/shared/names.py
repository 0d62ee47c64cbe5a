"""Names of files as strangers send them, cleaned once, here."""

import unicodedata
from pathlib import PurePosixPath, PureWindowsPath
from typing import Final

_MOST_LETTERS: Final = 255
_MOST_BYTES: Final = 200  # of a name on disk, which most file systems limit to 255


def safe_name(name: str) -> str:
    """Name of a file as it is shown: its last part, without control characters, never empty, never a folder.

    >>> safe_name("../../etc/passwd"), safe_name("..")
    ('passwd', 'unnamed')
    """
    last = PureWindowsPath(PurePosixPath(name).name).name
    # Characters that turn or hide text would let a name pretend to be another.
    kept = "".join(c for c in unicodedata.normalize("NFC", last) if unicodedata.category(c)[0] != "C").strip()
    return kept[:_MOST_LETTERS] if kept.strip(". ") else "unnamed"


def disk_name(name: str) -> str:
    """A safe name that a file on disk can have."""
    return safe_name(name).encode()[:_MOST_BYTES].decode("utf-8", "ignore")
