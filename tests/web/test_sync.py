"""A film's own sound stays with its picture: laying out leaves it, moving it asks once, and there is a way back."""

import json

import pytest

from recitant_core.interchange.plan_json import plan_from_data, plan_to_data
from recitant_text.steps import label_text
from recitant_web.arrange.queries import arrange_state
from recitant_web.desk.mapping.plans import plan_of, sources_of_plan
from recitant_web.programme.actions import bring_in
from recitant_web.programme.models import Picture
from signals.films import film as make_film

pytestmark = pytest.mark.django_db
FRAME = 1_920


@pytest.fixture
def with_picture(film, tmp_path, after_commit):
    """A programme with a picture whose own sound is laid."""
    data = make_film(tmp_path / "cut.mov").read_bytes()
    with after_commit(), after_commit(), after_commit():
        bring_in(film, "dialogue", "cut.mov", len(data), [data])
    film.refresh_from_db()
    return film


def own(programme):
    """The clip of the film's own sound."""
    key = programme.sources.get(has_picture=True).sha256
    return next(clip for track in plan_of(programme).tracks for clip in track.clips if clip.source_key == key)


@pytest.fixture
def edit(signed_in, with_picture):
    def post(kind, **fields):
        with_picture.refresh_from_db()
        body = json.dumps({"kind": kind, "revision": with_picture.revision, **fields})
        answer = signed_in.post(
            f"/programmes/{with_picture.pk}/arrange/edits",
            body,
            content_type="application/json",
            headers={"accept": "application/json"},
        )
        with_picture.refresh_from_db()
        return answer.status_code, answer.json()

    return post


def test_the_sound_of_a_film_is_tied_when_it_is_laid(with_picture):
    assert own(with_picture).sync_sample == 0
    state = arrange_state(with_picture)
    assert [clip["sync"] for clip in state["clips"] if "sync" in clip] == [""]


@pytest.mark.parametrize("how", ["row", "names", "roles", "times", "apart"])
def test_laying_out_everything_leaves_it(with_picture, edit, how):
    before = own(with_picture).start_sample
    ids = [clip.clip_id for track in plan_of(with_picture).tracks for clip in track.clips]
    status, _ = edit("lay", ids=ids, how=how)
    assert status == 200 and own(with_picture).start_sample == before
    assert "1 clip stayed with the picture" in label_text(with_picture.edits.order_by("-pk").first().label)
    status, said = edit("lay", ids=[own(with_picture).clip_id], how=how)
    assert status == 409 and "tied to the picture" in said["sentence"]


def test_moving_it_asks_once_and_then_says_how_far_off_it_is(with_picture, edit, signed_in):
    clip = own(with_picture)
    status, said = edit("move", ids=[clip.clip_id], by_samples=264 * FRAME)
    assert status == 409 and said["error"] == "tied_to_picture" and clip.name in said["sentence"]
    assert own(with_picture) == clip
    status, state = edit("move", ids=[clip.clip_id], by_samples=264 * FRAME, breaks_sync=True)
    assert status == 200 and state["changed"][0]["sync"] == "264 frames late"
    assert edit("move", ids=[clip.clip_id], by_samples=-FRAME)[1]["changed"][0]["sync"] == "263 frames late"
    page = signed_in.get(f"/programmes/{with_picture.pk}/hand-over").content.decode()
    assert f"{clip.name} is 263 frames late against the picture." in page
    listed = signed_in.get(f"/programmes/{with_picture.pk}/intake").content.decode()
    assert "263 frames late" in listed
    source = with_picture.sources.get(has_picture=True)
    finding = signed_in.get(f"/programmes/{with_picture.pk}/sources/{source.pk}").content.decode()
    assert "Out of sync" in finding and "Back in sync" in finding


