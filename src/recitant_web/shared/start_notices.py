"""What a start could not do, kept for the people who sign in: names of notices in a file beside the database."""

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Final

from django.conf import settings

from recitant_text.notices import notice

_FILE: Final = "start-notices.json"


def keep(names: Sequence[str]) -> None:
    """Keep the notices of the start that is under way in place of those of earlier ones."""
    part = Path(settings.VAR_DIR) / f"{_FILE}.part"
    part.write_text(json.dumps(list(names)))
    part.replace(part.with_name(_FILE))


def sentences() -> list[str]:
    """The notices that are kept, in words."""
    try:
        names = json.loads((Path(settings.VAR_DIR) / _FILE).read_text())
        return [notice(name) for name in names]
    except (OSError, ValueError, KeyError, TypeError):
        return []
