"""Many programmes handed over at once."""

from datetime import timedelta

import pytest
from django.utils import timezone

from conftest import make_programme
from recitant_web.delivery.models import Delivery
from recitant_web.jobs import actions as jobs
from recitant_web.jobs.models import Job, JobState
from recitant_web.programme.models import Programme
from recitant_web.programmes.actions import duplicate


@pytest.fixture
def second(account, media, jobs_run_at_once, after_commit):
    """Another programme of the workspace."""
    with after_commit(), after_commit():
        made = make_programme(account[1])
    made.title = "Second episode"
    made.save()
    return made


def hand_over_many(signed_in, after_commit, *programmes):
    with after_commit(), after_commit():
        return signed_in.post("/batch", {"programme": [one.pk for one in programmes]})


def test_chosen_programmes_go_to_their_sheets(signed_in, film, second, after_commit, account):
    signed_in.post(f"/programmes/{second.pk}/sheet", {"spec": "online-14", "files": "mix"})
    signed_in.post(f"/programmes/{second.pk}/sheet", {"remove": second.spec_id})
    assert f'value="{second.pk}" form="batch-form"' in signed_in.get("/").content.decode()
    assert hand_over_many(signed_in, after_commit, film, second).status_code == 302
    made = {one.programme_id: [order["spec"]["id"] for order in one.orders] for one in Delivery.objects.all()}
    assert made == {film.pk: [film.spec_id], second.pk: ["online-14"]}
    assert {one.made_by for one in Delivery.objects.all()} == {account[0].username}
    page = signed_in.get("/batch").content.decode()
    assert page.count("✓ 1 of 1 pass") == 2 and "Second episode" in page


def test_one_that_cannot_be_handed_over_stops_no_other(signed_in, film, account, after_commit):
    empty = Programme.objects.create(workspace=account[1], title="Nothing yet")
    answer = hand_over_many(signed_in, after_commit, empty, film)
    page = answer.content.decode()
    assert answer.status_code == 422 and "<b>Nothing yet</b> was not handed over. There is nothing to mix" in page
    assert film.deliveries.count() == 1 and not empty.deliveries.exists()
    # What is made already is not made again.
    assert "Everything on the sheet is made" in hand_over_many(signed_in, after_commit, film).content.decode()


def test_a_stopped_one_can_be_begun_again(signed_in, film, after_commit):
    hand_over_many(signed_in, after_commit, film)
    delivery = film.deliveries.get()
    delivery.report = None
    delivery.save()
    delivery.job.state = JobState.CANCELLED
    delivery.job.save()
    assert 'aria-label="Hand over Test film again"' in signed_in.get("/batch").content.decode()
    hand_over_many(signed_in, after_commit, film)
    assert film.deliveries.count() == 2 and film.deliveries.first().report is not None


def test_an_open_one_says_how_far_it_is(signed_in, film, after_commit):
    hand_over_many(signed_in, after_commit, film)
    delivery = film.deliveries.get()
    delivery.report = None
    delivery.save()
    delivery.job.state, delivery.job.share, delivery.job.heartbeat_at = JobState.WORKING, 0.5, timezone.now()
    delivery.job.started_at = timezone.now() - timedelta(minutes=4)
    delivery.job.save()
    page = signed_in.get("/batch").content.decode()
    assert "50 %" in page and " min left" in page and "Stop" in page and 'hx-trigger="every 2s"' in page


def test_nobody_hands_over_what_is_not_theirs(client, stranger, film, after_commit):
    client.force_login(stranger)
    for numbers in ([film.pk], ["x"], ["9" * 30], []):
        with after_commit():
            client.post("/batch", {"programme": numbers})
    assert not Delivery.objects.exists() and "Test film" not in client.get("/batch").content.decode()


def test_a_job_that_waits_long_behind_others_is_not_sent_with_every_look(account, monkeypatch):
    sent = []
    monkeypatch.setattr(jobs, "_send", lambda job_id, _kind: sent.append(job_id))
    job = Job.objects.create(workspace=account[1], kind="delivery.deliver")
    Job.objects.filter(pk=job.pk).update(created_at=timezone.now() - timedelta(minutes=5))
    for _ in range(5):
        jobs.pick_up_lost_jobs()
    assert sent == [job.pk]
    Job.objects.filter(pk=job.pk).update(heartbeat_at=timezone.now() - timedelta(minutes=1))
    jobs.pick_up_lost_jobs()
    assert sent == [job.pk] * 2


def test_a_copy_of_a_programme_goes_to_the_same_sheet(signed_in, film):
    signed_in.post(f"/programmes/{film.pk}/sheet", {"spec": "online-14", "files": "mix,mp3:128"})
    made = duplicate(film, "Third episode", with_media=False)
    assert list(made.sheet.values_list("spec_id", "files")) == list(film.sheet.values_list("spec_id", "files"))
    assert made.sheet.count() == 2
