"""The Balance page, its edits, its contours and its sound."""

import json

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from recitant_web.desk.actions import choose_spec, set_gain
from recitant_web.desk.forms import edit_from, whole_number
from recitant_web.desk.log import redo, undo
from recitant_web.desk.queries import block, contours, desk_state, heard_from
from recitant_web.programme.queries import programmes_of, specs


@login_required
@ensure_csrf_cookie
@require_GET
def balance(request: HttpRequest, programme_id: int) -> HttpResponse:
    """The page, with its first state inside."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    context = {"programme": programme, "state": desk_state(programme), "specs": specs(), "step": "balance"}
    return render(request, "desk/balance.html", context)


@login_required
@require_GET
def state(request: HttpRequest, programme_id: int) -> HttpResponse:
    """The state of the page now."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    return JsonResponse(desk_state(programme))


@login_required
@require_POST
def edits(request: HttpRequest, programme_id: int) -> HttpResponse:
    """One edit; the new state comes back."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    edit = edit_from(request)
    match edit["kind"]:
        case "gain":
            set_gain(programme, request.user, (edit["target"], edit["id"]), edit["gain_db"], edit["revision"])
        case "spec":
            choose_spec(programme, request.user, edit["spec_id"], edit["revision"])
        case "undo":
            undo(programme, edit["revision"])
        case "redo":
            redo(programme, edit["revision"])
    programme.refresh_from_db()
    return JsonResponse(desk_state(programme))


@login_required
@require_GET
def clip_contours(request: HttpRequest, programme_id: int) -> HttpResponse:
    """The contours of the clips in view."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    start, end = whole_number(request, "start", 0), whole_number(request, "end", 48_000)
    n_points = max(1, min(4_000, whole_number(request, "points", 800)))
    return JsonResponse(contours(programme, start, max(end, start + 1), n_points))


@login_required
@require_GET
def sound(request: HttpRequest, programme_id: int) -> HttpResponse:
    """A block of what is heard, with its readings in a header."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    start = max(0, whole_number(request, "start", 0))
    length = max(1, min(480_000, whole_number(request, "length", 48_000)))
    hear = "handed-over" if request.GET.get("hear") == "handed-over" else "mix"
    heard = heard_from(request.GET.get("only", ""), request.GET.get("mute", ""))
    found = block(programme, start, length, hear, heard)
    response = HttpResponse(found.wav, content_type="audio/wav")
    response["Recitant-Readings"] = json.dumps(found.readings, separators=(",", ":"))
    response["Cache-Control"] = "no-store"
    return response
