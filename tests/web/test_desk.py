"""The desk: edits, undo, verdicts, and preview blocks that are the delivery."""

import io
import json
from itertools import pairwise

import numpy as np
import pytest
import soundfile

from recitant_web.desk.models import Clip, Edit, FitResult, Track, Verdict
from recitant_web.programme.models import Programme

pytestmark = pytest.mark.django_db


def _edit(client, film, after_commit, **edit):
    film.refresh_from_db()
    data = {"revision": film.revision, **edit}
    with after_commit():
        return client.post(
            f"/programmes/{film.pk}/edits", json.dumps(data), "application/json", headers={"accept": "application/json"}
        )


def _state(client, film):
    return client.get(f"/programmes/{film.pk}/state").json()


def _findings(state):
    return {finding["key"]: finding for finding in state["findings"]}


def test_every_recording_stands_on_a_stave(signed_in, film):
    state = _state(signed_in, film)
    assert [stave["letter"] for stave in state["staves"]] == ["D", "M", "E"]
    assert state["length_samples"] == 8 * 48_000
    assert state["is_exact"] and state["fit"]["is_exact"]
    clip = state["staves"][1]["clips"][0]
    assert clip["recorded_lufs"] == pytest.approx(clip["in_mix_lufs"])


def test_a_gain_moves_contour_estimate_and_verdict(signed_in, film, after_commit):
    before = _state(signed_in, film)
    contours = signed_in.get(f"/programmes/{film.pk}/contours?start=0&end=384000&points=100").json()
    answer = _edit(signed_in, film, after_commit, kind="gain", target="stem", id="music", gain_db=-10)
    estimated = answer.json()
    exact = _state(signed_in, film)
    assert not estimated["is_exact"] and exact["is_exact"]
    was, guess, now = (_findings(s)["integrated_lufs"]["measured"] for s in (before, estimated, exact))
    assert now < was - 3
    assert guess == pytest.approx(now, abs=0.15)
    music = exact["staves"][1]
    assert music["gain_db"] == -10 and music["clips"][0]["in_mix_lufs"] == pytest.approx(
        before["staves"][1]["clips"][0]["in_mix_lufs"] - 10, abs=0.05
    )
    after = signed_in.get(f"/programmes/{film.pk}/contours?start=0&end=384000&points=100").json()
    clip = music["clips"][0]["id"]
    drop = np.subtract(after["clips"][clip]["tenths"], contours["clips"][clip]["tenths"])
    assert np.median(drop) == -100


@pytest.mark.parametrize("typed", ["−6,5", "-6.5", -6.5])
def test_gains_can_be_typed_as_people_type(signed_in, film, after_commit, typed):
    track = Track.objects.get(role="dialogue")
    _edit(signed_in, film, after_commit, kind="gain", target="track", id=str(track.pk), gain_db=typed)
    track.refresh_from_db()
    assert track.gain_db == -6.5


def test_undo_and_redo_from_the_first_edit_on(signed_in, film, after_commit):
    clip = Clip.objects.get(source__name="voice.wav")
    _edit(signed_in, film, after_commit, kind="gain", target="clip", id=str(clip.pk), gain_db=3)
    _edit(signed_in, film, after_commit, kind="spec", spec_id="online-14")
    assert _state(signed_in, film)["undo"] == "deliver to Online video"
    labels = []
    while (state := _state(signed_in, film))["undo"]:
        labels.append(state["undo"])
        assert _edit(signed_in, film, after_commit, kind="undo").status_code == 200
    assert len(labels) == 5  # two edits and three recordings placed
    assert Clip.objects.count() == Track.objects.count() == 0
    assert _edit(signed_in, film, after_commit, kind="undo").status_code == 409
    while _state(signed_in, film)["redo"]:
        _edit(signed_in, film, after_commit, kind="redo")
    clip = Clip.objects.get(source__name="voice.wav")
    film.refresh_from_db()
    assert (clip.gain_db, film.spec_id) == (3, "online-14")


def test_a_new_edit_ends_what_could_be_redone(signed_in, film, after_commit):
    _edit(signed_in, film, after_commit, kind="gain", target="stem", id="music", gain_db=-3)
    _edit(signed_in, film, after_commit, kind="undo")
    _edit(signed_in, film, after_commit, kind="gain", target="stem", id="music", gain_db=-4)
    assert _state(signed_in, film)["redo"] is None
    assert Edit.objects.filter(state="dropped").count() == 1


