"""Accounts and workspaces made from the command line or at sign-up by an owner."""

import re
import unicodedata
from typing import Final

from django.contrib.auth.models import User
from django.db import transaction

from recitant_core.errors import EditRefused
from recitant_core.units.roles import ROLES, Role
from recitant_web.accounts.models import Membership, Workspace


@transaction.atomic
def create_account(username: str, password: str, workspace_name: str) -> tuple[User, Workspace]:
    """A user with a workspace of that name; both are found again if they are there, the password is set anew."""
    user, _ = User.objects.get_or_create(username=username)
    user.set_password(password)
    user.save()
    workspace = Workspace.objects.filter(memberships__user=user, name=workspace_name).first()
    if workspace is None:
        workspace = Workspace.objects.create(name=workspace_name)
        Membership.objects.create(workspace=workspace, user=user)
    return user, workspace


MOST_STEMS: Final = 20
MOST_LETTERS: Final = 13


@transaction.atomic
def add_stem(workspace: Workspace, kind: str, name: str) -> Role:
    """A stem of a workspace's own.

    Args:
        kind: the one of the five that it is treated as.
        name: for people; what stands in plans and file names is made from it.

    Raises:
        EditRefused: no such kind, no name, one that is there already, or too many.
    """
    locked = Workspace.objects.select_for_update().get(pk=workspace.pk)
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    own = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")
    if kind not in ROLES or not own or len(own) > MOST_LETTERS:
        raise EditRefused("not_a_stem_name", most=MOST_LETTERS)
    role = Role(f"{kind}:{own}")
    if own in ROLES or own in {Role(one).own_name for one in locked.stems}:
        raise EditRefused("stem_there", name=role.label)
    if len(locked.stems) >= MOST_STEMS:
        raise EditRefused("too_many_stems", most=MOST_STEMS)
    locked.stems = [*locked.stems, role.value]
    locked.save(update_fields=["stems"])
    return role


@transaction.atomic
def remove_stem(workspace: Workspace, text: str) -> None:
    """Offer a stem no longer; tracks that are on it stay on it."""
    locked = Workspace.objects.select_for_update().get(pk=workspace.pk)
    locked.stems = [one for one in locked.stems if one != text]
    locked.save(update_fields=["stems"])
