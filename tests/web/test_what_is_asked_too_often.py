"""Sign-ins that fail, orders that are pressed twice, requests that are too large or odd, and limits of a workspace."""

import logging
from collections import namedtuple

import pytest
from axes.models import AccessAttempt
from django.http import HttpResponse
from django.test import Client
from django.utils import timezone

from recitant_core.errors import EditRefused, StorageFull
from recitant_text.sentences import sentence
from recitant_web.accounts import throttle, views
from recitant_web.delivery.actions import hand_over_range, hand_over_sheet
from recitant_web.jobs import actions as jobs
from recitant_web.jobs.models import Job
from recitant_web.programme.actions import begin_upload
from recitant_web.shared.turns import Turns

pytestmark = pytest.mark.django_db
WORD = "a-long-enough-word"


@pytest.fixture(autouse=True)
def _counted(settings):
    """Failed sign-ins are counted, as outside of tests."""
    settings.AXES_ENABLED = True


def sign_in(client, name, word="wrong", address="10.1.1.1"):
    return client.post("/sign-in", {"username": name, "password": word}, REMOTE_ADDR=address)


def later(monkeypatch, seconds):
    at = timezone.now() + timezone.timedelta(seconds=seconds)
    monkeypatch.setattr(throttle.timezone, "now", lambda: at)


def test_an_address_that_tries_many_names_is_slowed(account, client, monkeypatch):
    for k in range(throttle.BY_ADDRESS):
        assert sign_in(client, f"name{k}").status_code == 200
    slowed = sign_in(client, "ines", WORD)
    assert slowed.status_code == 429 and int(slowed["Retry-After"]) <= 10
    assert "Too many failed sign-ins. Try again in" in slowed.content.decode()
    assert sign_in(Client(), "ines", WORD, "10.9.9.9").status_code == 302  # others are not
    later(monkeypatch, 11)
    assert sign_in(client, "ines", WORD).status_code == 302  # and it may try again


def test_a_name_that_is_tried_from_many_addresses_is_slowed_but_not_where_it_signed_in_before(account, client):
    own = Client()
    assert sign_in(own, "ines", WORD, "10.7.7.7").status_code == 302
    own.post("/sign-out")
    for k in range(throttle.BY_NAME):
        assert sign_in(Client(), "ines", address=f"10.2.0.{k}").status_code == 200
    assert sign_in(Client(), "ines", WORD, "10.2.1.1").status_code == 429
    assert sign_in(Client(), "otto", address="10.2.1.1").status_code == 200  # other names are not
    assert sign_in(own, "ines", WORD, "10.7.7.7").status_code == 302
    forged = Client()
    forged.cookies[throttle._COOKIE] = own.cookies[throttle._COOKIE].value[:-2] + "xx"
    assert sign_in(forged, "ines", WORD, "10.2.1.2").status_code == 429


def test_what_failed_long_ago_does_not_count(account, client):
    for k in range(throttle.BY_ADDRESS):
        sign_in(client, f"name{k}")
    AccessAttempt.objects.update(attempt_time=timezone.now() - throttle.WINDOW)
    assert sign_in(client, "ines", WORD).status_code == 302


def test_a_wrong_try_takes_no_turn_and_many_at_once_are_told_to_come_back(account, client, monkeypatch, rf):
    turns = Turns(lambda _request: HttpResponse())
    monkeypatch.setattr(turns, "_turns", None)  # taking one would break
    assert turns(rf.post("/sign-in")).status_code == 200
    with pytest.raises(AttributeError):
        turns(rf.get("/"))
    monkeypatch.setattr(views, "_PATIENCE_S", 0.05)
    with views._CHECKS:
        assert sign_in(client, "ines", WORD).status_code == 429
    assert sign_in(client, "ines", WORD).status_code == 302


# Requests that are too large, or none.


def test_a_body_over_the_limit_is_answered_with_413_and_a_sentence(signed_in, film, settings, caplog):
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = 1 << 20
    body = b'{"kind": "undo", "x": "' + b"x" * (1 << 20) + b'"}'
    with caplog.at_level(logging.WARNING):
        answer = signed_in.post(
            f"/programmes/{film.pk}/edits",
            body,
            content_type="application/json",
            headers={"accept": "application/json"},
        )
    assert answer.status_code == 413 and "1 MB" in answer.json()["sentence"]
    page = signed_in.post(f"/programmes/{film.pk}/chapters", {"text": "x" * (1 << 21)})
    assert page.status_code in (413, 200)
    page = signed_in.generic("POST", "/sign-in", b"a=" + b"x" * (1 << 21), "application/x-www-form-urlencoded")
    assert page.status_code == 413 and b"too large" in page.content


