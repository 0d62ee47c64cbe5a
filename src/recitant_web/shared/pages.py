"""Pages for what is not there and for our own faults."""

import sys
from typing import Final

from django.conf import settings
from django.core.exceptions import RequestDataTooBig
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.template.loader import render_to_string

from recitant_text.notices import notice

_RETRY_AFTER_S: Final = 3
_FULL: Final = (1021, 1030, 1114)
"""Errors of MariaDB where the disk is full: ER_DISK_FULL, ER_GET_ERRNO, ER_RECORD_FILE_FULL."""


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:  # noqa: ARG001  Django passes it
    """Not there, or not yours to see: the same answer, so that nothing is given away."""
    context = {"title": notice("not_found_title"), "words": notice("not_found")}
    return render(request, "shared/sentence.html", context, status=404)


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    """More than may be sent (413), or what is no request of ours (400)."""
    is_large = isinstance(exception, RequestDataTooBig)
    words = notice("too_much_sent", most_mb=settings.DATA_UPLOAD_MAX_MEMORY_SIZE >> 20) if is_large else notice("odd")
    status = 413 if is_large else 400
    if request.headers.get("Accept", "").startswith("application/json"):
        return JsonResponse({"error": "too_large" if is_large else "malformed", "sentence": words}, status=status)
    # No context processors: they may read what was sent.
    context = {"title": notice("refused_title"), "words": words}
    return HttpResponse(render_to_string("shared/sentence.html", context), status=status)


def our_fault(request: HttpRequest) -> HttpResponse:
    """A bug of ours, or a database that is away for a moment: nothing was changed, and the same works again soon."""
    name, status = _what_happened(sys.exc_info()[1])
    words = notice(name)
    if request.headers.get("Accept", "").startswith("application/json"):
        answer: HttpResponse = JsonResponse({"error": name, "sentence": words}, status=status)
    else:
        # No context processors: they may ask the database too.
        answer = HttpResponse(
            render_to_string("shared/sentence.html", {"title": notice(f"{name}_title"), "words": words}), status=status
        )
    if name == "away":
        answer["Retry-After"] = str(_RETRY_AFTER_S)
    return answer


def _what_happened(error: BaseException | None) -> tuple[str, int]:
    """Name of the sentence, and status."""
    if not isinstance(error, OperationalError | InterfaceError):
        return "our_fault", 500
    is_full = bool(error.args) and error.args[0] in _FULL
    return ("database_full", 507) if is_full else ("away", 503)
