"""The Arrange page: its state, its edits, its history, its picture, and the outlines of recordings."""

from django.http import Http404, HttpResponse, JsonResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_POST, require_safe

from recitant_web.accounts.queries import roles_of
from recitant_web.arrange.queries import alignment, arrange_delta, arrange_state, history, sample_of_timecode
from recitant_web.arrange.time_stretch import ask_variation
from recitant_web.desk.edits.posted import edit_from, said_of
from recitant_web.desk.edits.variation import Vary
from recitant_web.listening.recordings import source_block
from recitant_web.programme.access import programme_view
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import note_page, peaks, picture_path
from recitant_web.shared.ranges import send_file
from recitant_web.shared.requests import Request
from recitant_web.shared.shapes import whole_number

PIECES_PER_TILE = 2_048
LEVELS = (16, 256, 4_096, 65_536)


@programme_view("see")
@ensure_csrf_cookie
@require_safe
def arrange(request: Request, programme: Programme) -> HttpResponse:
    """The page, with its first state inside."""
    note_page(programme, "arrange")
    context = {
        "programme": programme,
        "state": arrange_state(programme),
        "roles": roles_of(programme.workspace),
        "step": "arrange",
    }
    return render(request, "arrange/page.html", context)


@programme_view("see")
@require_safe
def arrange_now(request: Request, programme: Programme) -> HttpResponse:
    """The whole state, for a page that fell behind."""
    return JsonResponse(arrange_state(programme))


@programme_view("edit")
@require_POST
def arrange_edits(request: Request, programme: Programme) -> HttpResponse:
    """One edit; what it changed comes back."""
    edit = edit_from(request)
    if isinstance(edit, Vary):
        return JsonResponse({"job_id": ask_variation(programme, request.user, edit).pk})
    steps = edit.carry_out(programme, request.user)
    programme.refresh_from_db()
    return JsonResponse(arrange_delta(programme, steps) | {"said": said_of(edit, steps)})


@programme_view("see")
@require_safe
def arrange_history(request: Request, programme: Programme) -> HttpResponse:
    """The steps of the log."""
    return JsonResponse({"revision": programme.revision, "steps": history(programme)})


@programme_view("see")
@require_safe
def arrange_alignment(request: Request, programme: Programme) -> HttpResponse:
    """Place at which a clip sounds in step with another, and its confidence; nothing is moved."""
    return JsonResponse(alignment(programme, request.GET.get("clip", ""), request.GET.get("to", "")))


@programme_view("see")
@require_safe
def outline(request: Request, programme: Programme, source_key: str, level: int, tile: int) -> HttpResponse:
    """A tile of a recording's outline: int16, lowest and highest of each channel, piece by piece."""
    source = programme.sources.filter(sha256=source_key).first()
    if source is None or level not in LEVELS:
        raise Http404
    data = peaks(source, level, tile * PIECES_PER_TILE, PIECES_PER_TILE)
    response = HttpResponse(data, content_type="application/octet-stream")
    # A key names its content for ever.
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@programme_view("see")
@require_safe
def source_sound(request: Request, programme: Programme, source_id: int) -> HttpResponse:
    """A block of a recording as it is, for listening before it is placed."""
    source = get_object_or_404(programme.sources, pk=source_id)
    start = max(0, whole_number(request, "start", 0))
    found = source_block(source, start, max(1, min(480_000, whole_number(request, "length", 48_000))))
    response = HttpResponse(found.wav, content_type="audio/wav")
    response["Recitant-Readings"] = found.readings_json
    response["Cache-Control"] = "no-store"
    return response


@programme_view("see")
@require_safe
def picture(request: Request, programme: Programme) -> HttpResponse | StreamingHttpResponse:
    """The picture as the page can play it."""
    path = picture_path(programme)
    if path is None:
        raise Http404
    return send_file(request, path, "video/mp4")


@programme_view("see")
@require_safe
def timecode(request: Request, programme: Programme) -> HttpResponse:
    """The sample that a typed timecode names."""
    return JsonResponse({"at_sample": sample_of_timecode(programme, request.GET.get("text", ""))})
