"""Chains that are being tried: stored while they are heard, so that the address of a block of sound stays short."""

import hashlib
import json
import time
from pathlib import Path
from typing import Any, Final

from django.conf import settings

from recitant_core.errors import MalformedRequest, NotThere
from recitant_core.processors.model import Chain, chain_data, chain_from_data

_MOST_AGE_S: Final = 24 * 3_600


def keep_draft(data: list[Any]) -> str:
    """Keep a chain for a day; the name it is found by, which equal chains share.

    Raises:
        PlanError: a chain that cannot be.
    """
    text = json.dumps(chain_data(chain_from_data(data)), sort_keys=True)
    name = hashlib.sha256(text.encode()).hexdigest()[:32]
    folder = _folder()
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{name}.json"
    if path.exists():
        path.touch()
        return name
    for old in folder.glob("*.json"):
        if time.time() - old.stat().st_mtime > _MOST_AGE_S:
            old.unlink(missing_ok=True)
    part = folder / f"{name}.{time.monotonic_ns()}.part"
    part.write_text(text, encoding="utf-8")
    part.replace(path)
    return name


def draft(name: str) -> Chain:
    """The chain of a name.

    Raises:
        NotThere: none is kept by it any more.
    """
    if not (name.isalnum() and name.isascii()):
        raise MalformedRequest("malformed", field="draft")
    try:
        return chain_from_data(json.loads((_folder() / f"{name}.json").read_text(encoding="utf-8")))
    except FileNotFoundError as error:
        raise NotThere() from error


def _folder() -> Path:
    return Path(settings.MEDIA_ROOT) / "drafts"
