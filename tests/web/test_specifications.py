"""Specifications of a workspace's own: copied, changed, read, left out; deliveries keep what they were made with."""

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from recitant_web.accounts.models import Workspace
from recitant_web.listening.examination import examine
from recitant_web.listening.figures import fit_view
from recitant_web.listening.snapshot import Snapshot
from recitant_web.specifications.models import OwnSpec

FIGURES = {
    "name": "Studio 4",
    "anchor": "programme",
    "target_lufs": "-20",
    "tolerance_lu": "0.5",
    "max_true_peak_dbtp": "-2",
    "bit_depth": "16",
    "container": "flac",
    "rate_hz": "48000",
    "channels": "as-mixed",
    "leader": "tone",
    "leader_s": "2",
    "tone_dbfs": "-18",
    "start_timecode": "10:00:00:00",
    "names": "{title}_{role}_{version}",
    "files": "mix,mp3:128",
}


@pytest.fixture
def studio(signed_in, account):
    """A copy of a specification that ships."""
    data = {"workspace": account[1].pk, "like": "ebu-r128", "name": "Studio 4"}
    answer = signed_in.post("/specifications", data)
    assert answer.status_code == 302
    assert answer["Location"] == f"/specifications/{account[1].pk}/studio-4"
    return answer["Location"]


def test_a_copy_has_the_figures_of_what_it_was_copied_from(signed_in, studio):
    data = OwnSpec.objects.get().data
    assert (data["id"], data["name"], data["target_lufs"]) == ("studio-4", "Studio 4", -23.0)
    assert data["source"] == "As EBU R 128, changed here"
    page = signed_in.get("/specifications").content.decode()
    assert "Studio 4" in page and "ATSC A/85" in page and "(figures from memory)" in page


def test_two_of_one_name_get_two_ids(signed_in, account, studio):
    for name in ("Studio 4", "studio 4!", "Ébu R128"):
        signed_in.post("/specifications", {"workspace": account[1].pk, "like": "ebu-r128", "name": name})
    ids = list(OwnSpec.objects.values_list("spec_id", flat=True))
    assert ids == ["studio-4", "studio-4-2", "studio-4-3", "ebu-r128-2"]


def test_every_figure_can_be_changed(signed_in, studio):
    assert signed_in.post(studio, FIGURES).status_code == 302
    data = OwnSpec.objects.get().data
    assert (data["target_lufs"], data["bit_depth"], data["max_range_lu"]) == (-20.0, 16, None)
    assert data["form"]["container"] == "flac" and data["form"]["leader_s"] == 2.0
    page = signed_in.get("/specifications").content.decode()
    assert "−20.0 ±0.5 LUFS" in page and "FLAC, 16 bit, 2 s of tone at −18 dBFS before, from 10:00:00:00" in page
    form = signed_in.get(studio).content.decode()
    assert 'value="10:00:00:00"' in form and 'value="-20.0"' in form


@pytest.mark.parametrize(
    ("field", "value", "words"),
    [
        ("target_lufs", "loud", "not a number"),
        ("target_lufs", "", "This is needed"),
        ("target_lufs", "3", "From −40 to −5."),
        ("max_range_lu", "900", "From 1 to 60."),
        ("leader_s", "-1", "From 0 to 600."),
        ("target_lufs", "nan", "not a number"),
        ("names", "{titel}", "cannot hold “titel”"),
        ("names", "../up", "cannot be a file name"),
        ("leader_s", "0.0001", "no whole number of hundredths"),
        ("start_timecode", "10:99:00:00", "is no timecode"),
        ("start_timecode", "ten", "not right at form.start_timecode"),
        ("files", "mix,wma", "no kind of file"),
        ("files", "mp3:999", "not written at 999"),
        ("language", "de", "not right at form.language"),
        ("name", "", "This is needed"),
    ],
)
def test_a_figure_that_cannot_be_is_said_beside_its_field(signed_in, studio, field, value, words):
    before = OwnSpec.objects.get().data
    answer = signed_in.post(studio, FIGURES | {field: value})
    page = answer.content.decode()
    assert answer.status_code == 422 and words in page
    # What was typed besides is still there, and nothing was kept.
    assert page.count("▲") == 1 and OwnSpec.objects.get().data == before
    assert 'value="-2"' in page


