"""Deliveries: what was asked for, by which job, and what came of it; and what a programme is handed over as."""

from django.db import models

from recitant_web.jobs.models import Job
from recitant_web.programme.models import Programme


class SheetLine(models.Model):
    """A line of a programme's delivery sheet: a specification and the files that are made for it."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="sheet")
    spec_id = models.CharField(max_length=40)
    files = models.CharField(max_length=500)
    """As a list that delivered.wanted_from_text reads; empty for none."""

    class Meta:
        constraints = [models.UniqueConstraint(fields=["programme", "spec_id"], name="one_line_a_spec")]
        ordering = ["pk"]


class ProgrammeLabels(models.Model):
    """Labels of a programme's compressed files beside its title."""

    programme = models.OneToOneField(Programme, on_delete=models.CASCADE, related_name="labels")
    artist = models.CharField(max_length=120, default="", blank=True)
    album = models.CharField(max_length=120, default="", blank=True)
    year = models.CharField(max_length=120, default="", blank=True)
    comment = models.CharField(max_length=120, default="", blank=True)
    cover = models.BinaryField(default=b"")
    """A JPEG or PNG file; empty for none."""


class Delivery(models.Model):
    """Files of one revision for one or several specifications."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="deliveries")
    revision = models.PositiveBigIntegerField()
    name = models.CharField(max_length=80, default="", blank=True)
    """That somebody gave it."""
    orders = models.JSONField(default=list)
    """Of each order its specification as data, its files as a list, and those missed; later changes do not reach it."""
    film = models.JSONField(null=True)
    """Of a film that is wanted: file of its picture, suffix of its name, offset in samples."""
    chapters = models.JSONField(default=list)
    """First sample in the programme and title of each."""
    labels = models.JSONField(default=dict)
    """Tags of its compressed files and a hash of their cover, which stands in the folder; empty for none."""
    plan = models.JSONField()
    """The plan as it was handed over, sources by their hash; later edits do not reach it."""
    talk = models.JSONField(default=dict)
    """Where somebody speaks in it: spans and over, each as first sample and length."""
    span = models.JSONField(null=True)
    """First sample and length of the stretch that was handed over; null for the whole programme."""
    clips = models.JSONField(default=list)
    """Names of the clips that were handed over alone; empty for all."""
    plan_key = models.CharField(max_length=64, default="", blank=True)
    """A hash of all that makes its sound; empty for deliveries from before it was kept."""
    made_by = models.CharField(max_length=150, default="", blank=True)
    """Name of the user who handed it over."""
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL)
    folder = models.CharField(max_length=200, default="", blank=True)
    report = models.JSONField(null=True)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-pk"]
