"""Intake, hand over, jobs and who may see what."""

import json
import shutil
from datetime import timedelta

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from conftest import wav_bytes
from recitant_core.delivery.fitting import fit as fits
from recitant_web.desk.edits.programme import SetGain
from recitant_web.desk.models import FitResult, Verdict
from recitant_web.jobs import actions as jobs
from recitant_web.jobs.models import Job, JobState
from recitant_web.listening import examination
from recitant_web.listening.examination import examine
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme import actions as programmes
from recitant_web.programme.models import Programme, Source
from recitant_web.shared.names import safe_name
from signals import sine
from signals.films import film as film_file

pytestmark = pytest.mark.django_db


@pytest.fixture
def empty(account, media, jobs_run_at_once):
    return programmes.create_programme(account[1], "New", "25", "ebu-r128")


def _upload(client, film, after_commit, name, data, role="music", size=None):
    """A file as the page sends it: announced, then in one piece."""
    wish = {"name": name, "size_bytes": len(data) if size is None else size, "fingerprint": name, "role": role}
    accept = {"accept": "application/json"}
    base = f"/programmes/{film.pk}/uploads"
    begun = client.post(base, json.dumps(wish), content_type="application/json", headers=accept)
    if begun.status_code != 200:
        return begun
    with after_commit(), after_commit():
        return client.put(f"{base}/{begun.json()['token']}", data, headers=accept | {"upload-offset": "0"})


def test_a_file_comes_in_and_is_laid_on_a_track(signed_in, empty, after_commit):
    data = wav_bytes(sine(-20, 2.0, rate_hz=44_100), rate_hz=44_100)
    assert _upload(signed_in, empty, after_commit, "Brass theme.wav", data).status_code == 200
    source = Source.objects.get()
    assert (source.state, source.rate_hz, source.length_samples) == ("ready", 44_100, 96_000)
    assert source.readings["integrated_lufs"] == pytest.approx(-20.0, abs=0.1)
    assert empty.tracks.get().clips.get().name == "Brass theme"
    original = programmes.Path(programmes.settings.MEDIA_ROOT) / source.original_file
    assert original.read_bytes() == data  # the file is never changed


def test_an_upload_goes_on_where_it_stopped(signed_in, empty, after_commit, media):
    data = wav_bytes(sine(-20, 3.0))
    base, accept = f"/programmes/{empty.pk}/uploads", {"accept": "application/json"}
    wish = json.dumps({"name": "long.wav", "size_bytes": len(data), "fingerprint": "f1", "role": ""})

    def begin():
        return signed_in.post(base, wish, content_type="application/json", headers=accept).json()

    def put(token, piece, offset):
        with after_commit(), after_commit():
            return signed_in.put(f"{base}/{token}", piece, headers=accept | {"upload-offset": str(offset)})

    token = begin()["token"]
    assert put(token, data[:100_000], 0).json() == {"received": 100_000, "source_id": None}
    # The same piece again, and one too far on: refused, and what had arrived stays.
    for offset in (0, 200_000):
        answer = put(token, data[offset : offset + 1_000], offset)
        assert answer.status_code == 409 and answer.json()["error"] == "piece_out_of_place"
    again = begin()
    assert (again["token"], again["received"]) == (token, 100_000)
    assert put(token, data[100_000:] + b"more", 100_000).status_code == 422
    assert put(token, data[100_000:], 100_000).json()["source_id"]
    source = Source.objects.get()
    assert source.state == "ready"
    assert (media / source.original_file).read_bytes() == data
    assert not empty.uploads.exists()


def test_an_upload_can_be_dropped(signed_in, empty, media):
    base = f"/programmes/{empty.pk}/uploads"
    wish = json.dumps({"name": "a.wav", "size_bytes": 50, "fingerprint": "f", "role": ""})
    token = signed_in.post(base, wish, content_type="application/json").json()["token"]
    assert len(list((media / "originals").rglob("*"))) == 2
    assert signed_in.delete(f"{base}/{token}").status_code == 200
    assert not empty.uploads.exists() and len(list((media / "originals").rglob("*"))) == 1
    token = signed_in.post(base, wish, content_type="application/json").json()["token"]
    assert programmes.drop_old_uploads() == 0
    empty.uploads.filter(token=token).update(created_at=timezone.now() - timedelta(days=8))
    assert programmes.drop_old_uploads() == 1
    assert not empty.uploads.exists() and len(list((media / "originals").rglob("*"))) == 1
    for wrong in ("{}", "no json", '{"name": "a", "size_bytes": "x", "fingerprint": ""}'):
        assert signed_in.post(base, wrong, content_type="application/json").status_code == 400


