"""The shape of what the Level page asks."""

import json
from typing import Any

from django.http import HttpRequest

from recitant_core.errors import EditRefused
from recitant_web.desk.arrange_forms import LEVEL_CHECKS as _CHECKS
from recitant_web.desk.arrange_forms import Check, checked_fields


def looked_from(request: HttpRequest) -> dict[str, Any]:
    """A chain to look at, and at which target.

    Raises:
        EditRefused: not of that shape.
    """
    whole, id_of = _CHECKS["whole"], _CHECKS["target_id"]
    return _from(
        request,
        {"target": _CHECKS["target"], "id": id_of, "index": whole, "at_sample": whole, "chain": _CHECKS["chain"]},
    )


def found_from(request: HttpRequest) -> dict[str, Any]:
    """What to look for, and where.

    Raises:
        EditRefused: not of that shape.
    """
    whole = _CHECKS["whole"]
    return _from(
        request,
        {
            "what": _CHECKS["what"],
            "target": _CHECKS["target"],
            "id": _CHECKS["target_id"],
            "name": _CHECKS["start"],
            "from_sample": whole,
            "to_sample": whole,
            "at_sample": whole,
        },
    )


def even_from(request: HttpRequest) -> dict[str, Any]:
    """Which clips to even out, and how.

    Raises:
        EditRefused: not of that shape.
    """
    return _from(request, {"ids": _CHECKS["ids"], "options": _CHECKS["options"]})


def preset_from(request: HttpRequest) -> dict[str, Any]:
    """What to do with a preset.

    Raises:
        EditRefused: not of that shape.
    """
    found = _from(request, {"do": _CHECKS["preset"]})
    more: dict[str, Check] = (
        {"name": _CHECKS["name"], "chain": _CHECKS["chain"]} if found["do"] == "keep" else {"id": _CHECKS["row"]}
    )
    return found | _from(request, more)


def _from(request: HttpRequest, fields: dict[str, Check]) -> dict[str, Any]:
    try:
        data = json.loads(request.body)
        return checked_fields(data, fields)
    except (ValueError, KeyError, TypeError, AttributeError, OverflowError) as error:
        raise EditRefused("gone") from error
