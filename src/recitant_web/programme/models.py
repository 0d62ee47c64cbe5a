"""Programmes and the recordings brought into them."""

from django.db import models

from recitant_web.accounts.models import Workspace
from recitant_web.jobs.models import Job

ROLES = [("dialogue", "Dialogue"), ("music", "Music"), ("effects", "Effects"), ("ambience", "Ambience")]


class Programme(models.Model):
    """A film, an episode, a spot. Its revision grows by one with every edit."""

    workspace = models.ForeignKey(Workspace, on_delete=models.CASCADE, related_name="programmes")
    title = models.CharField(max_length=200)
    frame_rate = models.CharField(max_length=8, default="25")
    spec_id = models.CharField(max_length=40, default="ebu-r128")
    revision = models.PositiveBigIntegerField(default=0)
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.title


class SourceState(models.TextChoices):
    """What becomes of a file that was brought in."""

    WAITING = "waiting"
    READY = "ready"
    REFUSED = "refused"


class Source(models.Model):
    """A recording: the file as it came, and what was learnt of it. The file is never changed."""

    programme = models.ForeignKey(Programme, on_delete=models.CASCADE, related_name="sources")
    name = models.CharField(max_length=255)
    role = models.CharField(max_length=10, choices=ROLES)
    state = models.CharField(max_length=8, choices=SourceState.choices, default=SourceState.WAITING)
    sentence = models.TextField(default="", blank=True)
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL)
    original_file = models.CharField(max_length=200)
    """Under the media root; a name of ours, never the user's."""
    size_bytes = models.BigIntegerField(default=0)
    sha256 = models.CharField(max_length=64, default="", blank=True)
    n_channels = models.PositiveSmallIntegerField(null=True)
    rate_hz = models.PositiveIntegerField(null=True)
    coding = models.CharField(max_length=60, default="", blank=True)
    length_samples = models.BigIntegerField(null=True)
    readings = models.JSONField(default=dict)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["created_at", "pk"]
