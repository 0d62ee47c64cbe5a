"""Work in the background, and how far it is. The row is the truth; the queue only says that there is one."""

import math
from typing import Final

from django.db import models
from django.utils import timezone

from recitant_text.messages import message_text
from recitant_web.accounts.models import Workspace

_LEAST_SHARE: Final = 0.02  # from which the end can be told


class JobState(models.TextChoices):
    """State of a job."""

    WAITING = "waiting"
    WORKING = "working"
    DONE = "done"
    CANCELLED = "cancelled"
    REFUSED = "refused"
    CRASHED = "crashed"


class Job(models.Model):
    """One piece of work."""

    workspace = models.ForeignKey(Workspace, on_delete=models.CASCADE)
    kind = models.CharField(max_length=40)
    subject = models.CharField(max_length=40, default="", blank=True)
    """What it is about, where only the newest of a kind counts; empty otherwise."""
    about = models.CharField(max_length=200, default="", blank=True)
    """Name of what it works on, as a recording or a programme is called."""
    programme_number = models.BigIntegerField(null=True)
    """Of the programme that it belongs to; a plain number, since programmes stand above jobs."""
    is_next = models.BooleanField(default=False)
    """Whether somebody asked for it before others that wait."""
    paused_for = models.ForeignKey("self", null=True, on_delete=models.SET_NULL)
    """The job that it lets go first at the moment; null where it goes on."""
    payload = models.JSONField(default=dict)
    state = models.CharField(max_length=12, choices=JobState.choices, default=JobState.WAITING)
    share = models.FloatField(default=0.0)
    message = models.JSONField(default=dict, blank=True)
    """How it ended: recitant_text.messages."""
    is_cancel_asked = models.BooleanField(default=False)
    attempts = models.PositiveSmallIntegerField(default=0)
    created_at = models.DateTimeField(auto_now_add=True)
    heartbeat_at = models.DateTimeField(null=True)
    """When it last said that it lives; of one that waits, when it was last sent again."""
    started_at = models.DateTimeField(null=True)
    """Of the attempt that is under way, or was last."""

    class Meta:
        indexes = [
            models.Index(fields=["state", "heartbeat_at"]),
            models.Index(fields=["kind", "subject", "state"]),
        ]

    @property
    def sentence(self) -> str:
        """Sentence of its message; empty for none."""
        return message_text(self.message)

    @property
    def minutes_left(self) -> int | None:
        """Whole minutes until it is probably done; None where that cannot be told yet, and where it does not work."""
        if self.state != JobState.WORKING or self.share < _LEAST_SHARE or self.started_at is None:
            return None
        worked_s = (timezone.now() - self.started_at).total_seconds()
        return math.ceil(worked_s * (1.0 - self.share) / self.share / 60.0)

    @property
    def is_open(self) -> bool:
        """Whether it still waits or works."""
        return self.state in (JobState.WAITING, JobState.WORKING)
