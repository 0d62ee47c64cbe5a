"""Deliveries: what was asked for, by which job, and what came of it."""

from django.db import models

from recitant_web.jobs.models import Job
from recitant_web.programme.models import Programme


class Delivery(models.Model):
    """Files of one revision for one or several specifications."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="deliveries")
    revision = models.PositiveBigIntegerField()
    spec_ids = models.JSONField()
    plan = models.JSONField()
    """The plan as it was handed over, sources by their hash; later edits do not reach it."""
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL)
    folder = models.CharField(max_length=200, default="", blank=True)
    report = models.JSONField(null=True)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-pk"]