def test_undone_is_measured_already(signed_in, film, after_commit):
    n_verdicts = Verdict.objects.count()
    _edit(signed_in, film, after_commit, kind="gain", target="stem", id="music", gain_db=-3)
    undone = _edit(signed_in, film, after_commit, kind="undo").json()
    assert undone["is_exact"]
    assert Verdict.objects.count() == n_verdicts + 1


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        ({"kind": "gain", "target": "stem", "id": "music", "gain_db": 99}, "between"),
        ({"kind": "gain", "target": "stem", "id": "music", "gain_db": "loud"}, "not a number"),
        ({"kind": "gain", "target": "stem", "id": "music", "gain_db": "nan"}, "not a number"),
        ({"kind": "gain", "target": "clip", "id": "999999", "gain_db": 1}, "no longer"),
        ({"kind": "explode"}, "at kind"),
    ],
)
def test_bad_edits_get_a_sentence_and_change_nothing(signed_in, film, after_commit, edit, words):
    answer = _edit(signed_in, film, after_commit, **edit)
    assert answer.status_code == {"explode": 400}.get(edit["kind"], 404 if words == "no longer" else 409)
    assert words in answer.json()["sentence"]
    before = film.revision
    film.refresh_from_db()
    assert film.revision == before


def test_who_saves_second_is_told(signed_in, film, after_commit):
    _edit(signed_in, film, after_commit, kind="gain", target="stem", id="music", gain_db=-3)
    answer = _edit(
        signed_in, film, after_commit, kind="gain", target="stem", id="music", gain_db=-9, revision=film.revision - 1
    )
    assert answer.status_code == 409
    assert "changed elsewhere" in answer.json()["sentence"]


def _block(client, film, start, length, hear, **more):
    query = {"start": start, "length": length, "hear": hear, **more}
    answer = client.get(f"/programmes/{film.pk}/sound", query)
    values, _ = soundfile.read(io.BytesIO(answer.content), dtype="int32" if hear == "handed-over" else "float32")
    return values, json.loads(answer["Recitant-Readings"])


@pytest.mark.parametrize("spec_id", ["ebu-r128", "online-14"])
def test_preview_blocks_are_the_delivered_file_bit_for_bit(signed_in, film, after_commit, media, spec_id, hand_over):
    """Promise 1."""
    _edit(signed_in, film, after_commit, kind="spec", spec_id=spec_id)
    hand_over(film, {spec_id: "mix,stems"})
    delivery = film.deliveries.get()
    delivered, _ = soundfile.read(media / delivery.folder / f"mix-{spec_id}.wav", dtype="int32")
    edges = [0, 17_000, 65_000, 65_001, 200_000, 384_000]
    blocks = [_block(signed_in, film, a, b - a, "handed-over") for a, b in pairwise(edges)]
    assert all(readings["is_exact"] for _, readings in blocks)
    assert np.array_equal(np.concatenate([values for values, _ in blocks]), delivered)
    if spec_id == "online-14":
        assert FitResult.objects.get(spec_id=spec_id, programme=film).ceiling_dbtp is not None


def test_only_and_mute_are_heard(signed_in, film):
    music = str(Track.objects.get(role="music").pk)
    whole, _ = _block(signed_in, film, 0, 48_000, "mix")
    only, readings = _block(signed_in, film, 0, 48_000, "mix", only=music)
    rest, _ = _block(signed_in, film, 0, 48_000, "mix", mute=music)
    assert np.allclose(only + rest, whole, atol=1e-6)
    assert len(readings["momentary"]) == 20 and readings["revision"] == film.revision


def test_blocks_at_the_end_and_beyond_are_silence(signed_in, film):
    values, _ = _block(signed_in, film, 384_000, 4_800, "mix")
    assert not values.any()


def test_the_page_and_its_queries(signed_in, film, django_assert_max_num_queries):
    with django_assert_max_num_queries(18):
        page = signed_in.get(f"/programmes/{film.pk}/balance")
    assert page.status_code == 200
    assert "Test film" in page.content.decode()


def test_an_empty_programme_has_a_page(signed_in, account, media):
    empty = Programme.objects.create(workspace=account[1], title="Empty")
    assert signed_in.get(f"/programmes/{empty.pk}/balance").status_code == 200
    assert signed_in.get(f"/programmes/{empty.pk}/hand-over").status_code == 200
    answer = signed_in.post(f"/programmes/{empty.pk}/hand-over")
    assert answer.status_code == 422
    assert "nothing to mix" in answer.content.decode()
