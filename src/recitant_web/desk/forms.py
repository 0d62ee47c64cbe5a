"""The shape of what comes in."""

import json
from typing import Any

from django.http import HttpRequest

from recitant_core.errors import EditRefused

PLAIN_KINDS = ("gain", "spec", "undo", "redo")


def kind_of(request: HttpRequest) -> str:
    """What kind of edit a page posts.

    Raises:
        EditRefused: none.
    """
    try:
        return str(json.loads(request.body)["kind"])
    except (ValueError, KeyError, TypeError) as error:
        raise EditRefused("gone") from error


def edit_from(request: HttpRequest) -> dict[str, Any]:
    """An edit as a page posts it: kind, revision, and what the kind needs.

    Raises:
        EditRefused: not of that shape.
    """
    try:
        data = json.loads(request.body)
        edit = {"kind": str(data["kind"]), "revision": int(data["revision"])}
        if edit["kind"] == "gain":
            edit |= {"target": str(data["target"]), "id": str(data["id"])}
            try:
                edit["gain_db"] = float(str(data["gain_db"]).replace("−", "-").replace(",", "."))
            except ValueError as error:
                raise EditRefused("not_a_number", found=str(data["gain_db"])[:40]) from error
        elif edit["kind"] == "spec":
            edit["spec_id"] = str(data["spec_id"])
        elif edit["kind"] not in ("undo", "redo"):
            raise EditRefused("gone")
    except (ValueError, KeyError, TypeError) as error:
        raise EditRefused("gone") from error
    return edit


def whole_number(request: HttpRequest, name: str, default: int) -> int:
    """A whole number of an address; the default where it is missing or none."""
    text = request.GET.get(name, "")
    return int(text) if text.removeprefix("-").isdecimal() and len(text) < 16 else default


def instead_from(request: HttpRequest) -> dict[str, Any] | None:
    """What a page asks to hear instead of the programme's own mix; None for nothing.

    Raises:
        EditRefused: not of that shape.
    """
    text = request.GET.get("instead", "")
    if not text:
        return None
    try:
        found = json.loads(text)
        whole = {name: int(found.get(name) or 0) for name in ("index", "at_sample", "version_id")}
        return {**found, **whole, "id": str(found.get("id", ""))}
    except (ValueError, TypeError, AttributeError, OverflowError) as error:
        raise EditRefused("gone") from error
