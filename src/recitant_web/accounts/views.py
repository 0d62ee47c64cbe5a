"""Signing in, another password, and the stems of a workspace."""

from django.contrib.auth.decorators import login_required
from django.contrib.auth.views import LoginView, PasswordChangeView
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse_lazy
from django.views.decorators.http import require_http_methods

from recitant_core.errors import EditRefused
from recitant_web.accounts.actions import add_stem, remove_stem
from recitant_web.accounts.queries import roles_of, workspaces_of
from recitant_web.shared.requests import Request
from recitant_words.sentences import sentence


class SignInView(LoginView):
    """The first page a newcomer sees."""

    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True


class PasswordView(PasswordChangeView):
    """Another password, with the old one typed once more."""

    template_name = "accounts/password.html"
    success_url = reverse_lazy("programmes")


@login_required
@require_http_methods(["GET", "HEAD", "POST"])
def stems(request: Request) -> HttpResponse:
    """The stems of the user's workspaces: the five, and those of their own."""
    found = workspaces_of(request.user)
    words = ""
    if request.method == "POST":
        number = request.POST.get("workspace", "")
        workspace = get_object_or_404(found, pk=int(number) if number.isdecimal() and len(number) < 19 else 0)
        try:
            if "remove" in request.POST:
                remove_stem(workspace, request.POST["remove"])
            else:
                add_stem(workspace, request.POST.get("kind", ""), request.POST.get("name", ""))
            return redirect("stems")
        except EditRefused as error:
            words = sentence(error)
    rows = [(workspace, roles_of(workspace)) for workspace in found]
    return render(request, "accounts/stems.html", {"rows": rows, "words": words}, status=422 if words else 200)
