"""The Balance page, its edits, its contours and its sound."""

import json

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_POST, require_safe

from recitant_text.playback import PLAYBACK_WORDS
from recitant_web.balance.clearance import checked
from recitant_web.balance.first_balance import ask_first_balance
from recitant_web.balance.forms import FirstBalanceRequest, instead_from
from recitant_web.balance.queries import desk_state, desk_state_soon, path_of_clip
from recitant_web.desk.edits.cures import Cure
from recitant_web.desk.edits.posted import edit_from, said_of
from recitant_web.listening.blocks import Listening, block, heard_from
from recitant_web.listening.comparison import heard_instead, plan_instead
from recitant_web.listening.contours import contours
from recitant_web.listening.examination import measure_again
from recitant_web.listening.playback import through_from
from recitant_web.programme.access import programme_view
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import note_page
from recitant_web.shared.requests import Request
from recitant_web.shared.shapes import body_of, whole_number
from recitant_web.shared.states import held_state, json_answer, state_answer, tag_of
from recitant_web.specifications.queries import spec_named, specs_of

PAGE = "balance"


@programme_view("see")
@ensure_csrf_cookie
@require_safe
def balance(request: Request, programme: Programme) -> HttpResponse:
    """The page, with its first state inside."""
    note_page(programme, "balance")
    measure_again(programme)
    now = desk_state(programme)
    tag = tag_of(PAGE, programme.pk, now)
    context = {
        "programme": programme,
        "state": now,
        "tag": tag,
        "specs": specs_of(programme.workspace),
        "playbacks": PLAYBACK_WORDS,
        "step": "balance",
    }
    return render(request, "balance/page.html", context)


@programme_view("see")
@require_safe
def state(request: Request, programme: Programme) -> HttpResponse:
    """The state of the page now."""
    return state_answer(request, PAGE, programme.pk, desk_state(programme))


@programme_view("edit")
@require_POST
def edits(request: Request, programme: Programme) -> HttpResponse:
    """One edit; the new state comes back, to a page that holds one with the figures still to come."""
    edit = edit_from(request)
    steps = edit.carry_out(programme, request.user)
    programme.refresh_from_db()
    said = said_of(edit, steps)
    if isinstance(edit, Cure):
        said = f"{checked(programme, edit.start_sample, edit.length_samples)} {said}".strip()
    held = held_state(request, PAGE, programme.pk)
    now = desk_state(programme) if held is None else desk_state_soon(programme, held)
    return state_answer(request, PAGE, programme.pk, now, said=said)


@programme_view("edit")
@require_POST
def balance_first(request: Request, programme: Programme) -> HttpResponse:
    """Begin a first balance; the state, which tells how far it is, comes back."""
    ask_first_balance(programme, request.user, body_of(request, FirstBalanceRequest))
    programme.refresh_from_db()
    return state_answer(request, PAGE, programme.pk, desk_state(programme))


@programme_view("see")
@require_safe
def level_path(request: Request, programme: Programme) -> HttpResponse:
    """Every gain of a clip at a moment, from the recording to the output."""
    hear = "handed-over" if request.GET.get("hear") == "handed-over" else "mix"
    at_sample = max(0, whole_number(request, "at", 0))
    return JsonResponse(path_of_clip(programme, request.GET.get("clip", ""), at_sample, hear))


@programme_view("see")
@require_safe
def clip_contours(request: Request, programme: Programme) -> HttpResponse:
    """The contours of the clips in view."""
    start, end = whole_number(request, "start", 0), whole_number(request, "end", 48_000)
    n_points = max(1, min(4_000, whole_number(request, "points", 800)))
    return json_answer(contours(programme, start, max(end, start + 1), n_points))


@programme_view("see")
@require_safe
def sound(request: Request, programme: Programme) -> HttpResponse:
    """A block of what is heard, with its readings in a header."""
    start = max(0, whole_number(request, "start", 0))
    length = max(1, min(480_000, whole_number(request, "length", 48_000)))
    hear = "handed-over" if request.GET.get("hear") == "handed-over" else "mix"
    heard = heard_from(request.GET.get("only", ""), request.GET.get("mute", ""))
    instead = instead_from(request)
    plan, spec_id = None, request.GET.get("spec", "")
    if instead is not None:
        plan, heard = plan_instead(programme, instead), heard_instead(programme, instead, heard)
    listening = Listening(
        heard,
        hear,
        is_mono=request.GET.get("mono") == "1",
        has_stems=request.GET.get("stems") == "1",
        through=through_from(request.GET),
        spec=spec_named(programme.workspace_id, spec_id) if spec_id else None,
    )
    found = block(programme, start, length, listening, plan)
    response = HttpResponse(found.wav, content_type="audio/wav")
    response["Recitant-Readings"] = json.dumps(found.readings, separators=(",", ":"))
    response["Cache-Control"] = "no-store"
    return response
