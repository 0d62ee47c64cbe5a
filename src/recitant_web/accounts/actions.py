"""Accounts and workspaces made from the command line or at sign-up by an owner."""

from django.contrib.auth.models import User
from django.db import transaction

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