@pytest.mark.parametrize(
    ("sent", "shown"),
    [
        ("../../etc/passwd.wav", "passwd.wav"),
        ("C:\\takes\\one.wav", "one.wav"),
        ("Größe 鐘\u202e.wav", "Größe 鐘.wav"),
        ("..wav", "..wav"),
        ("..", "unnamed"),
        (" . ", "unnamed"),
        ("x" * 300 + ".wav", "x" * 255),
    ],
)
def test_names_are_shown_and_never_used_as_paths(signed_in, empty, after_commit, media, sent, shown):
    _upload(signed_in, empty, after_commit, sent, wav_bytes(sine(-20, 0.5)))
    assert safe_name(sent) == shown
    source = Source.objects.get()
    assert source.state == "ready"
    assert (media / source.original_file).resolve().is_relative_to(media.resolve())


def test_half_a_letter_is_left_out_of_a_name():
    assert safe_name("a\udc80b.wav") == "ab.wav"


BAD = {
    "is no sound": (b"a text named .wav" * 100, "not a sound file"),
    "is cut short": (wav_bytes(sine(-20, 2.0))[:5_000], "cut short"),
    "has eight channels": (wav_bytes(np.zeros((100, 8), np.float32)), "8 channels"),
    "has NaN": (wav_bytes(np.full((9_000, 1), np.nan, np.float32), "FLOAT"), "no numbers"),
}


@pytest.mark.parametrize("fault", BAD)
def test_a_bad_file_is_refused_with_a_sentence_beside_it(signed_in, film, after_commit, fault):
    data, words = BAD[fault]
    revision = film.revision
    _upload(signed_in, film, after_commit, "take.wav", data)
    page = signed_in.get(f"/programmes/{film.pk}/sources").content.decode()
    assert words in page and "take.wav" in page
    film.refresh_from_db()
    assert film.revision == revision and film.tracks.count() == 3
    refused = film.sources.get(state="refused")
    ready = film.sources.filter(state="ready").first()
    answer = signed_in.post(f"/programmes/{film.pk}/sources/{ready.pk}/remove")
    assert answer.status_code == 409 and "no longer refused" in answer.content.decode()
    signed_in.post(f"/programmes/{film.pk}/sources/{refused.pk}/remove")
    assert film.sources.count() == 3


def test_an_empty_file_and_a_wrong_role_are_refused_at_the_door(signed_in, empty, after_commit):
    answer = _upload(signed_in, empty, after_commit, "a.wav", b"")
    assert answer.status_code == 422
    assert _upload(signed_in, empty, after_commit, "a.wav", b"x", role="noise").json()["sentence"].startswith("“noise”")
    assert not Source.objects.exists()


def test_a_full_disk_is_said_before_anything_is_written(signed_in, empty, after_commit, media, monkeypatch):
    monkeypatch.setattr(shutil, "disk_usage", lambda _: shutil._ntuple_diskusage(10**12, 10**12, 1_000))
    answer = _upload(signed_in, empty, after_commit, "a.wav", wav_bytes(sine(-20, 1.0)))
    assert answer.status_code == 507
    assert "only 0 MB is free" in answer.json()["sentence"]
    assert not Source.objects.exists()


def test_what_cannot_even_be_received_is_said(signed_in, empty, after_commit, monkeypatch):
    monkeypatch.setattr(shutil, "disk_usage", lambda _: shutil._ntuple_diskusage(10**12, 10**12, 1_000))
    take = SimpleUploadedFile("take.wav", wav_bytes(sine(-20, 6.0)))
    answer = signed_in.post(f"/programmes/{empty.pk}/takes", {"file": take}, headers={"accept": "application/json"})
    assert answer.status_code == 507
    assert answer.json()["sentence"].startswith("What you send needs")


def test_hand_over_writes_files_that_can_be_downloaded(signed_in, film, hand_over):
    hand_over(film, {"ebu-r128": "mix,stems", "online-14": "mix,stems"})
    delivery = film.deliveries.get()
    page = signed_in.get(f"/programmes/{film.pk}/hand-over").content.decode()
    for name in ("mix-ebu-r128.wav", "stem-music-online-14.wav", "report.html"):
        assert name in page
        answer = signed_in.get(f"/programmes/{film.pk}/deliveries/{delivery.pk}/{name}")
        assert answer.status_code == 200 and len(b"".join(answer.streaming_content)) > 1_000
    report = delivery.report["deliveries"]
    assert [one["passes"] for one in report] == [True, True]
    for name in ("secrets.json", "..%2f..%2fsecrets.json", "mix-op-59.wav"):
        assert signed_in.get(f"/programmes/{film.pk}/deliveries/{delivery.pk}/{name}").status_code == 404


