"""Requests as views behind login_required get them, for the type checker: with a person, and with what htmx says."""

from django.contrib.auth.models import User
from django.http import HttpRequest
from django_htmx.middleware import HtmxDetails


class Request(HttpRequest):
    """A request of somebody who is signed in."""

    user: User
    htmx: HtmxDetails
