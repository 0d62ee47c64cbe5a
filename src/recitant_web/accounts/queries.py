"""Who may see what."""

from django.contrib.auth.models import User
from django.db.models import QuerySet

from recitant_web.accounts.models import Workspace


def workspaces_of(user: User) -> QuerySet[Workspace]:
    """The workspaces this user belongs to, by name."""
    return Workspace.objects.filter(memberships__user=user).order_by("name", "pk")
