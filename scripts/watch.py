"""Whether the web server still answers, asked by the start command without waiting for it. Standard library only."""

import contextlib
import socket
import time
from pathlib import Path
from typing import Final

SILENT_S: Final = 20.0
"""Without an answer, and without a sign of the process itself, for so long it is started again."""
STUCK_S: Final = 600.0
"""Without an answer for so long it is started again, whatever sign it gives."""
SIGN: Final = "web-alive"
"""File that a thread of the web server touches each second."""
_ASKED_EVERY_S: Final = 5.0


class HealthWatch:
    """Asks /health again and again.

    Threads that wait for slow lines can all be busy while the server is well: then a thread of its own still touches
    its file, and starting again would only break the uploads. One that computes without end lets no thread run.
    """

    def __init__(self, port: int, folder: Path) -> None:
        """
        Args:
            port: of the web server, on loopback.
            folder: of the application, where the sign lies.
        """
        self._port, self._sign = port, folder / SIGN
        self.has_answered = False
        self._asked: socket.socket | None = None
        self._ask_at_s = self._heard_at_s = time.monotonic()

    def begin(self) -> None:
        """Begin anew: another process serves, or will."""
        self._close()
        self.has_answered = False
        self._ask_at_s = self._heard_at_s = time.monotonic()

    def is_silent(self) -> bool:
        """Whether it is to be started again; returns at once, and is to be called several times a second.

        Only one that has answered before counts: the first answer takes as long as it takes.
        """
        now = time.monotonic()
        if self._asked is None and now >= self._ask_at_s:
            self._ask()
        if self._asked is not None and self._read_answer(self._asked):
            self._close()
            self.has_answered = True
            self._heard_at_s, self._ask_at_s = now, now + _ASKED_EVERY_S
        if not self.has_answered:
            return False
        silent_s = now - self._heard_at_s
        return silent_s > STUCK_S or (silent_s > SILENT_S and self._sign_age_s() > SILENT_S)

    def _ask(self) -> None:
        try:
            # Where so many wait that the line is full, this is an answer that does not come.
            self._asked = socket.create_connection(("127.0.0.1", self._port), timeout=0.5)
            self._asked.sendall(b"GET /health HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n")
            self._asked.setblocking(False)
        except OSError:
            self._close()
            self._ask_at_s = time.monotonic() + 1.0

    def _read_answer(self, asked: socket.socket) -> bool:
        try:
            answer = asked.recv(64)
        except BlockingIOError:
            return False
        except OSError:
            answer = b""
        if answer.startswith(b"HTTP/"):
            return True
        self._close()
        self._ask_at_s = time.monotonic() + 1.0
        return False

    def _sign_age_s(self) -> float:
        with contextlib.suppress(FileNotFoundError):
            # A clock that was set back makes it look fresh until the next look, no older than it is.
            return max(0.0, time.time() - self._sign.stat().st_mtime)
        return float("inf")

    def _close(self) -> None:
        if self._asked is not None:
            self._asked.close()
            self._asked = None
