"""The page of specifications: what ships, and the workspace's own."""

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_safe

from recitant_core.errors import RecitantError
from recitant_text.sentences import sentence
from recitant_web.accounts.models import Workspace
from recitant_web.accounts.queries import workspaces_of
from recitant_web.shared.requests import Request
from recitant_web.specifications.actions import change_spec, copy_spec, leave_out_spec, read_spec
from recitant_web.specifications.forms import SpecForm
from recitant_web.specifications.queries import is_own, own_specs_of, shipped_specs, spec_data, spec_named, spec_row

_MOST_BYTES = 100_000


@login_required
@require_http_methods(["GET", "HEAD", "POST"])
def specifications(request: Request) -> HttpResponse:
    """All of them; a copy, a file read, and one left out."""
    found = workspaces_of(request.user)
    words = ""
    if request.method == "POST":
        workspace = _workspace(request, request.POST.get("workspace", ""))
        try:
            if "remove" in request.POST:
                leave_out_spec(workspace, request.POST["remove"])
                return redirect("specifications")
            file = request.FILES.get("file")
            if file is not None:
                made = read_spec(workspace, file.read(_MOST_BYTES))
            else:
                made = copy_spec(workspace, request.POST.get("like", ""), request.POST.get("name", ""))
            return redirect("specification", workspace_id=workspace.pk, spec_id=made.spec_id)
        except RecitantError as error:
            words = sentence(error)
    rows = [(workspace, list(map(spec_row, own_specs_of(workspace)))) for workspace in found]
    context = {"shipped": list(map(spec_row, shipped_specs())), "rows": rows, "words": words}
    return render(request, "specifications/list.html", context, status=422 if words else 200)


@login_required
@require_http_methods(["GET", "HEAD", "POST"])
def specification(request: Request, workspace_id: int, spec_id: str) -> HttpResponse:
    """One of the workspace's own, changed."""
    workspace = _workspace(request, str(workspace_id))
    if not is_own(workspace, spec_id):
        raise Http404
    form = SpecForm(request.POST) if request.method == "POST" else SpecForm.of(spec_named(workspace.pk, spec_id))
    if request.method == "POST" and form.is_valid():
        try:
            change_spec(workspace, spec_id, form.data_of_spec)
            return redirect("specifications")
        except RecitantError as error:
            form.refuse(error)
    context = {"form": form, "spec_id": spec_id, "workspace": workspace}
    return render(request, "specifications/one.html", context, status=422 if form.errors else 200)


@login_required
@require_safe
def as_json(request: Request, workspace_id: int, spec_id: str) -> HttpResponse:
    """A specification as the file that the command line takes."""
    workspace = _workspace(request, str(workspace_id))
    data = spec_data(workspace, spec_id)
    if data is None:
        raise Http404
    response = JsonResponse(data, json_dumps_params={"indent": 2})
    response["Content-Disposition"] = f'attachment; filename="{spec_id}.json"'
    return response


def _workspace(request: Request, number: str) -> Workspace:
    found = workspaces_of(request.user)
    return get_object_or_404(found, pk=int(number) if number.isdecimal() and len(number) < 19 else 0)
