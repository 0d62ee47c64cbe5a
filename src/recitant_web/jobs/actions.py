"""Starting, running, stopping and picking up jobs. Delivery of a message is at least once: running twice is safe."""

import logging
from collections.abc import Callable
from datetime import timedelta
from functools import partial
from typing import Final

from celery import current_app
from django.db import DatabaseError, transaction
from django.db.models import F, Q, QuerySet
from django.utils import timezone
from kombu.exceptions import OperationalError

from recitant_core.errors import Cancelled, RecitantError
from recitant_core.ports import Progress
from recitant_web.accounts.models import Workspace
from recitant_web.jobs.models import Job, JobState
from recitant_words.notices import notice
from recitant_words.sentences import sentence

HEARTBEAT_LOST: Final = timedelta(seconds=45)
MOST_ATTEMPTS: Final = 3
_HEARTBEAT_EVERY: Final = timedelta(seconds=0.4)
_log = logging.getLogger(__name__)


def start_job(workspace: Workspace, kind: str, payload: dict[str, object]) -> Job:
    """A new job, sent to the queue once the transaction around it is committed."""
    job = Job.objects.create(workspace=workspace, kind=kind, payload=payload)
    transaction.on_commit(partial(_send, job.pk, kind))
    return job


def ask_cancel(job: Job) -> None:
    """Ask a job to stop; it does at its next step. One that no worker has begun stops at once."""
    Job.objects.filter(pk=job.pk).update(is_cancel_asked=True)
    Job.objects.filter(pk=job.pk, state=JobState.WAITING).update(state=JobState.CANCELLED, sentence=notice("stopped"))


def run_job(job_id: int, work: Callable[[Job, Progress], str]) -> Job | None:
    """Do a job's work unless it is done, and keep its row true whatever happens.

    Args:
        job_id: a job; one that is gone, ended, or in other hands is left alone and None comes back.
        work: does it and returns the sentence to show; told where to report progress, which raises Cancelled when
            the user asked to stop.
    """
    if not _take(job_id):
        return None
    job = Job.objects.get(pk=job_id)
    last = timezone.now()

    def progress(share: float) -> None:
        nonlocal last
        now = timezone.now()
        if now - last < _HEARTBEAT_EVERY:
            return
        last = now
        if not _own(job).update(share=share, heartbeat_at=now):
            raise LeaseLost("cancelled")
        if Job.objects.filter(pk=job_id, is_cancel_asked=True).exists():
            raise Cancelled("cancelled")

    try:
        words = work(job, progress)
    except LeaseLost:
        _log.warning("job %s is in other hands; its work here stops", job_id)
        return None
    except Cancelled as error:
        return _end(job, JobState.CANCELLED, sentence(error))
    except RecitantError as error:
        _log.info("job %s refused: %s %s", job_id, error.code, error.facts)
        return _end(job, JobState.REFUSED, sentence(error))
    except Exception:  # the worker loop: whatever happens here must end in the row, not in silence
        _log.exception("job %s crashed", job_id)
        return _end(job, JobState.CRASHED, notice("crashed"))
    return _end(job, JobState.DONE, words)


class LeaseLost(Cancelled):
    """The heartbeat was thought lost, and somebody else has the job now."""


def _own(job: Job) -> QuerySet[Job]:
    # The row as long as it is ours: every taker raises the number of attempts.
    return Job.objects.filter(pk=job.pk, state=JobState.WORKING, attempts=job.attempts)


def pick_up_lost_jobs() -> int:
    """Send every job again whose worker died or whose message was lost; give one up after three tries.

    Returns:
        How many were sent again.
    """
    lost_since = timezone.now() - HEARTBEAT_LOST
    lost = Job.objects.filter(state=JobState.WORKING, heartbeat_at__lt=lost_since)
    lost.filter(attempts__gte=MOST_ATTEMPTS).update(state=JobState.CRASHED, sentence=notice("given_up"))
    again = list(lost.filter(attempts__lt=MOST_ATTEMPTS).values_list("pk", "kind"))
    # One that waits long behind others was sent, and is sent again at most once in that time.
    sent_before = Q(heartbeat_at__lt=lost_since) | Q(heartbeat_at__isnull=True, created_at__lt=lost_since)
    again += list(Job.objects.filter(sent_before, state=JobState.WAITING).values_list("pk", "kind"))
    for job_id, kind in again:
        Job.objects.filter(pk=job_id).update(state=JobState.WAITING, heartbeat_at=timezone.now())
        _send(job_id, kind)
    return len(again)


def _send(job_id: int, kind: str) -> None:
    try:
        current_app.send_task(kind, kwargs={"job_id": job_id}, retry_policy={"max_retries": 1})
    except OperationalError:
        _log.warning("the queue does not answer; job %s waits to be picked up", job_id)


def _take(job_id: int) -> bool:
    lost_since = timezone.now() - HEARTBEAT_LOST
    now = timezone.now()
    taken = Job.objects.filter(pk=job_id, state=JobState.WAITING) | Job.objects.filter(
        pk=job_id, state=JobState.WORKING, heartbeat_at__lt=lost_since
    )
    return bool(taken.update(state=JobState.WORKING, heartbeat_at=now, started_at=now, attempts=F("attempts") + 1))


def _end(job: Job, state: JobState, words: str) -> Job:
    job.state, job.sentence = state, words
    ended = {"state": state, "sentence": words} | ({"share": 1.0} if state is JobState.DONE else {})
    try:
        if not _own(job).update(**ended):
            _log.warning("job %s ended %s here after it went into other hands; its row stays theirs", job.pk, state)
            return Job.objects.get(pk=job.pk)
    except DatabaseError:
        _log.exception("job %s ended %s but its row could not be written; it will be picked up", job.pk, state)
    return job
