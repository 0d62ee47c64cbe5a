"""The line before a worker: what goes first, what lets others pass, what people are told, and the page of all work."""

import threading
from types import SimpleNamespace

import numpy as np
import pytest
from django.utils import timezone

from recitant_core.errors import EditRefused
from recitant_core.transcript.model import Word
from recitant_web.accounts.actions import create_account
from recitant_web.jobs import actions, line
from recitant_web.jobs.models import Job, JobState
from recitant_web.jobs.queries import note_of
from recitant_web.programme.ingesting import shown_as
from recitant_web.transcript.actions import _keeper_of_words_so_far
from recitant_web.transcript.models import Transcript

pytestmark = pytest.mark.django_db
HEAR, DELIVER, INGEST = "transcript.hear", "delivery.deliver", "programme.ingest"


@pytest.fixture
def workspace(account):
    return account[1]


@pytest.fixture
def other(db):
    return create_account("otto", "a-long-enough-word", "Elsewhere")[1]


def job(workspace, kind=HEAR, about="Interview", **more):
    return Job.objects.create(workspace=workspace, kind=kind, about=about, **more)


@pytest.fixture
def done(monkeypatch):
    """Names of the jobs that tasks of this kind did, in order."""
    found = []

    def work(one, _progress):
        found.append(one.about)
        return {}

    tasks = {kind: lambda job_id: actions.run_job(job_id, work) for kind in (HEAR, DELIVER, INGEST, "listening.words")}
    monkeypatch.setattr(actions, "current_app", SimpleNamespace(tasks=tasks, send_task=lambda *_, **__: None))
    return found


def run_all(kind):
    """What workers do with one message for each job that waits, in the order in which they were sent."""
    for number in list(Job.objects.filter(kind=kind).order_by("pk").values_list("pk", flat=True)):
        actions.current_app.tasks[kind](job_id=number)


def test_somebody_elses_two_hundred_deliveries_do_not_go_first(workspace, other, done):
    for k in range(200):
        job(workspace, DELIVER, f"order {k}")
    job(other, DELIVER, "the other’s")
    run_all(DELIVER)
    assert done.index("the other’s") <= 1 and len(done) == 201
    assert [name for name in done if name.startswith("order")] == [f"order {k}" for k in range(200)]


def test_who_got_much_lately_goes_after_who_got_nothing(workspace, other):
    for _ in range(3):
        job(workspace, DELIVER, "earlier", state=JobState.DONE, started_at=timezone.now())
    job(workspace, DELIVER, "mine")
    job(other, DELIVER, "theirs")
    assert [one.about for one in line.line_of(DELIVER)] == ["theirs", "mine"]


def test_one_that_is_asked_for_next_goes_first_and_only_one_is(workspace, done, signed_in):
    _, second, third = (job(workspace, HEAR, name) for name in "abc")
    for one in (second, third):
        assert signed_in.post(f"/work/{one.pk}", {"what": "next"}).status_code == 302
    assert list(Job.objects.filter(is_next=True)) == [third]
    run_all(HEAR)
    assert done == ["c", "a", "b"]


def test_a_message_for_one_job_is_spent_on_the_first_and_none_is_lost(workspace, done):
    late, first = job(workspace, "listening.words", "late"), job(workspace, HEAR, "urgent")
    Job.objects.filter(pk=first.pk).update(is_next=True)
    actions.current_app.tasks["listening.words"](job_id=late.pk)
    assert done == ["urgent"]
    actions.current_app.tasks[HEAR](job_id=first.pk)  # its own message comes later, and stands for the other one
    assert done == ["urgent", "late"]
    actions.current_app.tasks[HEAR](job_id=first.pk)
    assert done == ["urgent", "late"]


# Long work makes way.


def test_transcription_pauses_for_a_delivery_and_says_so(workspace):
    mine = job(workspace, HEAR, "Interview", state=JobState.WORKING, started_at=timezone.now())
    urgent = job(workspace, DELIVER, "Casting the Tenor")
    said = []

    def sleep(_seconds):
        mine.refresh_from_db()
        said.append(note_of(mine))
        if len(said) == 3:
            Job.objects.filter(pk=urgent.pk).update(state=JobState.DONE)

    line.MakingWay(mine, sleep).make()
    assert said == ["Paused for: delivery of Casting the Tenor"] * 3
    mine.refresh_from_db()
    assert mine.paused_for is None


def test_it_goes_on_after_a_minute_whatever_waits_and_at_once_where_it_is_stopped(workspace):
    mine = job(workspace, HEAR, state=JobState.WORKING)
    job(workspace, DELIVER)
    slept = []
    line.MakingWay(mine, slept.append).make()
    assert sum(slept) == line.LONGEST_PAUSE_S
    Job.objects.filter(pk=mine.pk).update(is_cancel_asked=True)
    line.MakingWay(mine, lambda _s: pytest.fail("it waited")).make()


def test_what_is_urgent_itself_does_not_wait_and_nothing_waits_for_nothing(workspace):
    urgent = job(workspace, DELIVER, state=JobState.WORKING)
    line.MakingWay(urgent, lambda _s: pytest.fail("it waited")).make()
    Job.objects.filter(pk=urgent.pk).update(state=JobState.DONE)
    line.MakingWay(job(workspace, HEAR, state=JobState.WORKING), lambda _s: pytest.fail("it waited")).make()


