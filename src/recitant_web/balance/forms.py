"""The shape of what the Balance page asks."""

from typing import Any, Literal

from django.http import HttpRequest
from msgspec import Struct

from recitant_core.errors import EditRefused
from recitant_web.shared.shapes import Samples, text_as

Nearness = Literal["back", "middle", "front"]


class FirstBalanceRequest(Struct, frozen=True, kw_only=True):
    """Settings of a first balance; from_sample equal to to_sample stands for the whole."""

    revision: int
    music: Nearness
    effects: Nearness
    ducking: Literal["gentle", "clear", "strong"]
    leads: Literal["found-out", "speech", "music"] = "found-out"
    performance: Literal["even", "natural", "dramatic"] = "natural"
    steps: list[Literal["mend", "clean", "match", "even-out", "stems", "duck", "check", "fit"]]
    from_sample: Samples = Samples(0)
    to_sample: Samples = Samples(0)


def instead_from(request: HttpRequest) -> dict[str, Any] | None:
    """Sound that a page asks for instead of the programme's own mix; None for nothing.

    Raises:
        EditRefused: not of that shape.
    """
    text = request.GET.get("instead", "")
    if not text:
        return None
    found = text_as(text, dict[str, Any])
    try:
        whole = {name: int(Samples.read(found.get(name) or 0)) for name in ("index", "at_sample", "version_id")}
    except (ValueError, TypeError) as error:
        raise EditRefused("gone") from error
    return {**found, **whole, "id": str(found.get("id", ""))}
