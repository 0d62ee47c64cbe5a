"""Starting, running, stopping and picking up jobs. Delivery of a message is at least once: running twice is safe."""

import logging
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import datetime, timedelta
from functools import partial
from threading import Event, Thread
from typing import Final

from celery import current_app
from django.conf import settings
from django.db import DatabaseError, InterfaceError, OperationalError, connection, transaction
from django.db.models import F, Q, QuerySet
from django.utils import timezone
from kombu.exceptions import OperationalError as QueueAway
from redis.exceptions import RedisError

from recitant_core.errors import Cancelled, EditRefused, RecitantError, StoreAway
from recitant_core.ports import Progress
from recitant_text.messages import Message, notice_message, refusal_message
from recitant_web.accounts.models import Workspace
from recitant_web.jobs.line import MakingWay, first_in_line, kinds_beside
from recitant_web.jobs.models import Job, JobState
from recitant_web.jobs.signals import tried_again

DELIVER: Final = "delivery.deliver"
HEARTBEAT_LOST: Final = timedelta(seconds=30)
MOST_ATTEMPTS: Final = 5
ENDED_KEPT: Final = timedelta(days=7)
"""How long the row of a job that ended is kept."""
SUPERSEDED_KEPT: Final = timedelta(minutes=10)
"""How long the row of a job that ended well is kept where only the newest about its subject counts."""
_HEARTBEAT_S: Final = 5.0
_REPORTED_EVERY: Final = timedelta(seconds=0.4)
_MESSAGE_LASTS_S: Final = 180.0
"""A message that waited so long is dropped: its job was sent again meanwhile."""
_is_chosen: ContextVar[bool] = ContextVar("is_chosen", default=False)
"""Whether the job that is being run was chosen before others; it is not weighed again."""
_is_within: ContextVar[bool] = ContextVar("is_within", default=False)
"""Whether a job is being run here already, within which another one is sent and done."""
_log = logging.getLogger(__name__)


def start_job(
    workspace: Workspace,
    kind: str,
    payload: Mapping[str, object],
    *,
    about: str,
    programme_number: int | None,
    subject: str = "",
) -> Job:
    """A job, sent to the queue once the transaction around it is committed.

    Args:
        about: name of what it works on, for people.
        programme_number: of the programme that it belongs to; None for none.
        subject: what it is about, where only the newest counts: one of this kind that still waits takes the payload
            over, and comes back instead of a new one.
    """
    # Together: a row that took the payload over cannot be taken by a worker before it comes back.
    with transaction.atomic():
        waiting = Job.objects.filter(kind=kind, subject=subject, state=JobState.WAITING)
        if subject and waiting.update(payload=payload):
            return waiting.order_by("pk")[0]
        if subject:
            over = timezone.now() - SUPERSEDED_KEPT
            ended = (JobState.DONE, JobState.CANCELLED)
            Job.objects.filter(kind=kind, subject=subject, state__in=ended, created_at__lt=over).delete()
        named = {"about": about[:200], "programme_number": programme_number}
        job = Job.objects.create(workspace=workspace, kind=kind, payload=payload, subject=subject, **named)
        transaction.on_commit(partial(_send, job.pk, kind))
    return job


def require_turn(workspace: Workspace, kind: str = "", *, more: int = 1) -> None:
    """Refuse what a person asks for where a workspace has as much under way as it may.

    Args:
        kind: of the jobs that are meant where these have a limit of their own, as deliveries have.
        more: how many jobs are to be added.

    Raises:
        EditRefused: too many wait or work.
    """
    is_open = Job.objects.filter(workspace=workspace, state__in=(JobState.WAITING, JobState.WORKING))
    if 0 < settings.WORKSPACE_JOBS < is_open.count() + more:
        raise EditRefused("too_many_jobs", most=settings.WORKSPACE_JOBS)
    if kind == DELIVER and 0 < settings.WORKSPACE_DELIVERIES < is_open.filter(kind=kind).count() + more:
        raise EditRefused("too_many_deliveries", most=settings.WORKSPACE_DELIVERIES)


