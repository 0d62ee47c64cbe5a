"""The Level page: its state, edits, what processors do, presets, and how it compares."""

from typing import Any

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_POST, require_safe

from recitant_web.accounts.queries import roles_of
from recitant_web.desk.edits.posted import edit_from, said_of
from recitant_web.level.forms import (
    DraftRequest,
    DropPreset,
    EvenRequest,
    FindRequest,
    KeepPreset,
    PresetRequest,
    ReadPreset,
    ViewRequest,
)
from recitant_web.level.inspection import found_in, processor_curves, processor_view, whole_reduction
from recitant_web.level.presets import chain_of_preset, drop_preset, keep_preset, presets
from recitant_web.level.queries import evened_data, level_state, level_state_soon, page_data, peaks_of_clips
from recitant_web.listening.drafts import keep_draft
from recitant_web.listening.examination import measure_again
from recitant_web.programme.access import programme_view
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import note_page
from recitant_web.shared.middleware import reads
from recitant_web.shared.requests import Request
from recitant_web.shared.shapes import body_of
from recitant_web.shared.states import held_state, json_answer, state_answer, tag_of
from recitant_web.specifications.queries import specs_of

PAGE = "level"


@programme_view("see")
@ensure_csrf_cookie
@require_safe
def level(request: Request, programme: Programme) -> HttpResponse:
    """The page, with its first state inside."""
    note_page(programme, "level")
    measure_again(programme)
    state = level_state(programme)
    context = {
        "programme": programme,
        "state": state,
        "tag": tag_of(PAGE, programme.pk, state),
        "page": page_data(),
        "specs": specs_of(programme.workspace),
        "roles": roles_of(programme.workspace),
        "step": "level",
    }
    return render(request, "level/page.html", context)


@programme_view("see")
@require_safe
def level_now(request: Request, programme: Programme) -> HttpResponse:
    """The state of the page now."""
    return state_answer(request, PAGE, programme.pk, level_state(programme))


@programme_view("edit")
@require_POST
def level_edits(request: Request, programme: Programme) -> HttpResponse:
    """One edit; the new state comes back, to a page that holds one with the figures still to come."""
    edit = edit_from(request)
    steps = edit.carry_out(programme, request.user)
    programme.refresh_from_db()
    held = held_state(request, PAGE, programme.pk)
    state = level_state(programme) if held is None else level_state_soon(programme, held)
    return state_answer(request, PAGE, programme.pk, state, said=said_of(edit, steps))


@reads
@programme_view("see")
@require_POST
def level_view(request: Request, programme: Programme) -> HttpResponse:
    """Figures of a chain, kept or being tried, on its target."""
    return json_answer(processor_view(programme, body_of(request, ViewRequest)))


@reads
@programme_view("see")
@require_POST
def level_static(request: Request, programme: Programme) -> HttpResponse:
    """Curves that follow from a processor's values alone, before anything is rendered."""
    return json_answer(processor_curves(body_of(request, ViewRequest)))


@reads
@programme_view("see")
@require_POST
def level_whole(request: Request, programme: Programme) -> HttpResponse:
    """Gain reduction of one processor over the whole programme."""
    return JsonResponse(whole_reduction(programme, body_of(request, ViewRequest)))


@reads
@programme_view("see")
@require_POST
def level_draft(request: Request, programme: Programme) -> HttpResponse:
    """Keep a chain that is being tried, so that blocks of sound can name it."""
    return JsonResponse({"draft": keep_draft(body_of(request, DraftRequest).chain)})


@reads
@programme_view("see")
@require_POST
def level_find(request: Request, programme: Programme) -> HttpResponse:
    """A noise profile, hum, resonances, a room or a starting point, as processors to add."""
    return JsonResponse(found_in(programme, body_of(request, FindRequest)))


@reads
@programme_view("see")
@require_POST
def level_even(request: Request, programme: Programme) -> HttpResponse:
    """Gains that evening out would set, clip by clip."""
    asked = body_of(request, EvenRequest)
    return JsonResponse({"steps": evened_data(programme, asked.ids, asked.options.chosen())})


@programme_view("see")
@require_safe
def level_peaks(request: Request, programme: Programme) -> HttpResponse:
    """Peaks of clips that were not known yet, as far as they go into a second; how many are left."""
    return JsonResponse(peaks_of_clips(programme))


@programme_view("edit")
@require_POST
def level_presets(request: Request, programme: Programme) -> HttpResponse:
    """Keep or drop a preset, or read its chain; the presets of the workspace come back."""
    asked = body_of(request, PresetRequest)
    answer: dict[str, Any] = {}
    match asked:
        case KeepPreset():
            keep_preset(programme, request.user, asked.name, asked.chain)
        case DropPreset():
            drop_preset(programme, asked.id.number)
        case ReadPreset():
            answer["chain"] = chain_of_preset(programme, asked.id.number)
    return JsonResponse(answer | {"presets": presets(programme)})