@pytest.mark.parametrize(
    ("body", "kind"),
    [
        (b"not a form at all", "multipart/form-data; boundary="),
        (b"--b\r\nbroken", "multipart/form-data; boundary=" + "b" * 300),
        (b"&".join(b"a%d=1" % k for k in range(1_200)), "application/x-www-form-urlencoded"),
    ],
)
def test_a_malformed_form_is_answered_with_400_and_no_traceback(signed_in, film, caplog, body, kind):
    import logging.config

    from django.conf import settings as all_settings

    from recitant_web.shared.watching import WithoutTraceback

    assert "without traceback" in all_settings.LOGGING["handlers"]["console"]["filters"]
    with caplog.at_level(logging.WARNING):
        answer = signed_in.generic("POST", f"/programmes/{film.pk}/chapters", body, kind)
    assert answer.status_code == 400
    for record in caplog.records:
        WithoutTraceback().filter(record)
        assert record.exc_info is None


def test_json_of_another_shape_names_the_place(signed_in, film):
    edits = f"/programmes/{film.pk}/edits"
    for body, place in (
        ('{"kind": "gain", "revision": 1, "id": {}, "gain_db": 0}', "id"),
        ('{"kind": "nothing"}', "kind"),
        ("[]", "its beginning"),
        ("{", "its beginning"),
    ):
        answer = signed_in.post(edits, body, content_type="application/json", headers={"accept": "application/json"})
        assert answer.status_code == 400 and answer.json()["error"] == "malformed", (body, answer.content)
        assert place in answer.json()["sentence"], answer.json()


# The same, twice.


@pytest.fixture
def waiting(monkeypatch):
    """Jobs wait."""
    monkeypatch.setattr(jobs, "_send", lambda *_: None)


def test_the_same_order_pressed_again_is_one_delivery(film, waiting):
    first = hand_over_sheet(film, "ines")
    assert hand_over_sheet(film, "otto", everything=True).pk == first.pk
    assert film.deliveries.count() == 1 and Job.objects.filter(kind=jobs.DELIVER).count() == 1
    part = hand_over_range(film, "ines", "0:00", "0:04")
    assert part.pk != first.pk and hand_over_range(film, "ines", "0:00", "0:04").pk == part.pk
    assert hand_over_range(film, "ines", "0:01", "0:04").pk not in (first.pk, part.pk)
    Job.objects.update(state="done")
    assert hand_over_sheet(film, "ines", everything=True).pk != first.pk


# Limits.


def test_a_workspace_has_as_many_deliveries_and_jobs_as_it_may(film, waiting, settings):
    settings.WORKSPACE_DELIVERIES = 1
    hand_over_sheet(film)
    with pytest.raises(EditRefused) as refused:
        hand_over_range(film, "", "0:00", "0:04")
    assert sentence(refused.value).startswith("1 deliveries of this workspace are waiting")
    settings.WORKSPACE_DELIVERIES, settings.WORKSPACE_JOBS = 0, 1
    with pytest.raises(EditRefused, match="too_many_jobs"):
        hand_over_range(film, "", "0:00", "0:04")
    settings.WORKSPACE_JOBS = 0
    assert hand_over_range(film, "", "0:00", "0:04").pk


def test_a_workspace_sends_as_many_files_at_a_time_as_it_may(film, settings):
    settings.WORKSPACE_UPLOADS = 2
    for k in range(2):
        begin_upload(film, "", f"{k}.wav", 10, f"f{k}")
    begin_upload(film, "", "1.wav", 10, "f1")  # going on with one is no further one
    with pytest.raises(EditRefused) as refused:
        begin_upload(film, "", "2.wav", 10, "f2")
    assert "2 files of this workspace are being sent" in sentence(refused.value)


def test_a_workspace_takes_as_much_of_the_disk_as_it_may(film, settings):
    used = sum(source.size_bytes for source in film.sources.all())
    settings.WORKSPACE_GB = (used + 1_000) / 1e9
    begin_upload(film, "", "a.wav", 600, "a")
    with pytest.raises(StorageFull) as refused:
        begin_upload(film, "", "b.wav", 600, "b")
    assert "b.wav needs" in sentence(refused.value)


def test_announced_uploads_keep_their_room(film, monkeypatch):
    from recitant_io.media import storage

    usage = namedtuple("usage", "total used free")
    monkeypatch.setattr(storage.shutil, "disk_usage", lambda _folder: usage(0, 0, 10_000_000))
    begin_upload(film, "", "a.wav", 2_000_000, "a")  # six million, with its working copy
    with pytest.raises(StorageFull):
        begin_upload(film, "", "b.wav", 2_000_000, "b")
    begin_upload(film, "", "c.wav", 1_000_000, "c")
