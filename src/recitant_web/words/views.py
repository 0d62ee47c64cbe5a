"""The Words page: its state, edits, work in the background, files in and out, and search."""

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_POST, require_safe

from recitant_text.languages import language_choices
from recitant_text.notices import notice
from recitant_text.playback import PLAYBACK_WORDS
from recitant_web.desk.edits.cures import Cure
from recitant_web.desk.edits.posted import edit_from, said_of
from recitant_web.programme.access import programme_view
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import note_page, programmes_of
from recitant_web.shared.requests import Request
from recitant_web.shared.shapes import body_of, whole_number
from recitant_web.shared.states import held_state, state_answer, tag_of
from recitant_web.words.actions import MOST_CAPTION_BYTES, do_work, exported, import_captions
from recitant_web.words.forms import Work
from recitant_web.words.queries import found_in_workspace, proposed_data, words_state, words_state_soon

PAGE = "words"


@programme_view("see")
@ensure_csrf_cookie
@require_safe
def words(request: Request, programme: Programme) -> HttpResponse:
    """The page, with its first state inside."""
    note_page(programme, PAGE)
    state = words_state(programme)
    context = {
        "programme": programme,
        "state": state,
        "tag": tag_of(PAGE, programme.pk, state),
        "playbacks": PLAYBACK_WORDS,
        "languages": language_choices(programme.language),
        "step": PAGE,
    }
    return render(request, "words/page.html", context)


@programme_view("see")
@require_safe
def words_now(request: Request, programme: Programme) -> HttpResponse:
    """The state of the page now."""
    return state_answer(request, PAGE, programme.pk, words_state(programme))


@programme_view("edit")
@require_POST
def words_edits(request: Request, programme: Programme) -> HttpResponse:
    """One edit; the new state comes back, to a page that holds one with the figures still to come."""
    edit = edit_from(request)
    steps = edit.carry_out(programme, request.user)
    held = held_state(request, PAGE, programme.pk)
    if held is None or isinstance(edit, Cure):
        state = words_state(programme)
    else:
        state = words_state_soon(programme, held, is_silent=edit.is_silent)
    return state_answer(request, PAGE, programme.pk, state, said=said_of(edit, steps))


@programme_view("edit")
@require_POST
def words_work(request: Request, programme: Programme) -> HttpResponse:
    """Begin or stop hearing and listening; the state, which tells how far it is, comes back."""
    do_work(programme, body_of(request, Work))
    return state_answer(request, PAGE, programme.pk, words_state(programme))


@programme_view("edit")
@require_POST
def words_import(request: Request, programme: Programme) -> HttpResponse:
    """Captions from a file; the new state comes back."""
    file = request.FILES.get("file")
    if file is None:
        return JsonResponse({"error": "no_file", "sentence": notice("no_sound_file")}, status=422)
    data = file.read(MOST_CAPTION_BYTES + 1)
    revision = whole_number(request, "revision", -1)
    import_captions(programme, request.user, str(file.name), data, revision)
    return state_answer(request, PAGE, programme.pk, words_state(programme))


@programme_view("see")
@require_safe
def words_export(request: Request, programme: Programme, form: str) -> HttpResponse:
    """The text or the captions as a file."""
    text, kind = exported(programme, form)
    response = HttpResponse(text, content_type=f"{kind}; charset=utf-8")
    name = "".join(c for c in programme.title if c.isascii() and (c.isalnum() or c in " -_")).strip() or "words"
    response.headers["Content-Disposition"] = f'attachment; filename="{name}.{form}"'
    return response


@programme_view("see")
@require_safe
def words_chapters(request: Request, programme: Programme) -> HttpResponse:
    """Chapters proposed from what is said; nothing is set."""
    return JsonResponse({"chapters": proposed_data(programme)})


@programme_view("see")
@require_safe
def words_search(request: Request, programme: Programme) -> HttpResponse:
    """Places of words in all programmes of the workspace."""
    others = list(programmes_of(request.user).filter(workspace=programme.workspace))
    text = request.GET.get("q", "")[:120]
    return JsonResponse({"found": found_in_workspace(others, text)})
