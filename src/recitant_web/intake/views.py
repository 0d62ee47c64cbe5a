"""The Intake page and what it asks for."""

import json
from typing import Any

from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from recitant_text.laying import LAYING_CHOICES
from recitant_text.notices import notice
from recitant_web.accounts.queries import roles_of
from recitant_web.desk.edits.registry import Edit
from recitant_web.desk.log import redo, steps_beside, undo
from recitant_web.intake.forms import mend_edit, rate_edit, role_edit, sync_edit, upload_request, use_edit, whole
from recitant_web.intake.laying import ChosenFiles, layings_of
from recitant_web.intake.queries import alike, is_busy, offered_place, row, rows, take_role
from recitant_web.programme.access import programme_view
from recitant_web.programme.actions import (
    begin_pile,
    begin_upload,
    bring_in,
    bring_in_sound_track,
    close_pile,
    drop_upload,
    receive_piece,
    remove_refused,
    try_again,
)
from recitant_web.programme.ingesting import use_picture
from recitant_web.programme.models import Programme, SourceKind, SourceState
from recitant_web.programme.queries import note_page
from recitant_web.shared.requests import Request
from recitant_web.shared.shapes import body_of

_PIECE_BYTES = 1 << 16


@programme_view("see")
@ensure_csrf_cookie
@require_safe
def intake(request: Request, programme: Programme) -> HttpResponse:
    """The page."""
    note_page(programme, "intake")
    return render(
        request,
        "intake/page.html",
        _list(programme) | {"roles": roles_of(programme.workspace), "layings": LAYING_CHOICES, "step": "intake"},
    )


@programme_view("see")
@require_safe
def sources(request: Request, programme: Programme) -> HttpResponse:
    """The table; asks again while something is on its way."""
    context = _list(programme)
    return render(request, "intake/_table.html", context)


@programme_view("see")
@require_safe
def source(request: Request, programme: Programme, source_id: int) -> HttpResponse:
    """Findings of one file, and their remedies."""
    return _source(request, programme, source_id)


@programme_view("edit")
@require_POST
def uploads(request: Request, programme: Programme) -> HttpResponse:
    """Announce a file; where to go on comes back."""
    asked = upload_request(request)
    pile = get_object_or_404(programme.piles, pk=asked.pile) if asked.pile else None
    found = begin_upload(
        programme, asked.role, asked.name, asked.size_bytes, asked.fingerprint[:128], pile, asked.pile_place
    )
    return JsonResponse({"token": found.token, "received": found.received_bytes, "name": found.name})


@programme_view("edit")
@require_POST
def piles(request: Request, programme: Programme) -> HttpResponse:
    """Announce files that are laid out together."""
    made = begin_pile(programme, request.POST.get("how", ""), request.POST.get("order", "name"))
    return JsonResponse({"pile": made.pk})


@programme_view("see")
@require_POST
def layings(request: Request, programme: Programme) -> HttpResponse:
    """Previews of some files in each way to lay them; nothing is changed."""
    return JsonResponse(layings_of(body_of(request, ChosenFiles)))


@programme_view("edit")
@require_POST
def pile_whole(request: Request, programme: Programme, pile_id: int) -> HttpResponse:
    """Say that all files of a pile were sent."""
    close_pile(get_object_or_404(programme.piles, pk=pile_id))
    return JsonResponse({})


@programme_view("edit")
@require_http_methods(["PUT", "DELETE"])
def upload_piece(request: Request, programme: Programme, token: str) -> HttpResponse:
    """A piece of a file, or the end of the upload."""
    found = get_object_or_404(programme.uploads, token=token)
    if request.method == "DELETE":
        drop_upload(found)
        return JsonResponse({})
    pieces = iter(lambda: request.read(_PIECE_BYTES), b"")
    after, made = receive_piece(found, whole(request.headers.get("Upload-Offset", "0"), "Upload-Offset"), pieces)
    return JsonResponse({"received": after.received_bytes, "source_id": made.pk if made else None})


@programme_view("edit")
@require_POST
def take(request: Request, programme: Programme) -> HttpResponse:
    """A take of narration recorded in the page."""
    file = request.FILES.get("file")
    if file is None:
        return JsonResponse({"sentence": notice("no_take")}, status=422)
    names = ("at_sample", "track_id", "in_sample", "length_samples")
    at_sample, track_id, in_sample, length = (whole(request.POST.get(name) or "0", name) for name in names)
    number = programme.sources.filter(kind=SourceKind.TAKE).count() + 1
    recorded_to = {"track_id": track_id, "is_range": length > 0, "in_sample": in_sample, "length_samples": length}
    made = bring_in(
        programme,
        take_role(programme, track_id),
        notice("take_file", number=number),
        file.size or 0,
        file.chunks(),
        kind=SourceKind.TAKE,
        at_sample=max(0, at_sample),
        recorded_to=recorded_to if "track_id" in request.POST else {},
    )
    return JsonResponse({"source_id": made.pk, "name": made.name})


