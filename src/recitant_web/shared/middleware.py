"""Core errors become answers: a sentence and a status, as JSON or as a page."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render

from recitant_core.errors import ContractError, EditRefused, RecitantError, StorageFull
from recitant_io.words import sentence


class CoreErrors:
    """Answers an error of the core where no view did."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass on."""
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """A sentence for what the user can act on; None leaves our own bugs to Django."""
        if not isinstance(error, RecitantError) or isinstance(error, ContractError):
            return None
        status = 422
        if isinstance(error, EditRefused):
            status = 409
        elif isinstance(error, StorageFull):
            status = 507
        words = sentence(error)
        if request.headers.get("Accept", "").startswith("application/json"):
            return JsonResponse({"error": error.code, "sentence": words}, status=status)
        return render(request, "shared/sentence.html", {"title": "That did not work", "words": words}, status=status)
