"""Sessions in the database, read again after two seconds at the earliest: a page asks several times a second."""

import copy
import time
from typing import Any, Final

from django.contrib.sessions.backends import db

from recitant_web.shared.caches import Cache

FRESH_S: Final = 2.0
"""What other processes changed (somebody signed out there) counts after this long at the latest."""
_read: Cache[tuple[float, dict[str, Any]]] = Cache("sessions read lately", 4_000_000, lambda _kept: 1_024)


class SessionStore(db.SessionStore):
    """A session, kept as it was read or left by this process."""

    def load(self) -> dict[str, Any]:
        """Data of the session."""
        asked = self.session_key
        kept = _read.get(asked)
        if kept is not None and time.monotonic() - kept[0] < FRESH_S:
            return copy.deepcopy(kept[1])
        found: dict[str, Any] = super().load()
        # One that is not there has given its key back.
        if self.session_key is not None:
            _read.put(asked, (time.monotonic(), copy.deepcopy(found)))
        return found

    def save(self, must_create: bool = False) -> None:
        """Write it; what is kept is read anew."""
        super().save(must_create)
        _read.drop(self.session_key)

    def delete(self, session_key: str | None = None) -> None:
        """End it, or another one."""
        super().delete(session_key)
        _read.drop(session_key or self.session_key)
