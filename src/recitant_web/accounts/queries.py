"""Who may see what."""

from django.contrib.auth.models import User
from django.db.models import QuerySet

from recitant_core.timeline.model import ROLES, Role
from recitant_web.accounts.models import Workspace


def workspaces_of(user: User) -> QuerySet[Workspace]:
    """The workspaces this user belongs to, by name."""
    return Workspace.objects.filter(memberships__user=user).order_by("name", "pk")


def roles_of(workspace: Workspace) -> list[Role]:
    """What tracks of a workspace may be: the five and its own stems, each behind its kind."""
    return sorted({*ROLES, *map(Role, workspace.stems)}, key=lambda role: role.order)


def is_role_of(workspace: Workspace, text: str) -> bool:
    """Whether a role is one that a workspace has."""
    return text in {*ROLES, *workspace.stems}
