"""A pile of files in order: laid together, tracks merged and sent to, gaps closed, and what is out of the mix."""

import json

import pytest

from conftest import wav_bytes
from recitant_text.steps import label_text
from recitant_web.desk.mapping.plans import key_of_programme, plan_of
from recitant_web.desk.models import Clip, Edit, Marker, Track
from recitant_web.programme.actions import (
    begin_pile,
    begin_upload,
    close_pile,
    drop_upload,
    receive_piece,
    refuse_source,
)
from recitant_web.programme.models import Picture, Source, SourceState
from signals import sine

pytestmark = pytest.mark.django_db
SECOND = 48_000


@pytest.fixture
def desk(signed_in, film, after_commit):
    """Sends edits; what came back, or the refusal."""

    class Desk:
        def edit(self, kind, status=200, **more):
            film.refresh_from_db()
            with after_commit(), after_commit():
                answer = signed_in.post(
                    f"/programmes/{film.pk}/arrange/edits",
                    json.dumps({"kind": kind, "revision": film.revision, **more}),
                    content_type="application/json",
                    headers={"accept": "application/json"},
                )
            assert answer.status_code == status, answer.content
            film.refresh_from_db()
            return answer.json()

        def places(self):
            clips = Clip.objects.filter(track__programme=film).order_by("start_sample", "pk")
            return [(clip.track.name, clip.name, clip.start_sample / SECOND) for clip in clips]

    found = Desk()
    found.film = film
    found.ids = {clip.name: str(clip.pk) for clip in Clip.objects.all()}
    found.tracks = {track.name: str(track.pk) for track in Track.objects.all()}
    return found


def brought_in(film, names, how, order="name", after_commit=None):
    """Files of half a second and more, announced as one pile; no two sound alike."""
    pile = begin_pile(film, how, order)
    for place, name in enumerate(names):
        data = wav_bytes(sine(-20, 0.5 + 0.01 * place, 300.0 + sum(name.encode()), n_channels=1))
        with after_commit(), after_commit():
            upload = begin_upload(film, "dialogue", name, len(data), f"f{place} {name}", pile, place)
            receive_piece(upload, 0, [data])
    return pile


def test_files_that_come_together_are_laid_together_as_one_step(desk, after_commit):
    names = ["interview 10.wav", "interview 2.wav", "wind.wav", "interview 1.wav"]
    pile = brought_in(desk.film, names, "names", after_commit=after_commit)
    assert len(desk.places()) == 3  # nothing yet: there may be more to come
    n_steps = Edit.objects.count()
    with after_commit(), after_commit():
        close_pile(pile)
    laid = [(track, clip) for track, clip, _ in desk.places() if track in ("interview", "wind")]
    assert laid == [
        ("interview", "interview 1"),
        ("wind", "wind"),
        ("interview", "interview 2"),
        ("interview", "interview 10"),
    ]
    assert Edit.objects.count() == n_steps + 1
    assert label_text(Edit.objects.order_by("-pk")[0].label) == "4 files brought in, one after another, a track a name"
    desk.edit("undo")
    assert len(desk.places()) == 3 and not Track.objects.filter(name="interview").exists()
    desk.edit("redo")
    # A later file of that name goes on behind the others.
    pile = brought_in(desk.film, ["interview 11.wav"], "names", after_commit=after_commit)
    with after_commit(), after_commit():
        close_pile(pile)
    ends = [at for track, _, at in desk.places() if track == "interview"]
    assert len(ends) == 4 and Track.objects.filter(name="interview").count() == 1


def test_a_pile_waits_for_nobody_who_will_not_come(desk, after_commit):
    pile = brought_in(desk.film, ["a 1.wav"], "row", "chosen", after_commit=after_commit)
    lost = begin_upload(desk.film, "", "a 2.wav", 1_000, "lost", pile, 1)
    stuck = Source.objects.create(programme=desk.film, name="a 3.wav", original_file="x", pile=pile, pile_place=2)
    with after_commit(), after_commit():
        close_pile(pile)
    assert len(desk.places()) == 3
    with after_commit(), after_commit():
        drop_upload(lost)
    assert len(desk.places()) == 3
    with after_commit(), after_commit():
        refuse_source(stuck.pk, "It cannot be read.")
    assert ("Dialogue", "a 1", 0.0) in desk.places() or ("a", "a 1", 0.0) in desk.places()
    stuck.refresh_from_db()
    assert stuck.state == SourceState.REFUSED and stuck.pile is None