@pytest.mark.parametrize("press", ["arrange", "hand over", "intake", "undo"])
def test_one_press_puts_it_back(with_picture, edit, signed_in, press):
    clip = own(with_picture)
    edit("move", ids=[clip.clip_id], by_samples=5 * FRAME, breaks_sync=True)
    source = with_picture.sources.get(has_picture=True)
    base = f"/programmes/{with_picture.pk}"
    if press == "arrange":
        edit("back-in-sync", ids=[clip.clip_id])
    elif press == "hand over":
        assert signed_in.post(f"{base}/hand-over", {"back-in-sync": "1"}).status_code == 302
    elif press == "intake":
        assert b"Out of sync" not in signed_in.post(f"{base}/sources/{source.pk}/sync").content
    else:
        edit("undo")
    with_picture.refresh_from_db()
    assert own(with_picture) == clip
    assert with_picture.deliveries.count() == 0
    status, said = edit("back-in-sync")
    assert status == 409 and "in sync" in said["sentence"]


def test_ties_are_made_and_cut_by_hand_and_taken_back(with_picture, edit):
    clip = own(with_picture)
    edit("tie", ids=[clip.clip_id], is_tied=False)
    assert own(with_picture).sync_sample is None
    assert edit("move", ids=[clip.clip_id], by_samples=FRAME)[0] == 200
    edit("tie", ids=[clip.clip_id])
    assert own(with_picture).sync_sample == FRAME
    for _ in range(3):
        edit("undo")
    assert own(with_picture) == clip


def test_what_is_lined_up_with_it_is_tied_too(with_picture, edit):
    film_sound = own(with_picture)
    other = next(c for t in plan_of(with_picture).tracks for c in t.clips if c.sync_sample is None)
    edit("move", ids=[other.clip_id], by_samples=7, with_id=film_sound.clip_id)
    moved = next(c for t in plan_of(with_picture).tracks for c in t.clips if c.clip_id == other.clip_id)
    assert moved.sync_sample == other.start_sample + 7 - other.in_sample
    music = next(c for t in plan_of(with_picture).tracks for c in t.clips if c.sync_sample is None)
    edit("move", ids=[music.clip_id], by_samples=0, by_tracks=0, with_id=music.clip_id)
    assert next(c for t in plan_of(with_picture).tracks for c in t.clips if c.clip_id == music.clip_id) == music


def test_time_opened_everywhere_takes_the_picture_along_and_on_one_track_asks(with_picture, edit):
    clip = own(with_picture)
    track = next(t.track_id for t in plan_of(with_picture).tracks if clip in t.clips)
    assert edit("open-gap", at_sample=0, length_samples=2 * 48_000)[0] == 200
    assert with_picture.picture_offset_samples == 2 * 48_000 and own(with_picture).start_sample == 2 * 48_000
    assert own(with_picture).sync_sample == 0
    status, said = edit("open-gap", at_sample=0, length_samples=48_000, track_ids=[track])
    assert status == 409 and said["error"] == "tied_to_picture"


def test_a_recording_at_its_timecode_is_tied_where_the_picture_carries_one(with_picture, edit):
    Picture.objects.filter(programme=with_picture).update(reference_samples=3_600 * 48_000)
    sources = with_picture.sources.filter(has_picture=False)
    sources.filter(name="voice.wav").update(reference_samples=3_601 * 48_000)
    ids = [clip.clip_id for t in plan_of(with_picture).tracks for clip in t.clips if clip.sync_sample is None]
    assert edit("lay", ids=ids, how="times")[0] == 200
    plan = plan_of(with_picture)
    voice = next(clip for t in plan.tracks for clip in t.clips if clip.name == "voice")
    assert voice.start_sample == 48_000 and voice.sync_sample == 48_000


def test_plans_carry_ties(with_picture):
    plan = plan_of(with_picture)
    sources = sources_of_plan(with_picture)
    names = {key: key for track in plan.tracks for key in track.source_keys}
    data = plan_to_data(plan, names)
    back = plan_from_data(data, sources)
    assert [c.sync_sample for t in back.tracks for c in t.clips] == [
        c.sync_sample for t in plan.tracks for c in t.clips
    ]
    assert sum("sync_s" in clip for track in data["tracks"] for clip in track["clips"]) == 1