def ask_cancel(job: Job) -> None:
    """Ask a job to stop; it does at its next step. One that no worker has begun stops at once."""
    Job.objects.filter(pk=job.pk).update(is_cancel_asked=True)
    Job.objects.filter(pk=job.pk, state=JobState.WAITING).update(
        state=JobState.CANCELLED, message=notice_message("stopped")
    )


def put_first(job: Job) -> None:
    """Have a job done before the others that wait for the same worker."""
    with transaction.atomic():
        line = Job.objects.filter(state=JobState.WAITING, kind__in=kinds_beside(job.kind), is_next=True)
        line.update(is_next=False)
        Job.objects.filter(pk=job.pk, state=JobState.WAITING).update(is_next=True)


def try_again(job: Job) -> None:
    """Have a job done again that was stopped, refused or crashed.

    Raises:
        EditRefused: it waits or works, or was done.
    """
    ended = (JobState.CANCELLED, JobState.REFUSED, JobState.CRASHED)
    fresh = {"state": JobState.WAITING, "message": {}, "share": 0.0, "attempts": 0, "is_cancel_asked": False}
    with transaction.atomic():
        if not Job.objects.filter(pk=job.pk, state__in=ended).update(**fresh, heartbeat_at=None, started_at=None):
            raise EditRefused("job_not_ended")
        tried_again.send(sender=Job, job=job)
        transaction.on_commit(partial(_send, job.pk, job.kind))


def run_job(job_id: int, work: Callable[[Job, Progress], Message]) -> Job | None:
    """Do a job's work unless it is done, and keep its row true whatever happens.

    Args:
        job_id: a job; one that is gone, ended, or in other hands is left alone and None comes back.
        work: does it and returns the message to show; told where to report progress, which raises Cancelled when
            the user asked to stop.
    """
    first = first_in_line(job_id)
    if first is not None and not _is_chosen.get():
        # A message says that there is work; which job is done first is decided when a worker is free.
        token = _is_chosen.set(True)
        try:
            current_app.tasks[first.kind](job_id=first.pk)
        finally:
            _is_chosen.reset(token)
        return None
    if not _take(job_id):
        return None
    job = Job.objects.get(pk=job_id)
    last = timezone.now()
    is_within = _is_within.get()
    way = MakingWay(job)

    def progress(share: float) -> None:
        nonlocal last
        now = timezone.now()
        if now - last < _REPORTED_EVERY:
            return
        last = now
        if is_lost.is_set() or not _own(job).update(share=share, heartbeat_at=now):
            raise LeaseLost("cancelled")
        if Job.objects.filter(pk=job_id, is_cancel_asked=True).exists():
            raise Cancelled("cancelled")
        # One that is done within another does not make way: what it would wait for may come after the outer one.
        if not is_within:
            way.make(is_lost.is_set)

    begun = _is_within.set(True)
    try:
        with _heartbeat(job) as is_lost:
            message = work(job, progress)
    except Exception as error:  # the worker loop: whatever happens here must end in the row, not in silence
        return _end_with(job, error)
    finally:
        _is_within.reset(begun)
    return _end(job, JobState.DONE, message)


def _end_with(job: Job, error: Exception) -> Job | None:
    match error:
        case LeaseLost():
            _log.warning("job %s is in other hands; its work here stops", job.pk)
            return None
        case Cancelled():
            return _end(job, JobState.CANCELLED, refusal_message(error))
        case StoreAway():
            _log.error("job %s lost the store of media", job.pk, exc_info=error)
            return _leave(job)
        case RecitantError():
            _log.info("job %s refused: %s %s", job.pk, error.code, error.facts)
            return _end(job, JobState.REFUSED, refusal_message(error))
        case OperationalError() | InterfaceError():
            _log.error("job %s lost the database", job.pk, exc_info=error)
            return _leave(job)
    _log.error("job %s crashed", job.pk, exc_info=error)
    return _end(job, JobState.CRASHED, notice_message("crashed"))


