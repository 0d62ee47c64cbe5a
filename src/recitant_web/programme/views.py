"""Programmes and the intake page."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from recitant_web.accounts.queries import workspaces_of
from recitant_web.jobs.actions import pick_up_lost_jobs
from recitant_web.programme.actions import bring_in, create_programme, remove_refused
from recitant_web.programme.forms import ProgrammeForm
from recitant_web.programme.models import ROLES, SourceState
from recitant_web.programme.queries import programmes_of, sources_of


@login_required
@require_http_methods(["GET", "POST"])
def programmes(request: HttpRequest) -> HttpResponse:
    """The user's programmes, and a form for a new one."""
    form = ProgrammeForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        workspace = workspaces_of(request.user).first()
        if workspace is None:
            form.add_error(None, "You belong to no workspace yet; ask who runs this Recitant to add you.")
        else:
            made = create_programme(workspace, **form.cleaned_data)
            return redirect("intake", programme_id=made.pk)
    status = 422 if form.errors else 200
    found = programmes_of(request.user)
    return render(request, "programme/list.html", {"programmes": found, "form": form}, status=status)


@login_required
@require_GET
def intake(request: HttpRequest, programme_id: int) -> HttpResponse:
    """Where files are brought in."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    return render(request, "programme/intake.html", _intake(programme) | {"roles": ROLES, "step": "intake"})


@login_required
@require_GET
def sources(request: HttpRequest, programme_id: int) -> HttpResponse:
    """The list of sources; asks again while one is on its way."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    context = _intake(programme)
    if context["is_busy"]:
        pick_up_lost_jobs()
    return render(request, "programme/_sources.html", context)


@login_required
@require_POST
def upload(request: HttpRequest, programme_id: int) -> HttpResponse:
    """One file for one role."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    file = request.FILES.get("file")
    if file is None:
        return JsonResponse({"sentence": "No file arrived. Choose one and send it again."}, status=422)
    source = bring_in(programme, request.POST.get("role", ""), file.name, file.size, file.chunks())
    return JsonResponse({"source_id": source.pk, "name": source.name})


@login_required
@require_POST
def remove(request: HttpRequest, programme_id: int, source_id: int) -> HttpResponse:
    """Take a refused file off the list."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    remove_refused(get_object_or_404(programme.sources, pk=source_id))
    return render(request, "programme/_sources.html", _intake(programme))


def _intake(programme) -> dict[str, object]:  # type: ignore[no-untyped-def]
    found = list(sources_of(programme))
    is_busy = any(source.state == SourceState.WAITING for source in found)
    return {"programme": programme, "sources": found, "is_busy": is_busy}
