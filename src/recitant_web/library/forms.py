"""The shape of what the library is asked."""

from django.http import HttpRequest
from msgspec import Struct

from recitant_core.errors import EditRefused
from recitant_web.shared.shapes import Place, Samples, body_of


class PlaceRequest(Struct, frozen=True):
    """Where a sound is to be laid, and on which revision."""

    at_sample: Place
    revision: Samples


def place_request(request: HttpRequest) -> PlaceRequest | None:
    """Where a sound is to be laid; None where that is not said."""
    try:
        asked: PlaceRequest = body_of(request, PlaceRequest)
    except EditRefused:
        return None
    return asked