def test_compressed_files_are_handed_over_with_what_they_play_back_as(signed_in, film, hand_over):
    hand_over(film, {"online-14": "m-and-e,mp3,m4a"})
    delivery = film.deliveries.get()
    files = {file["file"]: file for file in delivery.report["deliveries"][0]["files"]}
    assert sorted(files) == ["m-and-e-online-14.wav", "mix-online-14.m4a", "mix-online-14.mp3"]
    played = files["mix-online-14.mp3"]["decoded"]
    assert played["passes"] and played["shift_samples"] == 0 and len(files["mix-online-14.mp3"]["sha256"]) == 64
    page = signed_in.get(f"/programmes/{film.pk}/hand-over").content.decode()
    assert "mix-online-14.mp3 played back: " in page
    assert signed_in.get(f"/programmes/{film.pk}/deliveries/{delivery.pk}/mix-online-14.m4a").status_code == 200


def test_the_film_is_handed_over_with_its_new_sound(signed_in, empty, after_commit, tmp_path, hand_over):
    url = f"/programmes/{empty.pk}/hand-over"
    assert "the film with this mix" not in signed_in.get(url).content.decode()
    assert hand_over(empty, {"ebu-r128": "film"}).status_code == 422
    picture = film_file(tmp_path / "cut.mp4", n_frames=75).read_bytes()
    _upload(signed_in, empty, after_commit, "Cut 3.mp4", picture, role="dialogue")
    assert "the film with this mix" in signed_in.get(url).content.decode()
    empty.markers.create(kind="chapter", at_sample=0, text="Casting")
    empty.markers.create(kind="note", at_sample=4_800, text="Too loud?")
    hand_over(empty, {"ebu-r128": "film,film"})
    delivery = empty.deliveries.get()
    assert (delivery.orders[0]["files"], delivery.chapters) == ("film", [[0, "Casting"]])
    (made,) = delivery.report["deliveries"][0]["files"]
    assert (made["file"], made["codec"], made["decoded"]["shift_samples"]) == ("film-ebu-r128.mp4", "aac", 0)
    answer = signed_in.get(f"/programmes/{empty.pk}/deliveries/{delivery.pk}/film-ebu-r128.mp4")
    assert len(b"".join(answer.streaming_content)) == made["size_bytes"]


@pytest.mark.parametrize("files", ["wma", "mix,stems;", "x" * 500, "mp3:999", "mp3:" + "9" * 5_000])
def test_files_that_cannot_be_written_are_refused_and_the_sheet_stays(signed_in, film, files):
    url = f"/programmes/{film.pk}/sheet"
    answer = signed_in.post(url, {"spec": "ebu-r128", "files": files}, headers={"HX-Request": "true"})
    assert 'role="alert"' in answer.content.decode() and not film.sheet.exists()


def test_a_sheet_without_files_hands_nothing_over(film, hand_over):
    answer = hand_over(film, {film.spec_id: ""})
    assert answer.status_code == 422 and "Say which files" in answer.content.decode()
    assert not film.deliveries.exists()


def test_an_edit_after_the_hand_over_does_not_reach_it(film, hand_over, monkeypatch):
    sent = []
    monkeypatch.setattr(jobs, "_send", lambda job_id, _kind: sent.append(job_id))
    hand_over(film)
    delivery = film.deliveries.get()
    from recitant_web.delivery.tasks import deliver_programme

    SetGain(revision=film.revision, target="stem", id="music", gain_db=-40.0).carry_out(film, None)
    deliver_programme(job_id=sent[0])
    delivery.refresh_from_db()
    assert delivery.plan["stems"] == {} and delivery.report["deliveries"][0]["passes"]


def test_the_exact_fit_is_tried_first_when_it_is_handed_over(film, hand_over, monkeypatch):
    spec_id = film.spec_id
    examine(film.pk, film.revision, lambda _share: None)
    known = FitResult.objects.get(programme=film, spec_id=spec_id)
    tried = []
    plain = fits.tried
    monkeypatch.setattr(fits, "tried", lambda plan, *more: tried.append(plan.master) or plain(plan, *more))
    hand_over(film)
    assert [(master.gain_db, master.ceiling_dbtp) for master in tried] == [(known.gain_db, known.ceiling_dbtp)]
    assert film.deliveries.get().report["deliveries"][0]["passes"]


def _waiting(account, kind="delivery.deliver"):
    return Job.objects.create(workspace=account[1], kind=kind)


def test_a_job_can_be_stopped_before_and_while_it_runs(signed_in, account, monkeypatch):
    monkeypatch.setattr(jobs, "_REPORTED_EVERY", timedelta(0))
    before = _waiting(account)
    signed_in.post(f"/jobs/{before.pk}/cancel")
    before.refresh_from_db()
    assert before.state == JobState.CANCELLED
    running = _waiting(account)

    def work(job, progress):
        jobs.ask_cancel(job)
        progress(0.5)
        raise AssertionError("not reached")

    jobs.run_job(running.pk, work)
    running.refresh_from_db()
    assert (running.state, running.share) == (JobState.CANCELLED, 0.5)


