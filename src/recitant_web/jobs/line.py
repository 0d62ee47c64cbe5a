"""Which job goes first: the line before a worker, and long work that lets others pass."""

import time
from collections import Counter
from collections.abc import Callable
from datetime import timedelta
from typing import Any, Final

from django.conf import settings
from django.db.models import Q
from django.utils import timezone

from recitant_web.jobs.models import Job, JobState

URGENT: Final = ("delivery.deliver", "programme.ingest", "desk.first_balance", "desk.vary")
"""Kinds that somebody waits for at a page."""
YIELDING: Final = ("transcript.hear", "listening.words", "programme.lighten", "programme.listen", "desk.examine")
"""Kinds that go on for long, in pieces: between two of them what is urgent goes first."""
LONGEST_PAUSE_S: Final = 60.0
"""After so long one piece is done, whatever waits: under many deliveries the others come to their end too."""
_LOOKED_EVERY_S: Final = 0.5
_FAIR_OVER: Final = timedelta(minutes=10)
_MOST_WEIGHED: Final = 2_000


def queue_of(kind: str) -> str:
    """Name of the queue that jobs of a kind wait in."""
    return str(settings.CELERY_TASK_ROUTES.get(kind, {}).get("queue", kind))


def kinds_beside(kind: str) -> list[str]:
    """Kinds that wait for the same worker, this one among them."""
    return [name for name in {**settings.CELERY_TASK_ROUTES, kind: {}} if queue_of(name) == queue_of(kind)]


def line_of(kind: str) -> list[Job]:
    """Jobs that wait for the worker of a kind, in the order in which they will be done.

    First what somebody asked to have next, then what is urgent, then who got least lately: a workspace that orders two
    hundred deliveries does not keep others waiting; then the oldest.
    """
    kinds = kinds_beside(kind)
    waiting = Job.objects.filter(state=JobState.WAITING, kind__in=kinds).order_by("pk")[:_MOST_WEIGHED]
    since = timezone.now() - _FAIR_OVER
    lately = Job.objects.filter(kind__in=kinds, started_at__gte=since)
    had = Counter(lately.values_list("workspace_id", flat=True))
    routes: dict[str, dict[str, Any]] = settings.CELERY_TASK_ROUTES
    priority = {name: int(routes.get(name, {}).get("priority", 9)) for name in kinds}
    given: dict[int, int] = {}

    def turn(job: Job) -> int:
        given[job.workspace_id] = given.get(job.workspace_id, had[job.workspace_id]) + 1
        return given[job.workspace_id]

    ranked = [(not job.is_next, priority[job.kind], turn(job), job.pk, job) for job in waiting]
    return [job for *_, job in sorted(ranked, key=lambda one: one[:4])]


def first_in_line(job_id: int) -> Job | None:
    """The job that is to be done in place of another one whose message came; None where that is the first itself.

    Where that one was done before, its message stands for one that still waits: there are as many as jobs.
    """
    asked = Job.objects.filter(pk=job_id).first()
    if asked is None:
        return None
    if settings.SPREAD_S and asked.kind == "delivery.deliver":
        return None  # the row of one whose parts are being rendered waits too
    line = line_of(asked.kind)
    return line[0] if line and line[0].pk != job_id else None


class MakingWay:
    """Pauses of a job between two pieces of its work, while something more urgent waits or works."""

    def __init__(self, job: Job, sleep: Callable[[float], None] = time.sleep) -> None:
        self._job, self._sleep = job, sleep

    def make(self, is_over: Callable[[], bool] = lambda: False) -> None:
        """Wait while something urgent is under way, for LONGEST_PAUSE_S at the most; says in the row for what.

        Args:
            is_over: asked meanwhile: whether the job is in other hands, or was asked to stop.
        """
        if self._job.kind not in YIELDING:
            return
        waited_s, shown = 0.0, None
        while waited_s < LONGEST_PAUSE_S and not is_over():
            urgent = _urgent(self._job.kind)
            if urgent is None or Job.objects.filter(pk=self._job.pk, is_cancel_asked=True).exists():
                break
            if urgent != shown:
                Job.objects.filter(pk=self._job.pk).update(paused_for=urgent)
                shown = urgent
            self._sleep(_LOOKED_EVERY_S)
            waited_s += _LOOKED_EVERY_S
        if shown is not None:
            Job.objects.filter(pk=self._job.pk).update(paused_for=None)


def _urgent(kind: str) -> int | None:
    # What waits for the worker of this very job begins when it ends: making way for that would hold both up.
    is_elsewhere = Q(state=JobState.WORKING) | (Q(state=JobState.WAITING) & ~Q(kind__in=kinds_beside(kind)))
    under_way = Job.objects.filter(is_elsewhere, kind__in=URGENT)
    return under_way.order_by("pk").values_list("pk", flat=True).first()
