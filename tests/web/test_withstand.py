"""What a machine does to a programme: media that vanish, a clock that jumps, a queue that is emptied or full, a disk
that is full or read-only, a database without a free connection."""

import errno
import io
import json
from datetime import timedelta
from pathlib import Path

import numpy as np
import pytest
import redis
import soundfile
from django.conf import settings as all_settings
from django.db import OperationalError
from django.utils import timezone

from recitant_web.jobs import actions
from recitant_web.jobs.models import Job, JobState
from recitant_web.programme.actions import begin_upload
from recitant_web.shared.caches import clear_caches

pytestmark = pytest.mark.django_db
PAGES = ("intake", "arrange", "words", "level", "balance", "hand-over")


def heard(signed_in, film):
    """The first second of the mix. Samples, as a float WAV file carries the time at which it was written."""
    wav = signed_in.get(f"/programmes/{film.pk}/sound?start=0&length=48000").content
    return soundfile.read(io.BytesIO(wav), dtype="float32")[0]


def remove_copies(media):
    import shutil

    shutil.rmtree(media / "conformed")
    clear_caches()


def test_copies_that_vanish_are_made_again_and_nobody_gets_an_error_of_ours(
    signed_in, film, media, monkeypatch, after_commit
):
    before = heard(signed_in, film)
    monkeypatch.setattr(actions, "_send", lambda *_: None)
    remove_copies(media)
    for page in PAGES:
        answer = signed_in.get(f"/programmes/{film.pk}/{page}")
        assert answer.status_code in (200, 422), page
        if answer.status_code == 422:
            assert b"is being made again" in answer.content
    waiting = Job.objects.filter(kind="programme.ingest", state=JobState.WAITING)
    assert waiting.count() >= 1
    monkeypatch.undo()
    for source in film.sources.all():
        from recitant_web.programme.ingesting import ingest

        ingest(source.pk, lambda _share: None)
    clear_caches()
    assert np.array_equal(heard(signed_in, film), before)


def test_files_that_vanish_with_their_copies_are_named(signed_in, film, media):
    import shutil

    remove_copies(media)
    shutil.rmtree(media / "originals")
    answer = signed_in.get(f"/programmes/{film.pk}/balance")
    assert answer.status_code == 422 and b"is missing on disk. Restore it from a backup" in answer.content
    assert signed_in.get("/").status_code == 200 and signed_in.get(f"/programmes/{film.pk}/intake").status_code == 200
    assert not Job.objects.filter(kind="programme.ingest", state=JobState.WAITING).exists()


@pytest.mark.parametrize("hours", [-3, 3])
def test_a_clock_that_jumps_loses_no_job_and_does_none_twice(account, monkeypatch, hours):
    monkeypatch.setattr(actions, "_send", lambda *_: None)
    done = []
    job = Job.objects.create(workspace=account[1], kind="test.work")

    def work(one, progress):
        jumped = timezone.now() + timedelta(hours=hours)
        monkeypatch.setattr(actions.timezone, "now", lambda: jumped)
        # Meanwhile somebody looks after jobs by the new clock.
        actions.pick_up_lost_jobs()
        progress(0.5)
        done.append(one.pk)
        return {}

    first = actions.run_job(job.pk, work)
    monkeypatch.undo()
    monkeypatch.setattr(actions, "_send", lambda *_: None)
    if first is None:  # by the new clock it had been silent for hours: it went into other hands, and is done there
        assert done == []
        actions.run_job(job.pk, lambda one, _progress: done.append(one.pk) or {})
    job.refresh_from_db()
    assert job.state == JobState.DONE and done == [job.pk]


def queue():
    return redis.Redis.from_url(all_settings.REDIS_URL)


def n_messages():
    """How many jobs for measuring stand in the queue."""
    return sum(queue().llen(name) for name in queue().keys("measuring*"))


def test_a_queue_that_is_emptied_gets_its_jobs_again(account, django_capture_on_commit_callbacks):
    with django_capture_on_commit_callbacks(execute=True):
        job = actions.start_job(account[1], "desk.examine", {}, about="Film", programme_number=None)
    queue().flushdb()
    Job.objects.filter(pk=job.pk).update(created_at=timezone.now() - timedelta(minutes=1))
    assert actions.pick_up_lost_jobs() == 1
    assert n_messages() == 1
    queue().flushdb()


def test_a_queue_that_is_full_keeps_nobody_from_asking(account, django_capture_on_commit_callbacks, monkeypatch):
    client = queue()
    before = client.config_get("maxmemory")["maxmemory"]
    client.config_set("maxmemory", 1)  # everything is over it; noeviction: nothing is pushed out
    try:
        with django_capture_on_commit_callbacks(execute=True):
            job = actions.start_job(account[1], "desk.examine", {}, about="Film", programme_number=None)
    finally:
        client.config_set("maxmemory", before)
    assert Job.objects.get(pk=job.pk).state == JobState.WAITING
    assert client.config_get("maxmemory-policy")["maxmemory-policy"] == "noeviction"
    Job.objects.filter(pk=job.pk).update(created_at=timezone.now() - timedelta(minutes=1))
    assert actions.pick_up_lost_jobs() == 1
    assert n_messages() == 1
    client.flushdb()


@pytest.mark.parametrize("code", [errno.ENOSPC, errno.EDQUOT, errno.EROFS])
def test_a_disk_that_is_full_or_read_only_is_said(signed_in, film, monkeypatch, code):
    def refuse(*_given, **_more):
        raise OSError(code, "no")

    monkeypatch.setattr(Path, "touch", refuse)
    body = json.dumps({"name": "a.wav", "size_bytes": 10, "fingerprint": "f"})
    answer = signed_in.post(f"/programmes/{film.pk}/uploads", body, content_type="application/json")
    assert answer.status_code == 507 and len(answer.content.decode()) > 20
    monkeypatch.undo()
    assert begin_upload(film, "", "a.wav", 10, "f").received_bytes == 0


def test_a_database_without_a_free_connection_is_a_moment(signed_in, film, monkeypatch):
    from recitant_web.programmes import views

    def refuse(*_given, **_more):
        raise OperationalError(1040, "Too many connections")

    monkeypatch.setattr(views, "rows", refuse)
    signed_in.raise_request_exception = False
    answer = signed_in.get("/")
    assert answer.status_code == 503 and answer["Retry-After"]
    monkeypatch.undo()
    assert signed_in.get("/").status_code == 200
