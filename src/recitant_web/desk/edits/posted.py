"""Edits as pages post them: the body of a request in, one of the edits out."""

import functools
import operator
from typing import Any

from django.http import HttpRequest

from recitant_text.balance import followed_text
from recitant_web.desk import models
from recitant_web.desk.edits import (  # noqa: F401  an edit is known once its file is read
    arranging,
    captions,
    chains,
    clips,
    cures,
    ducking,
    gains,
    history,
    markers,
    matching,
    programme,
    recordings,
    speech,
    takes,
    tracks,
    variation,
    words,
)
from recitant_web.desk.edits.registry import Edit, edit_classes
from recitant_web.shared.shapes import body_of

EDITS: Any = functools.reduce(operator.or_, edit_classes())
"""Any edit, told apart by its kind."""


def edit_from(request: HttpRequest) -> Edit:
    """The edit that a page posts.

    Raises:
        EditRefused: of no known kind, or not of its shape.
    """
    found: Edit = body_of(request, EDITS)
    return found


def said_of(edit: Edit, steps: list[models.Edit]) -> str:
    """Notice of what else came of an edit, such as remade ducking; empty for steps back and forth."""
    if not steps or isinstance(edit, history.Undo | history.Redo | history.GoTo):
        return ""
    return followed_text(steps[-1].said)
