"""The list of programmes, copies, the archive, deleting with thirty days' grace, and making room."""

import json
from datetime import timedelta
from pathlib import Path

import pytest
from django.utils import timezone

from recitant_text.steps import label_text
from recitant_web.desk.mapping.plans import plan_key, plan_of
from recitant_web.desk.models import Clip, Duck, Edit, Marker, Stem, Track
from recitant_web.programme.actions import create_programme
from recitant_web.programme.models import Programme, Source
from recitant_web.programme.queries import conformed_folder
from recitant_web.programmes.actions import bring_back, delete, duplicate, sweep
from recitant_web.programmes.queries import disk_use_of, rows

pytestmark = pytest.mark.django_db


@pytest.fixture
def keep(signed_in, after_commit):
    """Posts what is done with a programme as a whole."""

    def post(film, what, status=302, **more):
        with after_commit(), after_commit():
            answer = signed_in.post(f"/programmes/{film.pk}/keep", {"what": what, **more})
        assert answer.status_code == status, answer.content
        return answer

    return post


@pytest.fixture
def edit(signed_in, after_commit):
    """Posts an edit of a programme."""

    def post(film, kind, **more):
        film.refresh_from_db()
        body = json.dumps({"kind": kind, "revision": film.revision, **more})
        with after_commit(), after_commit():
            answer = signed_in.post(f"/programmes/{film.pk}/arrange/edits", body, "application/json")
        assert answer.status_code == 200, answer.content
        film.refresh_from_db()

    return post


def test_the_list_shows_a_working_week(signed_in, film, account):
    empty = create_programme(account[1], "Nothing yet", "25", "online-14")
    film.refresh_from_db()
    listed = {row.programme.title: row for row in rows(Programme.objects.all())}
    row = listed["Test film"]
    assert row.length_samples == 8 * 48_000 and row.spec_name == "EBU R 128" and row.still is None
    assert row.verdict["state"] in ("passes", "fails", "squashed") and row.verdict["words"] == "passes with +10.1 dB"
    assert (listed["Nothing yet"].verdict["words"], listed["Nothing yet"].step) == ("empty", "intake")
    page = signed_in.get("/").content.decode()
    assert "Test film" in page and "8" in page and f"/programmes/{empty.pk}/intake" in page
    # A verdict of another state or specification is not this one's.
    Programme.objects.filter(pk=film.pk).update(spec_id="online-14")
    assert rows(Programme.objects.filter(pk=film.pk))[0].verdict["state"] == "waits"


def test_it_is_found_and_sorted(signed_in, film, account):
    create_programme(account[1], "Äther", "25", "online-14")
    titles = lambda **how: [row.programme.title for row in rows(Programme.objects.all(), **how)]  # noqa: E731
    assert titles(words="äth") == ["Äther"] and titles(words="r 128") == ["Test film"] and titles(words="x") == []
    assert titles(sort="length") == ["Test film", "Äther"] == titles(sort="title", is_descending=False)
    assert titles(sort="nonsense", is_descending=False)[0] == "Test film"
    part = signed_in.get("/?find=test", headers={"hx-target": "table"}).content.decode()
    assert part.count("<tr>") == 2 and "<html" not in part


def test_the_list_takes_few_queries_however_long_it_is(film, account, django_assert_max_num_queries):
    for n in range(12):
        create_programme(account[1], f"n {n}", "25", "ebu-r128")
    with django_assert_max_num_queries(9):
        assert len(rows(Programme.objects.all())) == 13


def test_a_press_on_a_name_leads_to_where_work_stopped(signed_in, film):
    for page in ("arrange", "level", "balance", "hand-over", "intake"):
        signed_in.get(f"/programmes/{film.pk}/{page}")
        assert rows(Programme.objects.filter(pk=film.pk))[0].step == page


def test_renamed_archived_and_back(keep, film, signed_in):
    keep(film, "rename", title="  Tenor  ")
    film.refresh_from_db()
    assert film.title == "Tenor" and label_text(Edit.objects.order_by("-pk")[0].label) == "title: Tenor"
    keep(film, "rename", status=409, title=" ")
    keep(film, "archive")
    assert "Tenor" not in signed_in.get("/").content.decode()
    assert "Tenor" in signed_in.get("/?which=archived").content.decode()
    keep(film, "unarchive")
    assert "Tenor" in signed_in.get("/").content.decode()
    keep(film, "burn", status=404)


def test_a_copy_sounds_the_same_and_is_its_own(film, edit, keep):
    voice, score = (str(Track.objects.get(name=name).pk) for name in ("voice", "score"))
    edit(film, "duck-add", target="track", id=score)
    edit(film, "duck-rule", id=str(Duck.objects.get().pk), rule={"keys": [voice], "aim": "depth"})
    edit(film, "gain", target="stem", id="music", gain_db=-4)
    edit(film, "marker-add", marker="note", at_sample=9, text="here")
    keep(film, "duplicate")
    copy = Programme.objects.order_by("-pk")[0]
    assert copy.title == "Test film, copy" and plan_key(plan_of(copy)) == plan_key(plan_of(film))
    keys = plan_of(copy).ducks[0].rule.keys
    assert keys == (str(Track.objects.get(programme=copy, name="voice").pk),) != (voice,)
    assert Marker.objects.filter(programme=copy, text="here").exists()
    edit(copy, "delete", ids=[str(Clip.objects.get(track__programme=copy, name="voice").pk)])
    assert Clip.objects.filter(track__programme=film, name="voice").exists()


def test_a_copy_without_media_keeps_what_was_set(film, edit):
    edit(film, "gain", target="stem", id="music", gain_db=-4)
    copy = duplicate(film, "Series, template", with_media=False)
    assert not copy.sources.exists() and not Clip.objects.filter(track__programme=copy).exists()
    assert list(copy.tracks.values_list("name", flat=True)) == list(film.tracks.values_list("name", flat=True))
    assert Stem.objects.get(programme=copy, role="music").gain_db == -4.0


