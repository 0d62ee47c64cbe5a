"""Connections that were found to stand a moment ago are not asked again: one statement less for each request.

After an error a connection is asked at once, as Django does.
"""

import time
from typing import Final

from django.db.backends.mysql import base

_ASKED_AGAIN_S: Final = 1.0


class DatabaseWrapper(base.DatabaseWrapper):
    """A connection to MariaDB."""

    _stood_at_s = float("-inf")

    def connect(self) -> None:
        """Connect anew."""
        super().connect()
        self._stood_at_s = time.monotonic()

    def is_usable(self) -> bool:
        """Whether the connection stands, or stood within the last second and gave no error since."""
        if not self.errors_occurred and time.monotonic() - self._stood_at_s < _ASKED_AGAIN_S:
            return True
        stands = bool(super().is_usable())
        if stands:
            self._stood_at_s = time.monotonic()
        return stands
