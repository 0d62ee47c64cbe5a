"""Who may see what."""

from django.conf import settings
from django.contrib.auth.models import User
from django.db.models import QuerySet
from django.http import HttpRequest

from recitant_core.units.roles import ROLES, Role
from recitant_web.accounts.models import Workspace


def workspaces_of(user: User) -> QuerySet[Workspace]:
    """The workspaces this user belongs to, by name."""
    return Workspace.objects.filter(memberships__user=user).order_by("name", "pk")


def roles_of(workspace: Workspace) -> list[Role]:
    """Roles of a workspace: the five and its own stems, each behind its kind."""
    return sorted({*ROLES, *map(Role, workspace.stems)}, key=lambda role: role.order)


def is_role_of(workspace: Workspace, text: str) -> bool:
    """Whether a role is one that a workspace has."""
    return text in {*ROLES, *workspace.stems}


def address_of(request: HttpRequest) -> str:
    """The address that a request comes from, behind as many proxies as the settings say.

    Each proxy adds the address that it saw at the end of a list; what stands before ours was written by the visitor.
    """
    listed = [one.strip() for one in request.headers.get("X-Forwarded-For", "").split(",") if one.strip()]
    n_proxies = settings.N_PROXIES
    if n_proxies and len(listed) >= n_proxies:
        return listed[-n_proxies]
    return str(request.META.get("REMOTE_ADDR", ""))