@programme_view("edit")
@require_POST
def roles(request: Request, programme: Programme) -> HttpResponse:
    """Roles of some files."""
    _edit(programme, request, role_edit(request, programme.revision))
    return _table(request, programme)


@programme_view("edit")
@require_POST
def rate(request: Request, programme: Programme) -> HttpResponse:
    """Count in the picture's frame rate."""
    _edit(programme, request, rate_edit(programme))
    return _table(request, programme)


@programme_view("edit")
@require_POST
def mend(request: Request, programme: Programme, source_id: int) -> HttpResponse:
    """Apply a remedy to every clip of a file, or take it back."""
    found = get_object_or_404(programme.sources, pk=source_id)
    _edit(programme, request, mend_edit(request, programme.revision, found))
    return _source(request, programme, source_id)


@programme_view("edit")
@require_POST
def use(request: Request, programme: Programme, source_id: int) -> HttpResponse:
    """Lay a file, or the marked part of it, into the programme; or move its clip to where the file says."""
    found = get_object_or_404(programme.sources, pk=source_id)
    _edit(programme, request, use_edit(request, programme, found))
    return _source(request, programme, source_id)


@programme_view("edit")
@require_POST
def sound_track(request: Request, programme: Programme, source_id: int) -> HttpResponse:
    """Bring in another sound track of a file."""
    bring_in_sound_track(
        get_object_or_404(programme.sources, pk=source_id), whole(request.POST.get("index", ""), "index")
    )
    return _source(request, programme, source_id)


@programme_view("edit")
@require_POST
def picture(request: Request, programme: Programme, source_id: int) -> HttpResponse:
    """Make the picture of this film the programme's."""
    use_picture(get_object_or_404(programme.sources, pk=source_id))
    return _source(request, programme, source_id)


@programme_view("edit")
@require_POST
def sync(request: Request, programme: Programme, source_id: int) -> HttpResponse:
    """Move the clips of a file back to where the picture has them."""
    found = get_object_or_404(programme.sources, pk=source_id)
    _edit(programme, request, sync_edit(programme, found))
    return _source(request, programme, source_id)


@programme_view("edit")
@require_POST
def again(request: Request, programme: Programme, source_id: int) -> HttpResponse:
    """Take a refused file through intake once more."""
    try_again(get_object_or_404(programme.sources, pk=source_id))
    return _table(request, programme)


@programme_view("edit")
@require_POST
def remove(request: Request, programme: Programme, source_id: int) -> HttpResponse:
    """Take a refused file off the list."""
    remove_refused(get_object_or_404(programme.sources, pk=source_id))
    return _table(request, programme)


@programme_view("edit")
@require_POST
def step(request: Request, programme: Programme) -> HttpResponse:
    """Undo or redo the newest edit of the programme."""
    (redo if request.POST.get("way") == "redo" else undo)(programme, programme.revision)
    programme.refresh_from_db()
    return _table(request, programme)


def _edit(programme: Programme, request: Request, edit: Edit) -> None:
    # What is asked for here is about one file and never about a place that somebody saw: the newest revision will do.
    edit.carry_out(programme, request.user)
    programme.refresh_from_db()


def _table(request: Request, programme: Programme) -> HttpResponse:
    return render(request, "intake/_table.html", _list(programme))


def _source(request: Request, programme: Programme, source_id: int) -> HttpResponse:
    found = get_object_or_404(programme.sources.select_related("job"), pk=source_id)
    context = {
        "programme": programme,
        "row": row(programme, found),
        "place": offered_place(programme, found),
        "alike": alike(programme, found),
        "roles": roles_of(programme.workspace),
    }
    response = render(request, "intake/_source.html", context)
    if request.method == "POST":
        response["HX-Trigger"] = "sources-changed"
    return response


def _list(programme: Programme) -> dict[str, Any]:
    found = rows(programme)
    facts = {
        one.source.pk: {
            "key": one.source.sha256,
            "n_channels": one.source.n_channels,
            "length": one.source.length_samples,
            "speech": [span[:2] for span in one.source.speech],
            "places": [p for f in one.open_findings for p in f["places"]],
        }
        for one in found
        if one.source.state == SourceState.READY
    }
    n_open = sum(len(one.open_findings) + bool(one.off) for one in found)
    steps = steps_beside(programme)
    picture = getattr(programme, "picture", None)
    return {
        "programme": programme,
        "rows": found,
        "facts_json": json.dumps(facts),
        "n_open": n_open,
        "is_busy": is_busy(programme),
        "steps": steps,
        "picture": picture,
    }
