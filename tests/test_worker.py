"""A real worker on a real queue: a job is done once however often it is sent, and one whose worker is killed goes on.

Everywhere else jobs run where they are sent; here they go through Redis to a process of its own.
"""

import os
import signal
import subprocess
import sys
import time
from contextlib import contextmanager
from datetime import timedelta

import pytest
import redis
from celery import current_app
from django.conf import settings as django_settings
from django.db import connection
from django.utils import timezone

from recitant_web.jobs import actions as jobs
from recitant_web.jobs.models import Job, JobState

pytestmark = pytest.mark.django_db(transaction=True)
SETTINGS = """
from recitant_web.config.settings.test import *
DATABASES["default"]["NAME"] = {database!r}
CELERY_IMPORTS = ["steps_of_work"]
CELERY_TASK_ROUTES = {{"test.steps": {{"queue": {queue!r}}}}}
"""
WORK = """
import time
from pathlib import Path
from celery import shared_task
from recitant_web.jobs.actions import run_job

@shared_task(name="test.steps")
def steps(job_id):
    def work(job, progress):
        with Path({steps!r}).open("a") as file:
            for n in range(int(job.payload["steps"])):
                file.write(f"{{n}}\\n")
                file.flush()
                time.sleep(0.2)
        return {{"text": "all steps"}}
    run_job(job_id, work)
"""
SOON_S = 60.0


def wait_until(is_so, what):
    """Nothing, once it is so."""
    ends_at = time.monotonic() + SOON_S
    while not is_so():
        assert time.monotonic() < ends_at, what
        time.sleep(0.05)


class Queue:
    """The queue of the tests, its workers, and what their work wrote."""

    def __init__(self, folder):
        self.folder, self.steps = folder, folder / "steps"
        self.name = f"tried-{os.getpid()}"  # tests of another process have theirs in the same Redis
        self.steps.touch()
        self.redis = redis.Redis.from_url(django_settings.REDIS_URL)
        (folder / "settings_of_worker.py").write_text(
            SETTINGS.format(database=connection.settings_dict["NAME"], queue=self.name)
        )
        (folder / "steps_of_work.py").write_text(WORK.format(steps=str(self.steps)))

    @contextmanager
    def worker(self):
        """A worker as ./recitant start runs it."""
        environment = {
            **os.environ,
            "DJANGO_SETTINGS_MODULE": "settings_of_worker",
            "PYTHONPATH": f"{self.folder}{os.pathsep}{os.environ['PYTHONPATH']}",
        }
        command = [sys.executable, "-m", "celery", "-A", "recitant_web.config.celery:app", "worker", "--pool", "solo"]
        command += ["-Q", self.name, "--loglevel", "WARNING", "--without-gossip", "--without-mingle"]
        with (self.folder / "worker.log").open("ab") as log:
            process = subprocess.Popen(command, env=environment, stdout=log, stderr=log)
        try:
            yield process
        finally:
            process.kill()
            process.wait()

    def job(self, account, n_steps):
        """A job that is not sent yet."""
        return Job.objects.create(workspace=account[1], kind="test.steps", payload={"steps": n_steps})

    def send(self, job):
        """A message about a job, as jobs are sent."""
        jobs._send(job.pk, "test.steps")

    def written(self):
        """Steps of work so far, in order."""
        return [int(line) for line in self.steps.read_text().split()]

    def taken(self):
        """Numbers of messages that a worker took and has not acknowledged."""
        return [key for key, message in self.redis.hgetall("unacked").items() if self.name.encode() in message]

    def left(self):
        """How many messages wait, and how many were taken and are not acknowledged."""
        return self.redis.llen(self.name), len(self.taken())


@pytest.fixture
def queue(tmp_path, monkeypatch):
    """An empty queue of our own."""
    found = Queue(tmp_path)
    monkeypatch.setitem(django_settings.CELERY_TASK_ROUTES, "test.steps", {"queue": found.name})
    # Routes are read at the first message of a process.
    current_app.amqp.__dict__.pop("router", None)
    current_app.amqp.flush_routes()
    yield found
    found.redis.delete(found.name)
    for number in found.taken():
        found.redis.hdel("unacked", number)
        found.redis.zrem("unacked_index", number)


def state_of(job):
    job.refresh_from_db()
    return job.state


def test_a_job_that_is_sent_twice_is_done_once_and_both_messages_are_acknowledged(queue, account):
    job = queue.job(account, 3)
    queue.send(job)
    queue.send(job)
    with queue.worker():
        wait_until(lambda: state_of(job) == JobState.DONE, "the job did not end")
        wait_until(lambda: queue.left() == (0, 0), "a message was not acknowledged")
    assert (job.sentence, job.share, job.attempts) == ("all steps", 1.0, 1)
    assert queue.written() == [0, 1, 2]


def test_a_job_whose_worker_is_killed_is_done_by_the_next_one(queue, account):
    job = queue.job(account, 10)
    queue.send(job)
    with queue.worker() as worker:
        wait_until(lambda: len(queue.written()) > 2, "the work did not begin")
        assert state_of(job) == JobState.WORKING and queue.left() == (0, 1)
        worker.send_signal(signal.SIGKILL)
        worker.wait()
    cut_off = len(queue.written())
    assert cut_off < 10 and state_of(job) == JobState.WORKING and queue.left() == (0, 1)
    assert jobs.pick_up_lost_jobs() == 0  # it may be alive as yet
    lost_at = timezone.now() - jobs.HEARTBEAT_LOST - timedelta(seconds=1)
    Job.objects.filter(pk=job.pk).update(heartbeat_at=lost_at)
    assert jobs.pick_up_lost_jobs() == 1
    with queue.worker():
        wait_until(lambda: state_of(job) == JobState.DONE, "nobody took the job up")
    assert job.attempts == 2 and queue.written()[cut_off:] == list(range(10))


def test_a_worker_that_is_asked_to_stop_ends_its_job_first(queue, account):
    job = queue.job(account, 5)
    queue.send(job)
    with queue.worker() as worker:
        wait_until(queue.written, "the work did not begin")
        worker.send_signal(signal.SIGTERM)
        assert worker.wait(SOON_S) == 0
    assert state_of(job) == JobState.DONE and queue.written() == [0, 1, 2, 3, 4] and queue.left() == (0, 0)


def test_a_job_that_was_stopped_while_it_waited_is_not_begun(queue, account):
    stopped, after = queue.job(account, 1), queue.job(account, 2)
    jobs.ask_cancel(stopped)
    queue.send(stopped)
    queue.send(after)
    with queue.worker():
        wait_until(lambda: state_of(after) == JobState.DONE, "the next job did not end")
    assert state_of(stopped) == JobState.CANCELLED and queue.written() == [0, 1]
