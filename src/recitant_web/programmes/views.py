"""The list of programmes, what is done with one as a whole, and the room they take."""

from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from recitant_text.notices import notice
from recitant_web.accounts.queries import workspaces_of
from recitant_web.delivery.actions import remove_delivery
from recitant_web.delivery.models import Delivery
from recitant_web.programme.access import programme_for, programme_view
from recitant_web.programme.actions import create_programme
from recitant_web.programme.forms import ProgrammeForm
from recitant_web.programme.models import Picture, Programme, Source
from recitant_web.programme.queries import deleted_programmes_of, programmes_of
from recitant_web.programmes import actions
from recitant_web.programmes.batch import batch_rows_of, hand_over_many
from recitant_web.programmes.queries import SORTS, disk_use_of, rows
from recitant_web.programmes.stills import still_path
from recitant_web.shared import start_notices
from recitant_web.shared.requests import Request

COLUMNS = (
    ("title", "title", ""),
    ("length", "length", "n"),
    ("spec", "specification", ""),
    ("verdict", "verdict", ""),
    ("findings", "findings", "n"),
    ("changed", "changed", ""),
)
WHICH = ("work", "archived", "deleted")


@login_required
@require_http_methods(["GET", "HEAD", "POST"])
def programmes(request: Request) -> HttpResponse:
    """The user's programmes, found and sorted, and a form for a new one."""
    workspace = workspaces_of(request.user).first()
    form = ProgrammeForm(workspace, request.POST or None)
    if request.method == "POST" and form.is_valid():
        if workspace is None:
            form.add_error(None, notice("no_workspace"))
        else:
            made = create_programme(workspace, **form.cleaned_data)
            return redirect("intake", programme_id=made.pk)
    which = request.GET.get("which", "work")
    sort = request.GET.get("sort", "changed")
    is_descending = request.GET.get("way", "down" if sort in ("changed", "findings", "length") else "up") == "down"
    if which == "deleted":
        found = deleted_programmes_of(request.user)
    else:
        found = programmes_of(request.user).filter(archived_at__isnull=which != "archived")
    words = request.GET.get("find", "")[:100]
    context = {
        "rows": rows(found, words, sort, is_descending=is_descending),
        "which": which if which in WHICH else "work",
        "words_found": words,
        "columns": COLUMNS,
        "sort": sort if sort in SORTS else "changed",
        "is_descending": is_descending,
        "form": form,
        "start_notices": start_notices.sentences(),
    }
    part = "programmes/_table.html" if request.headers.get("HX-Target") == "table" else "programmes/list.html"
    return render(request, part, context, status=422 if form.errors else 200)


@login_required
@require_http_methods(["GET", "HEAD", "POST"])
def batch(request: Request) -> HttpResponse:
    """Chosen programmes handed over to their sheets, and how far all are."""
    refused: list[tuple[Programme, str]] = []
    if request.method == "POST":
        numbers = [int(text) for text in request.POST.getlist("programme") if text.isdecimal() and len(text) < 19]
        chosen = programmes_of(request.user, "deliver").filter(pk__in=numbers)
        refused = hand_over_many(chosen, request.user.get_username())
        if numbers and not refused:
            return redirect("batch")
    rows = batch_rows_of(request.user)
    is_open = any(row.delivery.job is not None and row.delivery.job.is_open for row in rows)
    context = {"rows": rows, "refused": refused, "is_open": is_open}
    part = "programmes/_batch.html" if request.headers.get("HX-Request") else "programmes/batch.html"
    return render(request, part, context, status=422 if refused else 200)


@login_required
@require_POST
def keep(request: Request, programme_id: int) -> HttpResponse:
    """Rename, duplicate, archive, delete or bring back a programme."""
    what = request.POST.get("what", "")
    if what == "bring-back":
        actions.bring_back(get_object_or_404(deleted_programmes_of(request.user, "own"), pk=programme_id))
        return redirect("programmes")
    programme = programme_for(request.user, programme_id, "own" if what == "delete" else "edit")
    title = request.POST.get("title", "").strip()
    if what == "rename":
        actions.rename(programme, request.user, title)
    elif what in ("duplicate", "duplicate-bare"):
        copy = notice("copy_of", title=programme.title)
        actions.duplicate(programme, title or copy, with_media=what == "duplicate")
    elif what in ("archive", "unarchive"):
        actions.archive(programme, is_archived=what == "archive")
    elif what == "delete":
        actions.delete(programme)
    else:
        raise Http404
    return redirect("programmes")


@programme_view("see")
@require_safe
def still(request: Request, programme: Programme) -> FileResponse:
    """A still of the picture."""
    picture = Picture.objects.filter(programme=programme).first()
    path = still_path(picture) if picture is not None else None
    if path is None:
        raise Http404
    response = FileResponse(path.open("rb"), content_type="image/jpeg")
    response["Cache-Control"] = "private, max-age=86400"
    return response


@login_required
@require_safe
def room(request: Request) -> HttpResponse:
    """The page on disk use, and on what of it nothing needs."""
    found = [disk_use_of(programme) for programme in programmes_of(request.user)]
    found.sort(key=lambda one: -one.n_bytes)
    return render(request, "programmes/disk_use.html", {"rooms": found, "total": sum(one.n_bytes for one in found)})


@programme_view("own")
@require_POST
def remove(request: Request, programme: Programme) -> HttpResponse:
    """Remove a recording that no clip uses, a delivery, or a version."""
    if "recording" in request.POST:
        actions.remove_recording(get_object_or_404(Source, programme=programme, pk=_number(request, "recording")))
    elif "delivery" in request.POST:
        remove_delivery(get_object_or_404(Delivery, programme=programme, pk=_number(request, "delivery")))
    else:
        get_object_or_404(programme.versions, pk=_number(request, "version")).delete()
    return redirect("room")


def _number(request: Request, name: str) -> int:
    text = request.POST.get(name, "")
    if not (text.isascii() and text.isdecimal() and len(text) < 19):
        raise Http404
    return int(text)
