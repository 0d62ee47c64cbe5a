"""The shape of what the Balance page asks."""

from typing import Any, Final, Literal

from django.http import HttpRequest
from msgspec import Struct

from recitant_core.errors import MalformedRequest
from recitant_web.shared.shapes import Samples, text_as

_WHOLE: Final = ("index", "at_sample", "version_id")
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
    return {**found, **{name: _whole(found, name) for name in _WHOLE}, "id": str(found.get("id", ""))}


def _whole(found: dict[str, Any], name: str) -> int:
    try:
        return int(Samples.read(found.get(name) or 0))
    except (ValueError, TypeError) as error:
        raise MalformedRequest("malformed", field=name) from error
