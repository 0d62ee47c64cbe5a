"""Media that several machines share: kept before a row names them, fetched where they are not, removed for all."""

import os
import time

import pytest
from django.core.files.storage import FileSystemStorage

from conftest import make_programme
from recitant_core.errors import StoreAway
from recitant_web.delivery import spreading
from recitant_web.delivery.tasks import finish_delivery
from recitant_web.jobs.models import Job
from recitant_web.programme.models import Source
from recitant_web.programme.queries import conformed_name, source_energy, stored_source
from recitant_web.shared import media
from recitant_web.shared.caches import clear_caches

pytestmark = pytest.mark.django_db


class Away(FileSystemStorage):
    """A store whose line is cut: errors of its own kind."""

    def exists(self, name):
        raise ConnectionResetByStore(name)


class ConnectionResetByStore(Exception):
    pass


@pytest.fixture
def store(settings, tmp_path):
    """A folder in place of a store on the net."""
    _use(settings, "django.core.files.storage.FileSystemStorage", tmp_path / "store")
    return tmp_path / "store"


def _use(settings, backend, folder):
    options = {"location": folder, "allow_overwrite": True}
    settings.STORAGES = settings.STORAGES | {"media": {"BACKEND": backend, "OPTIONS": options}}


@pytest.fixture
def machine(settings, tmp_path):
    """Changes to a machine of another name: folder and caches of its own."""

    def change(name):
        settings.MEDIA_ROOT = tmp_path / name
        settings.MEDIA_ROOT.mkdir(exist_ok=True)
        clear_caches()
        return settings.MEDIA_ROOT

    return change


def test_a_file_goes_where_it_is_asked_for(store, machine):
    one = machine("one")
    (one / "originals").mkdir()
    (one / "originals/a").write_bytes(b"take one")
    media.keep("originals/a")
    other = machine("other")
    assert media.is_there("originals/a") and not (other / "originals/a").exists()
    assert media.fetched("originals/a").read_bytes() == b"take one"
    assert media.fetched("originals/a") == other / "originals/a"
    media.drop("originals/a")
    assert not media.is_there("originals/a") and not (store / "originals/a").exists()
    # What this machine still has it may use; a third one finds nothing, and no empty file.
    third = machine("third")
    assert not media.fetched("originals/a").exists() and not list(third.rglob("*.part"))


def test_what_nobody_has_is_not_asked_for_at_every_look(store, machine, monkeypatch):
    machine("one")
    asked, now_s = [], [10.0]
    exists = FileSystemStorage.exists
    monkeypatch.setattr(FileSystemStorage, "exists", lambda self, name: asked.append(name) or exists(self, name))
    monkeypatch.setattr(media.time, "monotonic", lambda: now_s[0])
    for _ in range(5):
        assert not media.fetched("stem-levels/x.npz").exists()
    assert len(asked) == 1
    (store / "stem-levels").mkdir(parents=True)
    (store / "stem-levels/x.npz").write_bytes(b"1")
    # A page looks more often than that; it must not put off the next question each time.
    for _ in range(3):
        now_s[0] += 0.7
        found = media.fetched("stem-levels/x.npz")
    assert found.read_bytes() == b"1"


def test_a_recording_is_whole_or_not_there(store, machine):
    one = machine("one")
    folder = one / conformed_name("ab12")
    folder.mkdir(parents=True)
    for name in ("audio.f32", "energy.f64", "waves.i16"):
        (folder / name).write_bytes(name.encode())
    media.keep(conformed_name("ab12"))
    other = machine("other")
    assert (media.fetched_recording(conformed_name("ab12")) / "audio.f32").exists()
    assert len(list((other / conformed_name("ab12")).iterdir())) == 3
    # A machine that died while fetching has some of its files, and not the last of them.
    (other / conformed_name("ab12") / "audio.f32").unlink()
    (other / conformed_name("ab12") / "waves.i16").unlink()
    clear_caches()
    assert len(list(media.fetched_recording(conformed_name("ab12")).iterdir())) == 3


def test_copies_make_room_for_each_other_but_nothing_is_removed_that_is_nowhere_else(store, machine, settings):
    one = machine("one")
    (one / "originals").mkdir()
    for name in "abc":
        (one / "originals" / name).write_bytes(b"x" * 1_000)
        media.keep(f"originals/{name}")
    other = machine("other")
    settings.MEDIA_COPIES_BYTES = 2_500
    (other / "originals").mkdir()
    (other / "originals/upload").write_bytes(b"y" * 400)
    long_ago = time.time() - 3_600
    for name in ("upload", "a", "b"):
        media.fetched(f"originals/{name}")
        os.utime(other / "originals" / name, (long_ago, long_ago))
        long_ago += 60
    media.fetched("originals/c")
    assert sorted(path.name for path in (other / "originals").iterdir()) == ["b", "c", "upload"]
    # What was used a moment ago stays, whatever the limit says.
    media.fetched("originals/b")
    media.fetched("originals/a")
    assert sorted(path.name for path in (other / "originals").iterdir()) == ["a", "b", "c", "upload"]


