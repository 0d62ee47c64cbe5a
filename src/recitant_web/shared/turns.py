"""Requests take turns at computing: threads that wait in line leave the interpreter to the one that works.

Twelve threads that all compute hand the interpreter around every few milliseconds, and each answer comes late;
docs/decisions/processes.md has the figures.
"""

from collections.abc import Callable
from threading import BoundedSemaphore
from typing import Final

from django.conf import settings
from django.http import HttpRequest, HttpResponse, UnreadablePostError

N_TURNS: Final = 2
"""Requests of a process that compute at a time: one in Python while one is in compiled loops or waits for the
database."""
_SIGN_IN: Final = "/sign-in"
PATIENCE_S: Final = 1.0
"""Who waited so long goes on without a turn: those who have one may wait for a row that a worker holds."""


class Turns:
    """Passes on N_TURNS requests at a time; what is sent is read, and what is streamed is sent, outside a turn."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response
        self._turns = BoundedSemaphore(N_TURNS)

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass on when it is this request's turn; large ones at once, since their views read them from the line.

        Sign-ins take no turn: checking a password computes outside the interpreter, and has a queue of its own.
        """
        if request.path_info == _SIGN_IN:
            return self.get_response(request)
        length = request.META.get("CONTENT_LENGTH") or "0"
        if not length.isdecimal() or int(length) > settings.DATA_UPLOAD_MAX_MEMORY_SIZE:
            return self.get_response(request)
        try:
            request.body  # noqa: B018  read and kept before the turn is taken: the line may be slow
        except UnreadablePostError:
            return HttpResponse(status=400)  # the line broke: nobody is there to read a sentence
        has_turn = self._turns.acquire(timeout=PATIENCE_S)
        try:
            return self.get_response(request)
        finally:
            if has_turn:
                self._turns.release()
