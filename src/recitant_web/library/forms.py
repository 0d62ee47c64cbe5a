"""The shape of what the library is asked."""

from django.http import HttpRequest
from msgspec import Struct

from recitant_core.errors import EditRefused
from recitant_web.shared.shapes import Place, Samples, body_of


class PlaceWish(Struct, frozen=True):
    """Where a sound is to be laid, and on which revision."""

    at_sample: Place
    revision: Samples


def place_wish(request: HttpRequest) -> PlaceWish | None:
    """Where a sound is to be laid; None where that is not said."""
    try:
        wish: PlaceWish = body_of(request, PlaceWish)
    except EditRefused:
        return None
    return wish
