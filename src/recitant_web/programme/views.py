"""The list of programmes."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from recitant_web.accounts.queries import workspaces_of
from recitant_web.programme.actions import create_programme
from recitant_web.programme.forms import ProgrammeForm
from recitant_web.programme.queries import programmes_of
from recitant_words.notices import notice


@login_required
@require_http_methods(["GET", "POST"])
def programmes(request: HttpRequest) -> HttpResponse:
    """The user's programmes, and a form for a new one."""
    form = ProgrammeForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        workspace = workspaces_of(request.user).first()
        if workspace is None:
            form.add_error(None, notice("no_workspace"))
        else:
            made = create_programme(workspace, **form.cleaned_data)
            return redirect("intake", programme_id=made.pk)
    status = 422 if form.errors else 200
    found = programmes_of(request.user)
    return render(request, "programme/list.html", {"programmes": found, "form": form}, status=status)