def test_an_unknown_laying_is_refused(signed_in, desk):
    for body in ({}, {"how": "heap"}, {"how": "row", "order": "taste"}):
        assert signed_in.post(f"/programmes/{desk.film.pk}/piles", body).status_code == 400
    assert signed_in.post(f"/programmes/{desk.film.pk}/piles/99").status_code == 404


def test_clips_that_lie_over_one_another_are_laid_out_anew_and_empty_tracks_go(desk):
    ids = [desk.ids[name] for name in ("voice", "score", "bang")]
    said = desk.edit("lay", ids=ids, how="row", order="name")
    assert said["undo"] == "3 clips laid one after another on one track"
    assert [(name, at) for _, name, at in desk.places()] == [("bang", 0.0), ("score", 1.0), ("voice", 9.0)]
    assert len(said["tracks"]) == 1
    before = desk.places()
    desk.edit("undo")
    assert {track for track, _, _ in desk.places()} == {"voice", "score", "bang"}
    desk.edit("redo")
    assert desk.places() == before


def test_clips_are_sent_to_a_track_and_to_a_new_one(desk):
    said = desk.edit("to-track", ids=[desk.ids["bang"]], track_id=desk.tracks["voice"])
    assert said["undo"] == "bang to track voice" and said["changed"][0]["track"] == desk.tracks["voice"]
    said = desk.edit("to-track", ids=[desk.ids["bang"], desk.ids["voice"]], role="atmosphere", name="Air")
    made = next(track for track in said["tracks"] if track["name"] == "Air")
    assert made["role"] == "atmosphere" and {clip["track"] for clip in said["changed"]} == {made["id"]}
    assert desk.edit("tracks-remove-empty")["undo"] == "2 empty tracks removed"
    desk.edit("undo")
    desk.edit("undo")
    assert not Track.objects.filter(name="Air").exists()


def test_merged_tracks_go_and_come_back_with_undo(desk):
    desk.edit("track-set", id=desk.tracks["bang"], role="dialogue")
    desk.edit("gain", target="track", id=desk.tracks["bang"], gain_db=-4)
    desk.edit("duck-add", target="track", id=desk.tracks["score"])
    assert desk.edit("track-merge", ids=[desk.tracks["score"]], into_id=desk.tracks["voice"], status=409)["sentence"]
    said = desk.edit("track-merge", ids=[desk.tracks["bang"]], into_id=desk.tracks["voice"])
    assert said["undo"] == "1 track merged into voice" and [t["name"] for t in said["tracks"]] == ["voice", "score"]
    assert Clip.objects.get(name="bang").gain_db == -4.0
    desk.edit("undo")
    bang = Clip.objects.get(name="bang")
    assert (bang.track.name, bang.gain_db, bang.track.gain_db) == ("bang", 0.0, -4.0)


def test_a_removed_track_takes_its_ducks_along_once(desk):
    desk.edit("duck-add", target="track", id=desk.tracks["score"])
    desk.edit("to-track", ids=[desk.ids["score"]], role="music")
    desk.edit("tracks-remove-empty")
    desk.edit("undo")
    assert plan_of(desk.film).duck_of_track(desk.tracks["score"]) is not None
    desk.edit("redo")
    assert not plan_of(desk.film).ducks


