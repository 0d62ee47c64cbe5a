"""The library's doors."""

from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from recitant_text.notices import notice
from recitant_web.library.actions import place_sound, switch_favourite, take_in
from recitant_web.library.forms import place_request
from recitant_web.library.queries import found_sounds, sound_block, sounds_for
from recitant_web.programme.access import programme_view
from recitant_web.programme.models import Programme
from recitant_web.shared.requests import Request
from recitant_web.shared.shapes import whole_number


@programme_view("see", to_post="edit")
@require_http_methods(["GET", "HEAD", "POST"])
def library(request: Request, programme: Programme) -> HttpResponse:
    """Sounds that have these words; or a sound of the studio's own."""
    if request.method == "POST":
        file = request.FILES.get("file")
        if file is None:
            return JsonResponse({"sentence": notice("no_sound_file")}, status=422)
        made = take_in(
            programme.workspace, file.name or "", file.size or 0, file.chunks(), request.POST.get("tags", "")
        )
        return JsonResponse({"id": made.pk, "name": made.name})
    is_only = bool(request.GET.get("favourites"))
    found = found_sounds(programme, request.user, request.GET.get("words", "")[:200], only_favourites=is_only)
    return JsonResponse({"sounds": found})


@programme_view("see")
@require_safe
def sound(request: Request, programme: Programme, sound_id: int) -> HttpResponse:
    """A block of a sound."""
    found = get_object_or_404(sounds_for(programme), pk=sound_id)
    start = max(0, whole_number(request, "start", 0))
    block = sound_block(found, start, max(1, min(480_000, whole_number(request, "length", 48_000))))
    response = HttpResponse(block.wav, content_type="audio/wav")
    response["Recitant-Readings"] = block.readings_json
    return response


@programme_view("see")
@require_POST
def favourite(request: Request, programme: Programme, sound_id: int) -> HttpResponse:
    """Like a sound, or no longer."""
    is_liked = switch_favourite(get_object_or_404(sounds_for(programme), pk=sound_id), request.user)
    return JsonResponse({"is_favourite": is_liked})


@programme_view("edit")
@require_POST
def place(request: Request, programme: Programme, sound_id: int) -> HttpResponse:
    """Lay a sound at a place of the programme."""
    found = get_object_or_404(sounds_for(programme), pk=sound_id)
    asked = place_request(request)
    if asked is None:
        return JsonResponse({"sentence": notice("no_place")}, status=422)
    place_sound(programme, request.user, found, asked.at_sample, asked.revision)
    return JsonResponse({})
