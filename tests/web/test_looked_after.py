"""Jobs look after themselves: nobody needs to open a page."""

import os
import time
from datetime import timedelta

import pytest
from django.conf import settings
from django.db import OperationalError
from django.utils import timezone
from kombu.exceptions import OperationalError as QueueAway

from recitant_web.config.celery import app
from recitant_web.jobs import actions as jobs
from recitant_web.jobs.models import Job, JobState
from recitant_web.jobs.tasks import look_after
from recitant_web.programmes.tasks import sweep_programmes


@pytest.fixture
def sent(monkeypatch):
    """Numbers of the jobs that were sent to the queue."""
    found = []
    monkeypatch.setattr(jobs, "_send", lambda job_id, _kind: found.append(job_id))
    return found


def test_every_kind_of_work_has_its_queue_and_no_queue_is_without_a_worker():
    app.loader.import_default_modules()
    ours = {name for name in app.tasks if not name.startswith("celery.")}
    assert ours == set(settings.CELERY_TASK_ROUTES)
    assert {route["queue"] for route in settings.CELERY_TASK_ROUTES.values()} == {
        "intake", "measuring", "delivering", "long"
    }  # fmt: skip
    waited_for = {name for name, route in settings.CELERY_TASK_ROUTES.items() if route["queue"] == "intake"}
    assert waited_for == {"programme.ingest", "jobs.look_after", "programmes.sweep"}  # nothing that takes long


def test_a_look_and_a_sweep_are_due_by_themselves_in_time():
    schedule = {entry["task"]: entry["schedule"] for entry in settings.CELERY_BEAT_SCHEDULE.values()}
    # A job whose worker died goes on within 60 s.
    assert jobs.HEARTBEAT_LOST.total_seconds() + schedule["jobs.look_after"] < 60
    assert schedule["programmes.sweep"] == 3600


def test_one_measurement_a_programme_waits_and_it_is_the_newest(account, sent, after_commit):
    with after_commit():
        first = jobs.start_job(
            account[1], "desk.examine", {"revision": 1}, subject="programme 1", about="", programme_number=None
        )
        again = jobs.start_job(
            account[1], "desk.examine", {"revision": 2}, subject="programme 1", about="", programme_number=None
        )
        other = jobs.start_job(
            account[1], "desk.examine", {"revision": 1}, subject="programme 2", about="", programme_number=None
        )
    assert again.pk == first.pk and Job.objects.get(pk=first.pk).payload == {"revision": 2}
    assert sent == [first.pk, other.pk]
    Job.objects.filter(pk=first.pk).update(state=JobState.WORKING)
    assert (
        jobs.start_job(
            account[1], "desk.examine", {"revision": 3}, subject="programme 1", about="", programme_number=None
        ).pk
        != first.pk
    )


def test_ended_measurements_of_a_programme_do_not_pile_up(account, sent, after_commit):
    def start(revision):
        with after_commit():
            job = jobs.start_job(
                account[1],
                "desk.examine",
                {"revision": revision},
                subject="programme 1",
                about="",
                programme_number=None,
            )
        Job.objects.filter(pk=job.pk).update(state=JobState.DONE)
        return job

    rows = [start(revision) for revision in range(5)]
    long_ago = timezone.now() - jobs.SUPERSEDED_KEPT - timedelta(seconds=1)
    Job.objects.filter(pk__in=[row.pk for row in rows[:3]]).update(created_at=long_ago)
    # What crashed is for us to see, for longer.
    Job.objects.filter(pk=rows[0].pk).update(state=JobState.CRASHED)
    other = Job.objects.create(workspace=account[1], kind="desk.examine", subject="programme 2", state=JobState.DONE)
    Job.objects.filter(pk=other.pk).update(created_at=long_ago)
    newest = start(6)
    left = set(Job.objects.values_list("pk", flat=True))
    assert left == {rows[0].pk, rows[3].pk, rows[4].pk, other.pk, newest.pk}


def test_a_job_lives_while_its_work_says_nothing(transactional_db, account, monkeypatch):
    monkeypatch.setattr(jobs, "_HEARTBEAT_S", 0.05)
    job = Job.objects.create(workspace=account[1], kind="test.work")

    def work(mine, _progress):
        Job.objects.filter(pk=mine.pk).update(heartbeat_at=timezone.now() - timedelta(hours=1))
        ends_at = time.monotonic() + 20
        while time.monotonic() < ends_at:
            if Job.objects.get(pk=mine.pk).heartbeat_at > timezone.now() - timedelta(minutes=1):
                return {"text": "alive"}
            time.sleep(0.02)
        return {"text": "thought dead"}

    assert jobs.run_job(job.pk, work).sentence == "alive"