def test_nobody_makes_way_for_what_waits_for_the_same_worker(workspace):
    job(workspace, "desk.first_balance")
    mine = job(workspace, "desk.examine", state=JobState.WORKING)
    line.MakingWay(mine, lambda _s: pytest.fail("it waited")).make()


def test_deliveries_have_a_worker_of_their_own():
    assert line.queue_of(DELIVER) != line.queue_of(HEAR)
    assert DELIVER not in line.kinds_beside(HEAR) and "listening.words" in line.kinds_beside(HEAR)


def test_words_appear_while_the_rest_is_transcribed(film, monkeypatch):
    from recitant_web.transcript import actions as transcribing

    now = [100.0]
    monkeypatch.setattr(transcribing.time, "monotonic", lambda: now[0])
    source = film.sources.get(role="dialogue")
    keep = _keeper_of_words_so_far(source)
    words = [Word("You", 0, 100, 0.9), Word("do", 100, 200, 0.9)]
    keep(words[:1])
    assert not Transcript.objects.filter(source=source).exists()  # too soon
    now[0] += 10.0
    keep(words)
    found = Transcript.objects.get(source=source)
    assert [row[0] for row in found.words] == ["You", "do"] and found.model == ""
    found.model = "small"
    found.save()
    again = _keeper_of_words_so_far(source)
    now[0] += 10.0
    again(words[:1])  # what is there whole is not taken away piece by piece
    assert len(Transcript.objects.get(source=source).words) == 2


# What people are told.


def test_a_wait_says_what_it_is_behind_and_how_long(workspace, other):
    began = timezone.now() - timezone.timedelta(minutes=3)
    job(workspace, HEAR, "Interview", state=JobState.WORKING, share=0.65, started_at=began)
    first, second = job(workspace, HEAR, "Narration"), job(workspace, "listening.words", "Film")
    assert note_of(first) == "Waiting behind: transcription of Interview, about 2 min"
    assert note_of(second) == "Waiting behind: transcription of Interview, about 2 min; 2 jobs ahead"
    theirs = job(other, HEAR, "Secret")
    assert "Interview" not in note_of(theirs) and "transcription" in note_of(theirs)
    assert note_of(job(workspace, DELIVER, "Spot")) == "Starts in a moment"


def test_the_page_lists_what_runs_waits_failed_and_is_done(workspace, other, signed_in):
    job(workspace, HEAR, "Interview", state=JobState.WORKING, share=0.5, started_at=timezone.now())
    job(workspace, HEAR, "Narration")
    failed = job(workspace, DELIVER, "Spot", state=JobState.CRASHED, message={"text": "It broke."})
    job(workspace, INGEST, "voice.wav", state=JobState.DONE, message={"text": "voice.wav is ready."})
    job(other, HEAR, "Secret")
    page = signed_in.get("/work").content.decode()
    for words in (
        "Transcription of Interview",
        "Transcription of Narration",
        "Delivery of Spot",
        "It broke.",
        "Intake of voice.wav",
        "Do this next",
        "Try again",
    ):
        assert words in page, words
    assert "Secret" not in page
    part = signed_in.get("/work", headers={"HX-Request": "true"}).content.decode()
    assert "<html" not in part and "Transcription of Interview" in part
    assert signed_in.post(f"/work/{failed.pk}", {"what": "again"}).status_code == 302
    failed.refresh_from_db()
    assert failed.state == JobState.WAITING and failed.attempts == 0


def test_what_is_done_is_not_tried_again_and_a_refused_file_waits_again(film, signed_in, monkeypatch):
    monkeypatch.setattr(actions, "_send", lambda *_: None)
    source = film.sources.first()
    with pytest.raises(EditRefused, match="job_not_ended"):
        actions.try_again(source.job)
    source.state, source.message = "refused", {"text": "It is damaged."}
    source.save()
    Job.objects.filter(pk=source.job_id).update(state=JobState.REFUSED)
    signed_in.post(f"/work/{source.job_id}", {"what": "again"}, headers={"HX-Request": "true"})
    source.refresh_from_db()
    assert source.state == "waiting" and source.sentence == ""


def test_a_job_of_others_cannot_be_touched(other, signed_in):
    theirs = job(other, HEAR)
    for what in ("stop", "next", "again"):
        assert signed_in.post(f"/work/{theirs.pk}", {"what": what}).status_code == 404


# Two who read one file side by side.


def test_who_ends_first_takes_the_name_from_nobody(tmp_path):
    original = tmp_path / "a1b2"
    original.write_bytes(np.zeros(10).tobytes())
    missing, held = [], threading.Barrier(4)

    def read(k):
        for _ in range(50):
            with shown_as(original, f"channel {k}.wav") as path:
                if not path.exists():
                    missing.append(path)
                if k:
                    continue
                with shown_as(original, "channel 7.wav") as inner:
                    pass
                if not path.exists() or inner.exists():
                    missing.append(inner)

    def together(k):
        held.wait()
        read(k)

    threads = [threading.Thread(target=together, args=(k,)) for k in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert missing == [] and [path.name for path in tmp_path.iterdir()] == ["a1b2"]
