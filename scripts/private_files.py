"""Files that the account of this application alone reads. Standard library only."""

import json
import os
import secrets
import shutil
from pathlib import Path
from typing import Final

_SECRETS: Final = ("root", "database", "django", "redis")


def read_secrets(path: Path) -> dict[str, str]:
    """Made once, for the owner alone; those that a later revision needs are added."""
    known = dict(json.loads(path.read_text())) if path.exists() else {}
    missing = [name for name in _SECRETS if name not in known]
    if missing:
        known |= {name: secrets.token_urlsafe(32) for name in missing}
        write_private(path, json.dumps(known))
    return known


def write_private(path: Path, text: str, user: str | None = None) -> None:
    """Write a file that its owner alone reads; a link that stands in its place is replaced, never followed.

    Args:
        user: account that owns it; None for this process's.
    """
    part = path.with_suffix(".part")
    part.unlink(missing_ok=True)
    descriptor = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600)
    with os.fdopen(descriptor, "w") as file:
        if user is not None:
            shutil.chown(descriptor, user, user)
        file.write(text)
    part.replace(path)