def test_a_file_is_read_written_and_read_again(signed_in, account, studio):
    signed_in.post(studio, FIGURES)
    text = signed_in.get(f"{studio}.json").content
    assert json.loads(text)["id"] == "studio-4"
    OwnSpec.objects.all().delete()
    url, workspace = "/specifications", account[1].pk
    for _ in range(2):
        file = SimpleUploadedFile("own.json", text)
        assert signed_in.post(url, {"workspace": workspace, "file": file})["Location"] == studio
    assert OwnSpec.objects.get().data == json.loads(text)
    for bad in (b"", b"\xff", b"[]", b"{}", text.replace(b"studio-4", b"ebu-r128"), text.replace(b"-20.0", b"NaN")):
        answer = signed_in.post(url, {"workspace": workspace, "file": SimpleUploadedFile("own.json", bad)})
        assert answer.status_code == 422 and 'role="alert"' in answer.content.decode()


def test_it_is_offered_everywhere_and_fits_are_kept_by_its_figures(signed_in, film, account, studio, edit):
    signed_in.post(studio, FIGURES)
    for page in ("level", "balance", "hand-over"):
        assert "Studio 4" in signed_in.get(f"/programmes/{film.pk}/{page}").content.decode(), page
    assert "Studio 4" in signed_in.get("/").content.decode()
    edit("spec", spec_id="studio-4")
    film.refresh_from_db()
    examine(film.pk, film.revision, lambda _share: None)
    snapshot = Snapshot(film)
    assert fit_view(snapshot, snapshot.spec).is_exact
    signed_in.post(studio, FIGURES | {"target_lufs": "-16"})
    moved = Snapshot(film)
    assert moved.spec.target_lufs == -16.0 and not fit_view(moved, moved.spec).is_exact
    keys = {found.fit_key(found.spec) for found in (moved, snapshot)}
    assert len(keys) == 2 and max(map(len, keys)) <= 40


def test_changing_one_never_changes_a_delivery_made(signed_in, film, studio, hand_over):
    signed_in.post(studio, FIGURES)
    hand_over(film, {"studio-4": "mix"})
    delivery = film.deliveries.get()
    (file,) = delivery.report["deliveries"][0]["files"]
    assert file["file"] == f"Test_film_mix_{film.revision}.flac"
    signed_in.post(studio, FIGURES | {"target_lufs": "-16", "name": "Studio 5"})
    delivery.refresh_from_db()
    assert delivery.orders[0]["spec"]["target_lufs"] == -20.0
    page = signed_in.get(f"/programmes/{film.pk}/hand-over").content.decode()
    assert "out of date" in page and "<b>Studio 4</b>" in page and "<b>Studio 5</b>" in page


def test_what_is_left_out_goes_on_being_used(signed_in, film, account, studio, edit):
    edit("spec", spec_id="studio-4")
    signed_in.post("/specifications", {"workspace": account[1].pk, "remove": "studio-4"})
    assert f"{studio}.json" not in signed_in.get("/specifications").content.decode()
    film.refresh_from_db()
    for page in ("level", "balance", "hand-over"):
        assert signed_in.get(f"/programmes/{film.pk}/{page}").status_code == 200
    assert signed_in.get("/").status_code == 200


def test_nobody_changes_what_is_not_theirs(client, stranger, account, studio):
    client.force_login(stranger)
    for url in (studio, f"{studio}.json"):
        assert client.get(url).status_code == 404
    assert client.post(studio, FIGURES).status_code == 404
    data = {"workspace": account[1].pk, "like": "ebu-r128", "name": "Mine"}
    assert client.post("/specifications", data).status_code == 404
    assert client.post("/specifications", data | {"workspace": "x" * 30}).status_code == 404
    assert "Studio 4" not in client.get("/specifications").content.decode()


def test_what_cannot_be_copied_is_said(signed_in, account):
    own = {"workspace": account[1].pk}
    for data in ({"like": "no-such", "name": "A"}, {"like": "ebu-r128", "name": " "}, {"like": "ebu-r128"}):
        answer = signed_in.post("/specifications", own | data)
        assert answer.status_code == 422 and 'role="alert"' in answer.content.decode()
    assert signed_in.post("/specifications", own | {"like": "ebu-r128", "name": "x" * 90}).status_code == 422
    assert not Workspace.objects.get(pk=account[1].pk).own_specs.exists()
    assert signed_in.get(f"/specifications/{account[1].pk}/ebu-r128").status_code == 404
