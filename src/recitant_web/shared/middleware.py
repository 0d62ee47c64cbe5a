"""Core errors become answers: a sentence and a status, as JSON or as a page."""

from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse, UnreadablePostError
from django.shortcuts import render

from recitant_core.errors import (
    ContractError,
    EditRefused,
    MalformedRequest,
    NotAllowed,
    NotThere,
    RecitantError,
    StorageFull,
    StoreAway,
)
from recitant_io.media.storage import require_room
from recitant_text.notices import notice
from recitant_text.sentences import sentence

View = TypeVar("View", bound=Callable[..., Any])


def reads(view: View) -> View:
    """A view that is posted to because the question is long, and changes nothing: it never answers 409."""
    view.is_read = True  # type: ignore[attr-defined]
    return view


class CoreErrors:
    """Answers an error of the core where no view did."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass on, unless what is being sent could not even be received."""
        length = request.META.get("CONTENT_LENGTH") or "0"
        if length.isdecimal() and int(length) > settings.DATA_UPLOAD_MAX_MEMORY_SIZE:
            try:
                require_room(Path(settings.FILE_UPLOAD_TEMP_DIR), notice("the_request"), int(length))
            except StorageFull as error:
                return self._answer(request, error, 507)
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """A sentence for what the user can act on; None leaves our own bugs to Django."""
        if isinstance(error, UnreadablePostError):
            return HttpResponse(status=400)  # the line broke: nobody is there to read a sentence
        if not isinstance(error, RecitantError) or isinstance(error, ContractError):
            return None
        status = 422
        if isinstance(error, NotThere):
            status = 404
        elif isinstance(error, EditRefused) and not _is_read(request):
            status = 409
        elif isinstance(error, NotAllowed):
            status = 403
        elif isinstance(error, MalformedRequest):
            status = 400
        elif isinstance(error, StorageFull):
            status = 507
        elif isinstance(error, StoreAway):
            status = 503
        return self._answer(request, error, status)

    @staticmethod
    def _answer(request: HttpRequest, error: RecitantError, status: int) -> HttpResponse:
        words = sentence(error)
        if request.headers.get("Accept", "").startswith("application/json"):
            return JsonResponse({"error": error.code, "sentence": words}, status=status)
        return render(
            request, "shared/sentence.html", {"title": notice("refused_title"), "words": words}, status=status
        )


def _is_read(request: HttpRequest) -> bool:
    match = request.resolver_match
    return request.method in ("GET", "HEAD") or bool(match and getattr(match.func, "is_read", False))
