"""Who may do what with a programme: the one place where views ask."""

from collections.abc import Callable
from functools import wraps
from typing import Any, TypeVar, cast

from django.contrib.auth.decorators import login_required
from django.contrib.auth.models import User
from django.shortcuts import get_object_or_404

from recitant_core.errors import NotAllowed
from recitant_web.accounts.rights import Right
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import programmes_of
from recitant_web.shared.requests import Request

View = TypeVar("View", bound=Callable[..., Any])


def programme_view(may: Right, *, to_post: Right | None = None) -> Callable[[View], View]:
    """A view of a programme, for people who are signed in and have a right on it.

    The address names the programme by ``programme_id``; the view gets the Programme in its place.

    Args:
        may: the right that the view asks for.
        to_post: the right that it asks for instead where something is posted.

    Raises:
        Http404: no such programme, or none that the person may see. NotAllowed: seen, but without the right.
    """

    def decorate(view: View) -> View:
        @wraps(view)
        def with_programme(request: Request, programme_id: int, **named: Any) -> Any:
            right = to_post if to_post is not None and request.method == "POST" else may
            return view(request, programme_for(request.user, programme_id, right), **named)

        with_programme.right = may  # type: ignore[attr-defined]
        return cast(View, login_required(with_programme))

    return decorate


def programme_for(user: User, programme_id: int, right: Right) -> Programme:
    """A programme on which somebody has a right; see programme_view."""
    programme = get_object_or_404(programmes_of(user), pk=programme_id)
    if right != "see" and not programmes_of(user, right).filter(pk=programme_id).exists():
        raise NotAllowed("no_right")
    return programme
