"""The Hand over page, its sheet, its jobs and its files."""

from mimetypes import guess_type

from csp.constants import NONE, UNSAFE_INLINE
from django.http import FileResponse, Http404, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from recitant_web.delivery import actions
from recitant_web.delivery.chapters import chapters_view, keep_chapters, read_chapters
from recitant_web.delivery.labels import keep_labels, labels_of
from recitant_web.delivery.queries import (
    delivered_file,
    deliveries_of,
    listening_view,
    sheet_view,
    sync_view,
    zip_of,
)
from recitant_web.programme.access import programme_view
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import note_page
from recitant_web.shared.ranges import send_file
from recitant_web.shared.refusals import words_of_refusal
from recitant_web.shared.requests import Request


@programme_view("see", to_post="deliver")
@require_http_methods(["GET", "HEAD", "POST"])
def page(request: Request, programme: Programme) -> HttpResponse:
    """The Hand over page; a post hands over."""
    note_page(programme, "hand-over")
    words = ""
    if request.method == "POST":
        given, name = request.POST, request.user.get_username()
        if "back-in-sync" in given:
            words = words_of_refusal(lambda: actions.put_back_in_sync(programme, request.user))
        elif "range" in given:
            start, end = given.get("from", ""), given.get("to", "")
            words = words_of_refusal(lambda: actions.hand_over_range(programme, name, start, end))
        elif "version" in given:
            version, language = given["version"], given.get("language", "").strip()
            words = words_of_refusal(lambda: actions.hand_over_version(programme, name, version, language))
        elif "clips" in given:
            words = words_of_refusal(lambda: actions.hand_over_clips(programme, name, given["clips"].split(",")))
        else:
            everything = "everything" in given
            words = words_of_refusal(lambda: actions.hand_over_sheet(programme, name, everything=everything))
        if not words:
            return redirect("hand-over", programme_id=programme.pk)
    context = {
        "programme": programme,
        "sheet": sheet_view(programme),
        "chapters": chapters_view(programme),
        **listening_view(programme),
        "labels": labels_of(programme),
        "deliveries": deliveries_of(programme),
        "off": sync_view(programme),
        "words": words,
        "step": "hand-over",
    }
    return render(request, "delivery/hand_over.html", context, status=422 if words else 200)


@programme_view("deliver")
@require_POST
def sheet(request: Request, programme: Programme) -> HttpResponse:
    """A line added, changed or taken off; a dot pressed."""
    given = request.POST
    if "add" in given:
        words = words_of_refusal(lambda: actions.add_line(programme, given["add"]))
    elif "remove" in given:
        words = words_of_refusal(lambda: actions.remove_line(programme, given["remove"]))
    elif "tracks" in given:
        words = words_of_refusal(
            lambda: actions.set_film_tracks(programme, given.get("spec", ""), given.getlist("film_track"))
        )
    elif "switch" in given:
        words = words_of_refusal(lambda: actions.switch_file(programme, given.get("spec", ""), given["switch"]))
    else:
        words = words_of_refusal(lambda: actions.set_files(programme, given.get("spec", ""), given.get("files", "")))
    return _sheet(request, programme, words)


def _sheet(request: Request, programme: Programme, words: str = "") -> HttpResponse:
    if not request.headers.get("HX-Request") and not words:
        return redirect("hand-over", programme_id=programme.pk)
    context = {"programme": programme, "sheet": sheet_view(programme), "words": words}
    return render(request, "delivery/_sheet.html", context)


@programme_view("edit")
@require_POST
def chapters(request: Request, programme: Programme) -> HttpResponse:
    """The chapters as they were typed, mended, moved to a cut, or read from text."""
    rows = [
        {"at": at, "title": title}
        for at, title in zip(request.POST.getlist("at"), request.POST.getlist("title"), strict=False)
    ]
    if "text" in request.POST:
        words = words_of_refusal(lambda: read_chapters(programme, request.user, request.POST["text"]))
    else:
        way = request.POST.get("way", "")
        words = words_of_refusal(lambda: keep_chapters(programme, request.user, rows, way))
    if not request.headers.get("HX-Request") and not words:
        return redirect("hand-over", programme_id=programme.pk)
    programme.refresh_from_db()
    typed = rows if words and "text" not in request.POST else None
    context = {"programme": programme, "chapters": chapters_view(programme, typed), "words": words}
    return render(request, "delivery/_chapters.html", context)


@programme_view("deliver")
@require_POST
def labels(request: Request, programme: Programme) -> HttpResponse:
    """Labels of compressed files, as typed, and a cover."""
    words = words_of_refusal(lambda: keep_labels(programme, request.POST, request.FILES.get("cover")))
    if not request.headers.get("HX-Request") and not words:
        return redirect("hand-over", programme_id=programme.pk)
    context = {"programme": programme, "labels": labels_of(programme), "words": words, "is_piece": True}
    return render(request, "delivery/_labels.html", context)


@programme_view("see")
@require_safe
def cover(request: Request, programme: Programme) -> HttpResponse:
    """The cover as it is now."""
    data = bytes(labels_of(programme).cover)
    if not data:
        raise Http404
    kind = "image/png" if data.startswith(b"\x89PNG") else "image/jpeg"
    response = HttpResponse(data, content_type=kind)
    response["Cache-Control"] = "private, no-cache"
    return response


@programme_view("see")
@require_safe
def chapters_file(request: Request, programme: Programme) -> HttpResponse:
    """The text for online video as a file."""
    response = HttpResponse(chapters_view(programme)["text"], content_type="text/plain; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="chapters.txt"'
    return response


@programme_view("deliver")
@require_POST
def change(request: Request, programme: Programme, delivery_id: int) -> HttpResponse:
    """A delivery gets a name, or is removed with its files."""
    delivery = get_object_or_404(programme.deliveries, pk=delivery_id)
    if "remove" in request.POST:
        actions.remove_delivery(delivery)
    else:
        actions.name_delivery(delivery, request.POST.get("name", ""))
    return redirect("hand-over", programme_id=programme.pk)


@programme_view("see")
@require_safe
def file(request: Request, programme: Programme, delivery_id: int, name: str) -> HttpResponseBase:
    """A file of a delivery."""
    delivery = get_object_or_404(programme.deliveries, pk=delivery_id)
    path = delivered_file(delivery, name)
    if path is None:
        raise Http404
    if "Range" in request.headers:  # a player asks for parts
        return send_file(request, path, guess_type(name)[0] or "application/octet-stream")
    answer = FileResponse(path.open("rb"), as_attachment=not name.endswith(".html"), filename=name)
    if name.endswith(".html"):
        # A report stands alone on disk, with its style inside: that is allowed, and nothing else.
        answer._csp_replace = {"default-src": [NONE], "style-src": [UNSAFE_INLINE], "img-src": ["data:"]}  # type: ignore[attr-defined]
    return answer


@programme_view("see")
@require_safe
def everything(request: Request, programme: Programme, delivery_id: int) -> StreamingHttpResponse:
    """All files of a delivery in one ZIP."""
    delivery = get_object_or_404(programme.deliveries, pk=delivery_id)
    found = zip_of(delivery)
    if found is None:
        raise Http404
    return StreamingHttpResponse(
        found.blocks,
        content_type="application/zip",
        headers={"Content-Disposition": f'attachment; filename="{found.name}"'},
    )
