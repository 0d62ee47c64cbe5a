"""Leases of jobs: a worker that was thought dead changes nothing once the job is in other hands."""

from datetime import timedelta

import pytest
from django.utils import timezone

from recitant_core.errors import EditRefused
from recitant_web.jobs import actions as jobs
from recitant_web.jobs.models import Job, JobState


@pytest.fixture
def job(account):
    """A job that waits."""
    return Job.objects.create(workspace=account[1], kind="test.work")


@pytest.fixture(autouse=True)
def every_report_is_written(monkeypatch):
    """Progress goes into the row each time."""
    monkeypatch.setattr(jobs, "_REPORTED_EVERY", timedelta(0))


def lose(job, work="second"):
    """Let the heartbeat stop, and another worker take the job and finish it."""
    Job.objects.filter(pk=job.pk).update(heartbeat_at=timezone.now() - 2 * jobs.HEARTBEAT_LOST)
    assert jobs.run_job(job.pk, lambda *_: {"text": work}).sentence == work


def refuse(_job, _progress):
    raise EditRefused("gone")


@pytest.mark.parametrize("is_refused", [False, True])
def test_the_end_of_a_lost_lease_is_not_written(job, is_refused):
    def work(mine, progress):
        lose(mine)
        return refuse(mine, progress) if is_refused else {"text": "first"}

    assert jobs.run_job(job.pk, work).sentence == "second"
    job.refresh_from_db()
    assert (job.state, job.sentence, job.attempts) == (JobState.DONE, "second", 2)


def test_work_stops_at_its_next_report_once_the_lease_is_lost(job):
    def work(mine, progress):
        lose(mine)
        progress(0.25)
        raise AssertionError("not reached")

    assert jobs.run_job(job.pk, work) is None
    job.refresh_from_db()
    assert (job.state, job.sentence, job.share) == (JobState.DONE, "second", 1.0)


def test_a_job_that_was_sent_again_is_left_to_whoever_takes_it(job, monkeypatch):
    monkeypatch.setattr(jobs, "_send", lambda *_: None)

    def work(mine, progress):
        Job.objects.filter(pk=mine.pk).update(heartbeat_at=timezone.now() - 2 * jobs.HEARTBEAT_LOST)
        assert jobs.pick_up_lost_jobs() == 1
        return {"text": "first"}

    jobs.run_job(job.pk, work)
    job.refresh_from_db()
    assert job.state == JobState.WAITING
    assert jobs.run_job(job.pk, lambda *_: {"text": "second"}).sentence == "second"