def test_work_is_done_once_however_often_it_is_sent(account):
    job = _waiting(account)
    done = []
    for _ in range(3):
        jobs.run_job(job.pk, lambda *_: done.append(1) or {})
    assert done == [1]


def test_a_dead_workers_job_is_sent_again_and_given_up_after_five_tries(account, monkeypatch):
    sent = []
    monkeypatch.setattr(jobs, "_send", lambda job_id, _kind: sent.append(job_id))
    job = _waiting(account)
    for attempt in range(1, 6):
        Job.objects.filter(pk=job.pk).update(
            state=JobState.WORKING, attempts=attempt, heartbeat_at=timezone.now() - timedelta(minutes=2)
        )
        jobs.pick_up_lost_jobs()
    job.refresh_from_db()
    assert sent == [job.pk] * 4
    assert job.state == JobState.CRASHED and "Nothing is lost" in job.sentence


def test_a_fault_of_ours_ends_in_the_row(account, caplog):
    job = _waiting(account)

    def work(_job, _progress):
        raise ZeroDivisionError

    assert jobs.run_job(job.pk, work).state == JobState.CRASHED
    assert "fault of ours" in Job.objects.get(pk=job.pk).sentence


def test_nobody_sees_what_is_not_theirs(client, stranger, film, after_commit):
    client.force_login(stranger)
    job = Job.objects.first()
    source = film.sources.first()
    base = f"/programmes/{film.pk}"
    for path in (
        "intake",
        "sources",
        "balance",
        "state",
        "contours",
        "sound",
        "hand-over",
        "deliveries/1/report.html",
        "deliveries/1/everything.zip",
        "arrange",
        "arrange/state",
        "arrange/history",
        "picture",
        f"outline/{source.sha256}/256/0",
        f"sources/{source.pk}",
        f"sources/{source.pk}/sound",
    ):
        assert client.get(f"{base}/{path}").status_code == 404, path
    assert client.get(f"/jobs/{job.pk}").status_code == 404
    assert client.post(f"/jobs/{job.pk}/cancel").status_code == 404
    assert client.post(f"{base}/sources/{source.pk}/remove").status_code == 404
    for path in (
        "sheet",
        "hand-over",
        "deliveries/1",
        "uploads",
        "takes",
        "roles",
        "intake/step",
        "arrange/edits",
        f"sources/{source.pk}/mend",
    ):
        assert client.post(f"{base}/{path}", {"role": "music"}).status_code == 404
    body = json.dumps({"kind": "undo", "revision": film.revision})
    assert client.post(f"{base}/edits", body, "application/json").status_code == 404
    assert "Test film" not in client.get("/").content.decode()


def test_who_is_not_signed_in_is_sent_to_sign_in(client, film):
    for path in (
        "/",
        f"/programmes/{film.pk}/balance",
        f"/programmes/{film.pk}/sound",
        f"/programmes/{film.pk}/hand-over",
    ):
        answer = client.get(path)
        assert answer.status_code == 302 and answer["Location"].startswith("/sign-in")


def test_signing_in_and_making_a_programme(client, account):
    assert "do not go together" in client.post("/sign-in", {"username": "ines", "password": "no"}).content.decode()
    client.post("/sign-in", {"username": "ines", "password": "a-long-enough-word"})
    answer = client.post("/", {"title": "Nachtzug", "spec_id": "online-14", "frame_rate": "29.97df"})
    made = Programme.objects.get(title="Nachtzug")
    assert answer["Location"] == f"/programmes/{made.pk}/intake"
    assert client.post("/", {"title": "", "spec_id": "online-14", "frame_rate": "25"}).status_code == 422
    assert client.get(f"/programmes/{made.pk}/intake").status_code == 200


def test_only_the_newest_verdicts_and_fits_of_a_programme_are_kept(film, monkeypatch):
    monkeypatch.setattr(examination, "MOST_KEPT", 2)
    for gain_db in (-1.0, -2.0, -3.0):
        film.refresh_from_db()
        SetGain(revision=film.revision, target="stem", id="music", gain_db=gain_db).carry_out(film, None)
        film.refresh_from_db()
        examine(film.pk, film.revision, lambda _share: None)
    newest = Snapshot(film).key
    for table in (Verdict, FitResult):
        keys = list(table.objects.filter(programme=film).order_by("pk").values_list("plan_key", flat=True))
        assert len(keys) == 2 and keys[-1] == newest