class LeaseLost(Cancelled):
    """The heartbeat was thought lost, and somebody else has the job now."""


@contextmanager
def _heartbeat(job: Job) -> Iterator[Event]:
    """Says in the row that the job lives, whatever its work does; the event tells that somebody else has it."""
    is_lost, is_over = Event(), Event()

    def beat() -> None:
        while not is_over.wait(_HEARTBEAT_S):
            try:
                if not _own(job).update(heartbeat_at=timezone.now()):
                    is_lost.set()
            except DatabaseError:
                _log.warning("job %s could not say that it lives", job.pk)
            finally:
                connection.close()  # of this thread

    beating = Thread(target=beat, name=f"heartbeat of job {job.pk}", daemon=True)
    beating.start()
    try:
        yield is_lost
    finally:
        is_over.set()
        beating.join()


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
    lost.filter(attempts__gte=MOST_ATTEMPTS).update(state=JobState.CRASHED, message=notice_message("given_up"))
    again = list(lost.filter(attempts__lt=MOST_ATTEMPTS).values_list("pk", "kind"))
    # One that waits long behind others was sent, and is sent again at most once in that time.
    sent_before = Q(heartbeat_at__lt=lost_since) | Q(heartbeat_at__isnull=True, created_at__lt=lost_since)
    again += list(Job.objects.filter(sent_before, state=JobState.WAITING).values_list("pk", "kind"))
    for job_id, kind in again:
        Job.objects.filter(pk=job_id).update(state=JobState.WAITING, heartbeat_at=timezone.now())
        _send(job_id, kind)
    return len(again)


def drop_ended(now: datetime | None = None) -> int:
    """Remove the rows of jobs that ended long ago; how many there were."""
    over = (now or timezone.now()) - ENDED_KEPT
    ended = Job.objects.exclude(state__in=(JobState.WAITING, JobState.WORKING)).filter(created_at__lt=over)
    return ended.delete()[0]


def _send(job_id: int, kind: str) -> None:
    try:
        current_app.send_task(kind, kwargs={"job_id": job_id}, expires=_MESSAGE_LASTS_S, retry=False)
    except (QueueAway, RedisError, OSError):
        _log.warning("the queue does not answer; job %s waits to be picked up", job_id)


def _take(job_id: int) -> bool:
    lost_since = timezone.now() - HEARTBEAT_LOST
    now = timezone.now()
    taken = Job.objects.filter(pk=job_id, state=JobState.WAITING) | Job.objects.filter(
        pk=job_id, state=JobState.WORKING, heartbeat_at__lt=lost_since
    )
    taking = {"state": JobState.WORKING, "heartbeat_at": now, "started_at": now, "paused_for": None}
    return bool(taken.update(**taking, attempts=F("attempts") + 1))


def _leave(job: Job) -> Job | None:
    """Let go of a job that can be done later, so that it is picked up; it crashed if that happened too often."""
    if job.attempts >= MOST_ATTEMPTS:
        return _end(job, JobState.CRASHED, notice_message("given_up"))
    connection.close_if_unusable_or_obsolete()
    try:
        _own(job).update(state=JobState.WAITING, heartbeat_at=None)
    except DatabaseError:
        _log.warning("job %s could not be let go; it will be picked up", job.pk)
    return None


def _end(job: Job, state: JobState, message: Message) -> Job:
    job.state, job.message = state, message
    ended: dict[str, object] = {"state": state, "message": message, "paused_for": None} | (
        {"share": 1.0} if state is JobState.DONE else {}
    )
    try:
        if not _own(job).update(**ended):
            _log.warning("job %s ended %s here after it went into other hands; its row stays theirs", job.pk, state)
            return Job.objects.get(pk=job.pk)
    except DatabaseError:
        _log.exception("job %s ended %s but its row could not be written; it will be picked up", job.pk, state)
    return job
