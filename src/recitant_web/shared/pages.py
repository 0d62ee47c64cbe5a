"""Pages for what is not there and for our own faults."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from recitant_words.notices import notice


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:  # noqa: ARG001  Django passes it
    """Not there, or not yours to see: the same answer, so that nothing is given away."""
    context = {"title": notice("not_found_title"), "words": notice("not_found")}
    return render(request, "shared/sentence.html", context, status=404)


def our_fault(request: HttpRequest) -> HttpResponse:
    """A bug of ours."""
    context = {"title": notice("our_fault_title"), "words": notice("our_fault")}
    return render(request, "shared/sentence.html", context, status=500)