@pytest.mark.django_db(transaction=True)
def test_a_store_that_does_not_answer_is_said_and_jobs_wait_for_it(store, machine, settings, account):
    machine("one")
    _use(settings, f"{__name__}.Away", store)
    with pytest.raises(StoreAway):
        media.fetched("originals/a")
    job = Job.objects.create(workspace=account[1], kind="x", payload={})
    from recitant_web.jobs.actions import run_job

    assert run_job(job.pk, lambda _job, _progress: {"text": str(media.fetched("originals/a"))}) is None
    job.refresh_from_db()
    assert job.state == "waiting"


def test_another_machine_measures_and_hands_over_what_this_one_took_in(
    store, machine, account, jobs_run_at_once, after_commit
):
    machine("pages")
    with after_commit(), after_commit():
        film = make_programme(account[1])
    source = Source.objects.filter(programme=film)[0]
    here = source_energy(source.sha256).copy(), stored_source(source.sha256, source.n_channels).read(0, 9_600).copy()
    worker = machine("worker")
    assert not list(worker.iterdir())
    there = source_energy(source.sha256), stored_source(source.sha256, source.n_channels).read(0, 9_600)
    assert (here[0] == there[0]).all() and (here[1] == there[1]).all()
    film.refresh_from_db()
    from recitant_web.delivery.actions import hand_over_sheet

    with after_commit(), after_commit():
        delivery = hand_over_sheet(film)
    delivery.refresh_from_db()
    assert delivery.report is not None
    pages = machine("pages")
    from recitant_web.delivery.queries import delivered_file, delivered_names

    names = delivered_names(delivery)
    assert "checksums.sha256" in names and not list((pages / delivery.folder).glob("*.wav"))
    mix = next(name for name in names if name.endswith(".wav"))
    assert delivered_file(delivery, mix).read_bytes() == (worker / delivery.folder / mix).read_bytes()


@pytest.fixture
def waiting(store, machine, account, jobs_run_at_once, after_commit, settings, monkeypatch):
    """A delivery of two parts whose job waits for them."""
    machine("pages")
    with after_commit(), after_commit():
        film = make_programme(account[1])
    settings.SPREAD_S = 4.0
    monkeypatch.setattr("recitant_io.delivery.spread.SEGMENT_SAMPLES", 4 * 48_000)
    monkeypatch.setattr("recitant_core.render.mix.SEGMENT_SAMPLES", 4 * 48_000)
    film.refresh_from_db()
    from recitant_web.delivery.actions import hand_over_sheet
    from recitant_web.jobs import actions

    monkeypatch.setattr(actions, "_send", lambda _job_id, _kind: None)
    with after_commit():
        return hand_over_sheet(film)


def test_parts_of_a_delivery_are_rendered_by_several_and_written_by_one(waiting, store, machine, monkeypatch):
    job = waiting.job
    assert spreading.missing_parts(job.pk) == [0, 1]
    for name, number in (("one", 0), ("other", 1)):
        folder = machine(name)
        spreading.render_part(job.pk, number)
        assert [path.name for path in folder.glob("spread/*/*")] == [f"{number}.f32"]
    assert spreading.missing_parts(job.pk) == []
    machine("third")
    monkeypatch.setattr("recitant_io.delivery.delivery.mixed_segments", None)  # it must not render itself
    finish_delivery(job.pk)
    waiting.refresh_from_db()
    assert waiting.report is not None and Job.objects.get(pk=job.pk).state == "done"
    assert not list((store / "spread").rglob("*.f32"))


def test_a_part_that_was_lost_is_rendered_by_whoever_writes(waiting, machine):
    spreading.render_part(waiting.job.pk, 0)
    finish_delivery(waiting.job.pk)
    waiting.refresh_from_db()
    assert waiting.report is not None


def test_a_part_that_is_not_whole_is_not_used(waiting, machine):
    for number in (0, 1):
        spreading.render_part(waiting.job.pk, number)
    part = next(path for path in media.media_path("spread").rglob("1.f32"))
    part.write_bytes(part.read_bytes()[:-8])
    finish_delivery(waiting.job.pk)
    waiting.refresh_from_db()
    assert waiting.report is not None


def test_nobody_renders_parts_of_what_was_stopped(waiting, machine):
    Job.objects.filter(pk=waiting.job.pk).update(state="cancelled")
    folder = machine("one")
    spreading.render_part(waiting.job.pk, 0)
    assert not list(folder.rglob("*.f32")) and spreading.missing_parts(waiting.job.pk) == []


def test_what_goes_wrong_in_a_part_is_told_by_whoever_writes(waiting, machine, monkeypatch):
    def refuse(*_more):
        raise StoreAway("store_away")

    monkeypatch.setattr(spreading, "write_part", refuse)
    spreading.render_part(waiting.job.pk, 0)
    assert spreading.missing_parts(waiting.job.pk) == [0, 1]
    assert Job.objects.get(pk=waiting.job.pk).state == "waiting"
