"""The Arrange page: its state, its edits, its history, its picture, and the outlines of recordings."""

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpResponse, JsonResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_POST, require_safe

from recitant_web.accounts.queries import roles_of
from recitant_web.arrange.queries import alignment, arrange_delta, arrange_state, history, sample_of_timecode
from recitant_web.arrange.time_stretch import ask_variation
from recitant_web.desk.edits.doors import edit_from, said_of
from recitant_web.desk.edits.variation import Vary
from recitant_web.listening.recordings import source_block
from recitant_web.programme.queries import note_page, peaks, picture_path, programmes_of
from recitant_web.shared.ranges import send_file
from recitant_web.shared.requests import Request
from recitant_web.shared.shapes import whole_number

PIECES_PER_TILE = 2_048
LEVELS = (16, 256, 4_096, 65_536)


@login_required
@ensure_csrf_cookie
@require_safe
def arrange(request: Request, programme_id: int) -> HttpResponse:
    """The page, with its first state inside."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    note_page(programme, "arrange")
    context = {
        "programme": programme,
        "state": arrange_state(programme),
        "roles": roles_of(programme.workspace),
        "step": "arrange",
    }
    return render(request, "arrange/page.html", context)


@login_required
@require_safe
def arrange_now(request: Request, programme_id: int) -> HttpResponse:
    """The whole state, for a page that fell behind."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    return JsonResponse(arrange_state(programme))


@login_required
@require_POST
def arrange_edits(request: Request, programme_id: int) -> HttpResponse:
    """One edit; what it changed comes back."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    edit = edit_from(request)
    if isinstance(edit, Vary):
        return JsonResponse({"job_id": ask_variation(programme, request.user, edit).pk})
    steps = edit.carry_out(programme, request.user)
    programme.refresh_from_db()
    return JsonResponse(arrange_delta(programme, steps) | {"said": said_of(edit, steps)})


@login_required
@require_safe
def arrange_history(request: Request, programme_id: int) -> HttpResponse:
    """The steps of the log."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    return JsonResponse({"revision": programme.revision, "steps": history(programme)})


@login_required
@require_safe
def arrange_alignment(request: Request, programme_id: int) -> HttpResponse:
    """Place at which a clip sounds in step with another, and its confidence; nothing is moved."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    return JsonResponse(alignment(programme, request.GET.get("clip", ""), request.GET.get("to", "")))


@login_required
@require_safe
def outline(request: Request, programme_id: int, source_key: str, level: int, tile: int) -> HttpResponse:
    """A tile of a recording's outline: int16, lowest and highest of each channel, piece by piece."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    source = programme.sources.filter(sha256=source_key).first()
    if source is None or level not in LEVELS:
        raise Http404
    data = peaks(source, level, tile * PIECES_PER_TILE, PIECES_PER_TILE)
    response = HttpResponse(data, content_type="application/octet-stream")
    # A key names its content for ever.
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@login_required
@require_safe
def source_sound(request: Request, programme_id: int, source_id: int) -> HttpResponse:
    """A block of a recording as it is, for listening before it is placed."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    source = get_object_or_404(programme.sources, pk=source_id)
    start = max(0, whole_number(request, "start", 0))
    found = source_block(source, start, max(1, min(480_000, whole_number(request, "length", 48_000))))
    response = HttpResponse(found.wav, content_type="audio/wav")
    response["Recitant-Readings"] = found.readings_json
    response["Cache-Control"] = "no-store"
    return response


@login_required
@require_safe
def picture(request: Request, programme_id: int) -> HttpResponse | StreamingHttpResponse:
    """The picture as the page can play it."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    path = picture_path(programme)
    if path is None:
        raise Http404
    return send_file(request, path, "video/mp4")


@login_required
@require_safe
def timecode(request: Request, programme_id: int) -> HttpResponse:
    """The sample that a typed timecode names."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    return JsonResponse({"at_sample": sample_of_timecode(programme, request.GET.get("text", ""))})
