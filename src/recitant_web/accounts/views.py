"""Signing in, another password, and the stems of a workspace."""

import math
from threading import BoundedSemaphore
from typing import Any, Final

from django.contrib.auth.decorators import login_required
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.views import LoginView, PasswordChangeView
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse_lazy
from django.views.decorators.http import require_http_methods

from recitant_core.errors import EditRefused
from recitant_text.sentences import sentence
from recitant_web.accounts.actions import add_stem, remove_stem
from recitant_web.accounts.queries import roles_of, workspaces_of
from recitant_web.accounts.throttle import remember, wait_s
from recitant_web.shared.requests import Request

_CHECKS: Final = BoundedSemaphore(1)
"""Passwords that are checked at a time: each takes a core for a third of a second."""
_PATIENCE_S: Final = 2.0


class SignInView(LoginView):
    """The first page a newcomer sees."""

    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True

    def post(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        """Check a name and a password, unless too many were wrong lately or are being checked."""
        name = request.POST.get("username", "")
        waits_s = wait_s(request, name)
        if waits_s:
            return self._later(waits_s)
        if not _CHECKS.acquire(timeout=_PATIENCE_S):
            return self._later(math.ceil(_PATIENCE_S))
        try:
            return super().post(request, *args, **kwargs)
        finally:
            _CHECKS.release()

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        """Sign in, and know this browser again."""
        response = super().form_valid(form)
        remember(response, form.get_user().get_username())
        return response

    def _later(self, waits_s: int) -> HttpResponse:
        context = {"waits_s": waits_s}
        response = render(self.request, "accounts/locked.html", context, status=429)
        response["Retry-After"] = str(waits_s)
        return response


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
