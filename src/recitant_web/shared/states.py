"""States of pages over the wire: whole at first, then as patches to what the page holds; 304 while nothing is new.

A page that holds a state says so by its tag, in the header Recitant-Have. A tag is a hash of the state: equal in
every process, and for equal states. States that were sent are kept for a while; a page whose state is not kept any more
gets a whole one.
"""

import hashlib
from typing import Any, Final

import msgspec
import numpy as np
from django.http import HttpRequest, HttpResponse

from recitant_web.shared.caches import Cache
from recitant_web.shared.patches import patch_between

_KEPT_BYTES: Final = 96_000_000
State = dict[str, Any]
_sent: Cache[tuple[State, int]] = Cache("states that pages hold", _KEPT_BYTES, lambda kept: 2_048 + kept[1])


def tag_of(page: str, programme_id: int, state: State) -> str:
    """The tag of a state that is sent; the state is kept for patches to it and must not be changed any more.

    Args:
        page: which page's state it is.
    """
    return _kept(page, programme_id, state, _encode(state))


def held_state(request: HttpRequest, page: str, programme_id: int) -> State | None:
    """The state that the asking page holds; None where it holds none, or one that is not kept any more."""
    found = _sent.get((page, programme_id, _have(request)))
    return None if found is None else found[0]


def state_answer(request: HttpRequest, page: str, programme_id: int, state: State, **beside: str) -> HttpResponse:
    """The state for a page: whole and bare where it says nothing of what it holds, else tagged and as small as can be.

    Args:
        beside: what comes with the answer and is no part of the state.
    """
    have = _have(request)
    if not have:
        return json_answer(state | beside)
    text = _encode(state)
    held = held_state(request, page, programme_id)
    tag = _kept(page, programme_id, state, text)
    if tag == have and request.method == "GET":
        return HttpResponse(status=304)
    answer: dict[str, Any] = {"tag": tag, **beside}
    if held is None:
        answer["state"] = msgspec.Raw(text)
    else:
        answer["patch"] = patch_between(held, state)
    return json_answer(answer)


def _have(request: HttpRequest) -> str:
    return request.headers.get("Recitant-Have", "")


def _kept(page: str, programme_id: int, state: State, text: bytes) -> str:
    tag = hashlib.blake2b(text, digest_size=12).hexdigest()
    if _sent.get((page, programme_id, tag)) is None:
        _sent.put((page, programme_id, tag), (state, len(text)))
    return tag


def _plain(value: Any) -> Any:
    """A number or a text of a class of its own (what came in as shared.shapes, what numpy computed), as JSON has it."""
    kinds: tuple[type[Any], ...] = (str, int, float, list, dict)
    for kind in kinds:
        if isinstance(value, kind):
            return kind(value)
    if isinstance(value, np.generic):
        return value.item()
    raise TypeError(type(value))


_encode: Final = msgspec.json.Encoder(enc_hook=_plain).encode


def json_answer(data: Any) -> HttpResponse:
    """Data as JSON, quickly: what is no number (infinite, none at all) is null."""
    return HttpResponse(_encode(data), content_type="application/json")
