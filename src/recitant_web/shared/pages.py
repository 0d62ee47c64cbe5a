"""Pages for what is not there and for our own faults."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:  # noqa: ARG001  Django passes it
    """Not there, or not yours to see: the same answer, so that nothing is given away."""
    words = "There is nothing here that you can see. It may have been removed, or belong to another workspace."
    return render(request, "shared/sentence.html", {"title": "Not found", "words": words}, status=404)


def our_fault(request: HttpRequest) -> HttpResponse:
    """A bug of ours."""
    words = "Something went wrong on our side. What you had is kept as it was. Load the page again."
    return render(request, "shared/sentence.html", {"title": "Our fault", "words": words}, status=500)
