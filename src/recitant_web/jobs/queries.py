"""Reading jobs."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import timedelta
from typing import Final

from django.contrib.auth.models import User
from django.db.models import QuerySet
from django.utils import timezone

from recitant_text.work import STATE_WORDS, minutes_words, paused_words, waiting_words, work_words
from recitant_web.accounts.models import Workspace
from recitant_web.jobs.line import kinds_beside, line_of
from recitant_web.jobs.models import Job, JobState

LATELY: Final = timedelta(hours=24)
MOST_SHOWN: Final = 100
_ENDED_BADLY: Final = (JobState.REFUSED, JobState.CRASHED)


@dataclass(frozen=True)
class WorkRow:
    """A job as people read it."""

    job: Job
    what: str
    state: str
    note: str
    """What it waits for, what is left of it, or how it ended."""
    may_be_tried: bool


def jobs_of(user: User) -> QuerySet[Job]:
    """The jobs of this user's workspaces."""
    return Job.objects.filter(workspace__memberships__user=user)


def is_under_way(workspace: Workspace, kind: str, payload: Mapping[str, object]) -> bool:
    """Whether such a job waits or works already."""
    states = (JobState.WAITING, JobState.WORKING)
    return Job.objects.filter(workspace=workspace, kind=kind, payload=payload, state__in=states).exists()


def note_of(job: Job) -> str:
    """Words on a job: what it waits for, what is left of it, or how it ended."""
    if job.state == JobState.WAITING:
        return _Line(job.kind).note(job)
    if job.state == JobState.WORKING:
        if job.paused_for is not None:
            return paused_words(_named(job.paused_for, job.workspace_id))
        left = minutes_words(job.minutes_left)
        return f"{left} left" if left else ""
    return job.sentence


def notes_of(jobs: Iterable[Job]) -> dict[int, str]:
    """Words on what each of some jobs waits for, by number; those that do not wait are left out."""
    lines: dict[str, _Line] = {}
    found = {}
    for job in jobs:
        if job.state == JobState.WAITING:
            if job.kind not in lines:
                lines[job.kind] = _Line(job.kind)
            found[job.pk] = lines[job.kind].note(job)
    return found


def work_of(user: User) -> dict[str, list[WorkRow]]:
    """Running, waiting, failed and lately done jobs of a user's workspaces, each in the order in which they matter."""
    mine = jobs_of(user).select_related("paused_for")
    running = mine.filter(state=JobState.WORKING).order_by("started_at")
    waiting = mine.filter(state=JobState.WAITING)
    kinds = sorted(set(waiting.values_list("kind", flat=True)))
    lines = {kind: _Line(kind) for kind in kinds}
    places = {number: place for line in lines.values() for number, place in line.places.items()}
    in_line = sorted(waiting, key=lambda job: (places.get(job.pk, MOST_SHOWN), job.pk))
    since = timezone.now() - LATELY
    failed = mine.filter(state__in=_ENDED_BADLY, created_at__gte=since).order_by("-pk")
    # Exact figures follow every edit: what they came to stands on the pages.
    done = mine.filter(state__in=(JobState.DONE, JobState.CANCELLED), created_at__gte=since)
    lately = done.exclude(kind="desk.examine").order_by("-pk")
    return {
        "running": [_row(job, note_of(job)) for job in running],
        "waiting": [_row(job, lines[job.kind].note(job)) for job in in_line[:MOST_SHOWN]],
        "failed": [_row(job, job.sentence) for job in failed[:MOST_SHOWN]],
        "done": [_row(job, job.sentence) for job in lately[:MOST_SHOWN]],
    }


def _row(job: Job, note: str) -> WorkRow:
    may_be_tried = job.state in (*_ENDED_BADLY, JobState.CANCELLED)
    return WorkRow(job, work_words(job.kind, job.about), STATE_WORDS[job.state], note, may_be_tried)


class _Line:
    """The line before the worker of a kind, looked at once for all that wait in it."""

    def __init__(self, kind: str) -> None:
        self._jobs = line_of(kind)
        self.places = {job.pk: place for place, job in enumerate(self._jobs)}
        working = Job.objects.filter(state=JobState.WORKING, kind__in=kinds_beside(kind))
        self._beside = working.order_by("started_at").first()

    def note(self, job: Job) -> str:
        """Words on what a job waits for."""
        place = self.places.get(job.pk, len(self._jobs))
        first = self._beside or (self._jobs[0] if place else None)
        if first is None:
            return waiting_words(0, "", None)
        n_ahead = place + (self._beside is not None)
        return waiting_words(n_ahead, _named(first, job.workspace_id), first.minutes_left)


def _named(job: Job, workspace_id: int) -> str:
    """Words on what a job does; of another workspace's, not to what."""
    return work_words(job.kind, job.about if job.workspace_id == workspace_id else "")
