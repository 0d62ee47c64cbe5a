"""Signing in."""

from django.contrib.auth.views import LoginView


class SignInView(LoginView):
    """The first page a newcomer sees."""

    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True