def test_a_job_that_loses_the_database_waits_and_goes_on(transactional_db, account, sent):
    job = Job.objects.create(workspace=account[1], kind="test.work")

    def lose(_job, _progress):
        raise OperationalError(2006, "server has gone away")

    assert jobs.run_job(job.pk, lose) is None
    job.refresh_from_db()
    assert job.state == JobState.WAITING
    Job.objects.filter(pk=job.pk).update(created_at=timezone.now() - jobs.HEARTBEAT_LOST * 2)
    look_after()
    assert sent == [job.pk]
    assert jobs.run_job(job.pk, lambda *_: {}).state == JobState.DONE


def test_a_job_that_loses_the_database_every_time_ends(transactional_db, account):
    job = Job.objects.create(workspace=account[1], kind="test.work")

    def lose(_job, _progress):
        raise OperationalError(2006, "server has gone away")

    for _ in range(jobs.MOST_ATTEMPTS):
        jobs.run_job(job.pk, lose)
    job.refresh_from_db()
    assert job.state == JobState.CRASHED and "five times" in job.sentence


def test_without_the_queue_edits_go_on_and_jobs_wait(account, monkeypatch, after_commit):
    def away(*_args, **_more):
        raise QueueAway("connection refused")

    monkeypatch.setattr(jobs.current_app, "send_task", away)
    with after_commit():
        job = jobs.start_job(account[1], "desk.examine", {}, about="", programme_number=None)
    job.refresh_from_db()
    assert job.state == JobState.WAITING


def test_what_is_over_is_swept(account, media, settings):
    old, new, open_one = (Job.objects.create(workspace=account[1], kind="x", state=JobState.DONE) for _ in range(3))
    Job.objects.filter(pk__in=[old.pk, open_one.pk]).update(created_at=timezone.now() - jobs.ENDED_KEPT * 1.1)
    Job.objects.filter(pk=open_one.pk).update(state=JobState.WAITING)
    settings.FILE_UPLOAD_TEMP_DIR = media / "uploads"
    for relative in (
        "conformed/abc/audio.f32.1.part",
        "pictures/1.part.mp4",
        "uploads/half",
        "conformed/abc/audio.f32",
    ):
        (media / relative).parent.mkdir(parents=True, exist_ok=True)
        (media / relative).write_bytes(b"x")
        if "audio.f32.1" not in relative:
            os.utime(media / relative, (0, 0))
    sweep_programmes()
    assert set(Job.objects.values_list("pk", flat=True)) == {new.pk, open_one.pk}
    left = {str(path.relative_to(media)) for path in media.rglob("*") if path.is_file()}
    assert left == {"conformed/abc/audio.f32.1.part", "conformed/abc/audio.f32"}  # one begun today may be under way


def test_the_database_away_is_a_sentence_and_tells_when_to_come_back(signed_in, film, monkeypatch):
    from recitant_web.programme import access

    def away(*_args, **_more):
        raise OperationalError(2003, "can't connect")

    monkeypatch.setattr(access, "programmes_of", away)
    signed_in.raise_request_exception = False
    page = signed_in.get(f"/programmes/{film.pk}/balance")
    assert page.status_code == 503 and page["Retry-After"] and "Nothing was changed" in page.content.decode()
    data = signed_in.get(f"/programmes/{film.pk}/balance", headers={"accept": "application/json"})
    assert data.status_code == 503 and data.json()["error"] == "away"


def test_a_full_database_is_a_sentence_of_its_own(signed_in, film, monkeypatch):
    from recitant_web.programme import access

    def full(*_args, **_more):
        raise OperationalError(1114, "The table 'desk_edit' is full")

    monkeypatch.setattr(access, "programmes_of", full)
    signed_in.raise_request_exception = False
    answer = signed_in.get(f"/programmes/{film.pk}/balance", headers={"accept": "application/json"})
    assert answer.status_code == 507 and "disk is full" in answer.json()["sentence"]


def test_health_answers_without_signing_in_and_tells_what_is_away(client, db, settings):
    assert client.get("/health").content == b"ok\n" and client.head("/health").status_code == 200
    found = client.get("/ready")
    assert found.status_code == 200 and found.json() == {"database": True, "queue": True}
    settings.REDIS_URL = "redis://127.0.0.1:1/0"
    assert client.get("/ready").json() == {"database": True, "queue": False}