def test_deleted_comes_back_within_thirty_days_and_is_really_gone_after(film, keep, signed_in, account, media):
    twin = duplicate(film, "Twin", with_media=True)
    originals = [media / name for name in Source.objects.filter(programme=film).values_list("original_file", flat=True)]
    copies = [conformed_folder(key) for key in Source.objects.filter(programme=film).values_list("sha256", flat=True)]
    keep(film, "delete")
    assert signed_in.get(f"/programmes/{film.pk}/balance").status_code == 404
    assert "Bring back" in signed_in.get("/?which=deleted").content.decode()
    keep(film, "bring-back")
    assert signed_in.get(f"/programmes/{film.pk}/balance").status_code == 200
    delete(film)
    assert sweep() == 0 and Programme.objects.filter(pk=film.pk).exists()
    later = timezone.now() + timedelta(days=31)
    assert sweep(later) == 1 and not Programme.objects.filter(pk=film.pk).exists()
    # What another programme uses stays, and goes with the last that does.
    assert all(path.exists() for path in originals + copies)
    assert signed_in.get(f"/programmes/{twin.pk}/balance").status_code == 200
    delete(twin)
    sweep(later)
    assert not any(path.exists() for path in originals + copies) and not Source.objects.exists()


def test_a_varied_recording_does_not_keep_its_programme_from_going(film, media):
    source = Source.objects.first()
    Source.objects.create(programme=film, name="v", original_file=source.original_file, varied_from=source, sha256="v")
    delete(film)
    sweep(timezone.now() + timedelta(days=31))
    assert not Source.objects.exists()


def test_a_stranger_changes_nobody_elses_programmes(client, film, stranger):
    client.force_login(stranger)
    for path in ("keep", "remove"):
        assert client.post(f"/programmes/{film.pk}/{path}", {"what": "delete", "recording": "1"}).status_code == 404
    assert client.get(f"/programmes/{film.pk}/still").status_code == 404
    delete(film)
    assert client.post(f"/programmes/{film.pk}/keep", {"what": "bring-back"}).status_code == 404
    bring_back(film)


def test_what_nothing_needs_is_removed_and_undo_stops_there(film, edit, signed_in, media):
    bang = Source.objects.get(name="bang.wav")
    path = media / bang.original_file
    assert disk_use_of(film).unused == []
    refused = signed_in.post(f"/programmes/{film.pk}/remove", {"recording": bang.pk})
    assert refused.status_code == 409 and "used by a clip" in refused.content.decode()
    edit(film, "delete", ids=[str(Clip.objects.get(name="bang").pk)])
    edit(film, "marker-add", marker="note", at_sample=9, text="")
    edit(film, "version-save", name="First cut")
    ((source, size, version),) = disk_use_of(film).unused
    assert (source, version) == (bang, "") and size > path.stat().st_size
    page = signed_in.get("/room").content.decode()
    assert "bang.wav" in page and "First cut" in page
    assert signed_in.post(f"/programmes/{film.pk}/remove", {"recording": bang.pk}).status_code == 302
    assert not path.exists() and not conformed_folder(bang.sha256).exists()
    edit(film, "undo")  # the note: behind it lies the clip that had the recording
    film.refresh_from_db()
    body = json.dumps({"kind": "undo", "revision": film.revision})
    assert signed_in.post(f"/programmes/{film.pk}/arrange/edits", body, "application/json").status_code == 409


def test_a_version_keeps_its_recordings_until_it_is_removed(film, edit, signed_in):
    edit(film, "version-save", name="With the bang")
    bang = Source.objects.get(name="bang.wav")
    edit(film, "delete", ids=[str(Clip.objects.get(name="bang").pk)])
    assert disk_use_of(film).unused[0][2] == "With the bang"
    refused = signed_in.post(f"/programmes/{film.pk}/remove", {"recording": bang.pk})
    assert refused.status_code == 409 and "With the bang" in refused.content.decode()
    assert signed_in.post(f"/programmes/{film.pk}/remove", {"version": film.versions.get().pk}).status_code == 302
    assert signed_in.post(f"/programmes/{film.pk}/remove", {"recording": bang.pk}).status_code == 302
    for bad in ("", "x", "９", "1" * 30):
        assert signed_in.post(f"/programmes/{film.pk}/remove", {"recording": bad}).status_code == 404


def test_a_delivery_is_removed_with_its_files(film, signed_in, hand_over, media):
    hand_over(film)
    made = film.deliveries.get()
    folder = Path(media) / made.folder
    assert any(folder.iterdir()) and disk_use_of(film).deliveries[0][1] > 100_000
    assert signed_in.post(f"/programmes/{film.pk}/remove", {"delivery": made.pk}).status_code == 302
    assert not folder.exists() and not film.deliveries.exists()


def test_the_password_is_changed_with_the_old_one(signed_in, account):
    words = {"new_password1": "another-long-word", "new_password2": "another-long-word"}
    assert "incorrect" in signed_in.post("/password", words | {"old_password": "wrong"}).content.decode()
    assert signed_in.post("/password", words | {"old_password": "a-long-enough-word"}).status_code == 302
    account[0].refresh_from_db()
    assert account[0].check_password("another-long-word")


def test_a_new_programme_is_made_here(signed_in, db):
    answer = signed_in.post("/", {"title": "Spot", "spec_id": "online-14", "frame_rate": "25"})
    assert answer.status_code == 302 and answer.url.endswith("/intake")
    assert signed_in.post("/", {"title": " ", "spec_id": "online-14", "frame_rate": "25"}).status_code == 422