def test_closing_a_gap_moves_markers_and_a_picture_behind_it(desk):
    for name in ("voice", "score", "bang"):
        desk.edit("place", ids=[desk.ids[name]], at_sample=3 * SECOND)
    Marker.objects.create(programme=desk.film, kind="note", at_sample=1 * SECOND)
    Marker.objects.create(programme=desk.film, kind="note", at_sample=5 * SECOND)
    Picture.objects.create(
        programme=desk.film,
        name="p",
        original_file="p",
        rate_hz=25,
        length_samples=9 * SECOND,
        width=1,
        height=1,
        coding="x",
    )
    # The picture runs through the gap: it says so, and does nothing.
    refused = desk.edit("close-gap", at_sample=SECOND, status=409)
    assert "3.00 s early" in refused["sentence"] and Clip.objects.get(name="voice").start_sample == 3 * SECOND
    desk.edit("programme-set", picture_offset_samples=3 * SECOND)
    said = desk.edit("close-gap", at_sample=SECOND)
    assert said["undo"] == "gap of 3.00 s closed on all tracks" and said["picture_offset_samples"] == 0
    assert [m["at_sample"] // SECOND for m in said["markers"]] == [0, 2]
    assert {at for _, _, at in desk.places()} == {0.0}
    said = desk.edit("undo")
    assert said["picture_offset_samples"] == 3 * SECOND and {at for _, _, at in desk.places()} == {3.0}
    # On one track nothing else moves, and the picture may stay on purpose.
    desk.edit("close-gap", at_sample=SECOND, track_ids=[desk.tracks["bang"]])
    assert [at for _, _, at in desk.places()] == [0.0, 3.0, 3.0]
    desk.edit("open-gap", at_sample=4 * SECOND, length_samples=SECOND, leaves_picture=True)
    assert desk.film.picture_offset_samples == 3 * SECOND
    # Locked, nothing may move in time.
    desk.edit("lock", is_locked=True)
    desk.edit("close-gap", at_sample=SECOND, track_ids=[desk.tracks["voice"]], status=409)
    desk.edit("programme-set", picture_offset_samples=0, status=409)


def test_a_stretch_taken_out_and_put_in_again(desk):
    said = desk.edit("take-out", from_sample=2 * SECOND, to_sample=3 * SECOND)
    assert said["undo"] == "1.00 s taken out on all tracks"
    assert sorted(c.length_samples // SECOND for c in Clip.objects.all()) == [1, 2, 2, 3, 5]
    desk.edit("undo")
    assert sorted(c.length_samples // SECOND for c in Clip.objects.all()) == [1, 6, 8]


def test_what_is_out_of_the_mix_stays_and_sounds_in_nothing(desk):
    key, length = key_of_programme(desk.film), plan_of(desk.film).span
    said = desk.edit("in-mix", ids=[desk.ids["voice"]], is_out=True)
    assert said["undo"] == "voice out of the mix" and said["changed"][0]["is_out"] is True
    plan = plan_of(desk.film)
    assert [role.value for role in plan.roles] == ["music", "effects"] and key_of_programme(desk.film) != key
    said = desk.edit("in-mix", track_ids=[desk.tracks["score"]], is_out=True)
    assert said["undo"] == "score out of the mix" and said["length_samples"] == SECOND < said["all_samples"]
    assert [track["is_out"] for track in said["tracks"]] == [False, True, False]
    desk.edit("undo")
    desk.edit("undo")
    assert key_of_programme(desk.film) == key and plan_of(desk.film).span == length
    desk.edit("in-mix", is_out=True, status=400)


def test_title_rate_and_the_fades_of_new_clips(desk, after_commit):
    said = desk.edit("programme-set", title="Tenor", frame_rate="23.976")
    assert said["undo"] == "title: Tenor, 23.976 frames a second"
    assert (said["title"], said["frame_rate"]) == ("Tenor", "23.976")
    assert "23.976" in desk.edit("programme-set", frame_rate="26", status=409)["sentence"]
    desk.edit("programme-set", new_fades={"in_samples": 2_400, "out_samples": 4_800, "shape": "late"})
    pile = brought_in(desk.film, ["new.wav"], "row", after_commit=after_commit)
    with after_commit(), after_commit():
        close_pile(pile)
    clip = Clip.objects.get(name="new")
    assert (clip.fade_in_samples, clip.fade_out_samples, clip.fade_in_shape) == (2_400, 4_800, "late")


def test_fades_of_many_clips_are_one_step(desk):
    ids = list(desk.ids.values())
    said = desk.edit("fades", ids=ids, in_samples=480, out_samples=SECOND, out_shape="early")
    assert said["undo"] == "fades of 3 clips"
    assert {c.fade_in_samples for c in Clip.objects.all()} == {480}
    # None is longer than what the other leaves of its clip.
    assert sorted(c.fade_out_samples for c in Clip.objects.all()) == [SECOND - 480, SECOND, SECOND]
    assert {(c.fade_in_shape, c.fade_out_shape) for c in Clip.objects.all()} == {("equal-power", "early")}


def test_a_group_has_a_name_and_tracks_have_shades_and_heights(desk):
    ids = [desk.ids["voice"], desk.ids["bang"]]
    said = desk.edit("group", ids=ids, is_grouped=True, name="Strike one")
    assert {clip["group"] for clip in said["changed"]} == {"Strike one"} and said["undo"].endswith("as Strike one")
    assert desk.edit("move", ids=ids[:1], by_samples=SECOND)["undo"] == "moved 2 clips"
    desk.edit("track-set", id=desk.tracks["voice"], shade=9)
    said = desk.edit("lane-heights", by_percent=200)
    assert [(track["shade"], track["height_px"]) for track in said["tracks"]] == [(3, 128), (0, 128), (0, 128)]
