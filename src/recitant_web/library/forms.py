"""The shape of what the library is asked."""

from django.http import HttpRequest
from msgspec import Struct

from recitant_core.errors import MalformedRequest
from recitant_web.shared.shapes import Place, Samples, body_of


class PlaceRequest(Struct, frozen=True):
    """Place of a sound, and the revision that the page has."""

    at_sample: Place
    revision: Samples


def place_request(request: HttpRequest) -> PlaceRequest | None:
    """Place of a sound; None where none is sent."""
    try:
        asked: PlaceRequest = body_of(request, PlaceRequest)
    except MalformedRequest:
        return None
    return asked
