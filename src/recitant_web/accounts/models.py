"""Workspaces and who belongs to them; users are Django's."""

from django.conf import settings
from django.db import models

from recitant_web.accounts.rights import OWNER


class Workspace(models.Model):
    """Programmes, libraries and specifications that a small company shares."""

    name = models.CharField(max_length=120)
    stems = models.JSONField(default=list)
    """Stems of its own beside the five, as text of recitant_core.units.roles.Role, in the order they were made."""

    glossary = models.JSONField(default=list)
    """Names and terms that occur in its programmes, as they are written."""

    def __str__(self) -> str:
        return self.name


class Membership(models.Model):
    """A user's place in a workspace."""

    workspace = models.ForeignKey(Workspace, on_delete=models.CASCADE, related_name="memberships")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="memberships")

    role = models.CharField(max_length=20, default=OWNER)
    """Of accounts.rights.RIGHTS."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["workspace", "user"], name="one_membership_each")]
