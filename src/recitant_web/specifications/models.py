"""A workspace's own specifications."""

from django.db import models

from recitant_web.accounts.models import Workspace


class OwnSpec(models.Model):
    """A specification of a workspace's own."""

    workspace = models.ForeignKey(Workspace, on_delete=models.CASCADE, related_name="own_specs")
    spec_id = models.CharField(max_length=31)
    data = models.JSONField()
    """As recitant_core.delivery.specification.spec_json reads it."""
    changed_at = models.DateTimeField(auto_now=True)
    left_out_at = models.DateTimeField(null=True)
    """Since when it is offered no longer; what uses it goes on using it."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["workspace", "spec_id"], name="one_spec_of_an_id")]
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.spec_id
