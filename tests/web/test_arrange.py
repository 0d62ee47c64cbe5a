"""The Arrange page: every edit through its door, its name in the log, undo, locks, versions, and what is refused."""

import json

import numpy as np
import pytest

from conftest import wav_bytes
from recitant_web.desk.mapping.plans import plan_of, sources_of_plan
from recitant_web.desk.models import Clip, Track
from recitant_web.programme.actions import bring_in
from recitant_web.programme.models import Source
from recitant_web.programme.queries import stored_source
from recitant_web.shared.caches import clear_caches
from signals import programme, sine

pytestmark = pytest.mark.django_db
SECOND = 48_000


@pytest.fixture
def desk(signed_in, film, after_commit):
    """Sends edits; what came back, or the refusal."""

    class Desk:
        def state(self):
            return signed_in.get(f"/programmes/{film.pk}/arrange/state").json()

        def edit(self, kind, status=200, **more):
            film.refresh_from_db()
            data = {"kind": kind, "revision": film.revision, **more}
            with after_commit(), after_commit():
                answer = signed_in.post(
                    f"/programmes/{film.pk}/arrange/edits",
                    json.dumps(data),
                    content_type="application/json",
                    headers={"accept": "application/json"},
                )
            assert answer.status_code == status, answer.content
            film.refresh_from_db()
            return answer.json()

        def post(self, path, data):
            answer = signed_in.post(f"/programmes/{film.pk}/{path}", json.dumps(data), "application/json")
            assert answer.status_code == 200, answer.content
            return answer.json()

        def get(self, path):
            return signed_in.get(f"/programmes/{film.pk}/{path}")

    desk = Desk()
    desk.film = film
    desk.voice = str(Clip.objects.get(name="voice").pk)
    desk.score = str(Clip.objects.get(name="score").pk)
    desk.bang = str(Clip.objects.get(name="bang").pk)
    return desk


def row(clip_id):
    return Clip.objects.get(pk=clip_id)


def test_the_page_opens_with_its_state(desk):
    page = desk.get("arrange").content.decode()
    assert 'id="timeline"' in page and '"voice"' in page
    state = desk.state()
    assert len(state["clips"]) == 3 and len(state["sources"]) == 3 and len(state["tracks"]) == 3


def test_the_state_takes_few_queries(desk, django_assert_max_num_queries):
    clear_caches()
    with django_assert_max_num_queries(18):
        desk.state()


def test_an_edit_brings_back_only_what_it_changed(desk):
    delta = desk.edit("move", ids=[desk.bang], by_samples=SECOND)
    assert [clip["id"] for clip in delta["changed"]] == [desk.bang] and delta["removed"] == []
    assert delta["undo"] == "moved 1 clip" and delta["revision"] == desk.film.revision
    assert desk.edit("undo")["changed"][0]["start"] == 0
    assert desk.edit("redo")["changed"][0]["start"] == SECOND


EDITS = [
    ("move", {"by_samples": SECOND}, "moved 1 clip"),
    ("place", {"at_sample": 2 * SECOND}, "moved 1 clip to 00:00:02:00"),
    ("fade", {"edge": "in", "length_samples": 4_800, "shape": "smooth"}, "fade in of voice"),
    ("level", {"by_db": "−3,5"}, "−3.5 dB on voice"),
    ("curve", {"points": [[0, 0], [SECOND, -6]]}, "gain curve of voice"),
    ("name", {"name": "The founder"}, "named The founder"),
    ("group", {"is_grouped": True}, "grouped 1 clip"),
    ("delete", {"close_gap": False}, "deleted 1 clip"),
]


@pytest.mark.parametrize(("kind", "data", "label"), EDITS)
def test_every_edit_has_a_name_and_a_way_back(desk, kind, data, label):
    before = plan_of(desk.film)
    assert desk.edit(kind, ids=[desk.voice], **data)["undo"] == label
    assert plan_of(desk.film) != before
    desk.edit("undo")
    assert plan_of(desk.film) == before


def test_trim_slip_split_and_paste(desk):
    assert desk.edit("trim", id=desk.voice, edge="start", by_samples=SECOND)["undo"] == "trimmed the start of voice"
    assert (row(desk.voice).start_sample, row(desk.voice).in_sample) == (SECOND, SECOND)
    desk.edit("slip", id=desk.voice, by_samples=SECOND // 2)
    assert row(desk.voice).in_sample == SECOND // 2
    delta = desk.edit("split", ids=[desk.voice], at_sample=3 * SECOND)
    assert len(delta["changed"]) == 2 and delta["undo"] == "split at 00:00:03:00"
    delta = desk.edit("paste", ids=[desk.bang, desk.score], at_sample=20 * SECOND)
    assert {clip["name"] for clip in delta["changed"]} == {"bang", "score"}
    for _ in range(4):
        desk.edit("undo")
    assert Clip.objects.count() == 3 and row(desk.voice).in_sample == 0


def test_what_was_cut_out_can_be_pasted(desk):
    desk.edit("delete", ids=[desk.bang], close_gap=False)
    delta = desk.edit("paste", ids=[desk.bang], at_sample=5 * SECOND)
    assert delta["changed"][0]["name"] == "bang" and delta["changed"][0]["start"] == 5 * SECOND
    desk.edit("paste", status=404, ids=["999999"], at_sample=0)


def test_an_overlap_cross_fades_by_how_related_both_sides_are(desk):
    delta = desk.edit("split", ids=[desk.score], at_sample=4 * SECOND)
    second = next(clip["id"] for clip in delta["changed"] if clip["id"] != desk.score)
    desk.edit("trim", id=second, edge="start", by_samples=-SECOND // 2)
    assert row(second).fade_in_samples == row(desk.score).fade_out_samples == SECOND // 2
    assert row(second).fade_in_shape == "equal-gain"  # the same sound on both sides
    desk.edit("move", ids=[desk.bang], by_samples=0, by_tracks=-1)
    assert row(desk.bang).fade_out_shape == "equal-power"  # unrelated
    desk.edit("crossfade", id=desk.score, to_id=second, shape="smooth")
    assert row(second).fade_in_shape == row(desk.score).fade_out_shape == "smooth"


def test_picture_lock_stops_sideways_moves_and_nothing_else(desk):
    desk.edit("lock", is_locked=True)
    for kind, data in [
        ("move", {"ids": [desk.voice], "by_samples": 10}),
        ("slip", {"id": desk.score, "by_samples": -10}),
        ("place", {"ids": [desk.voice], "at_sample": SECOND}),
    ]:
        if kind == "slip":
            desk.edit("trim", id=desk.score, edge="end", by_samples=-SECOND)
        answer = desk.edit(kind, status=409, **data)
        assert "Picture lock" in answer["sentence"]
    desk.edit("level", ids=[desk.voice], by_db=1)
    desk.edit("trim", id=desk.voice, edge="start", by_samples=100)
    desk.edit("split", ids=[desk.voice], at_sample=SECOND)
    desk.edit("lock", is_locked=False)
    desk.edit("move", ids=[desk.voice], by_samples=10)


def test_two_windows_at_once_overwrite_nothing(desk, signed_in):
    stale = desk.film.revision
    desk.edit("move", ids=[desk.voice], by_samples=SECOND)
    answer = signed_in.post(
        f"/programmes/{desk.film.pk}/arrange/edits",
        json.dumps({"kind": "move", "revision": stale, "ids": [desk.voice], "by_samples": 5 * SECOND}),
        content_type="application/json",
        headers={"accept": "application/json"},
    )
    assert answer.status_code == 409 and "changed elsewhere" in answer.json()["sentence"]
    assert row(desk.voice).start_sample == SECOND


def test_tracks(desk):
    delta = desk.edit("track-add", role="effects", name="")
    made = delta["tracks"][-1]
    assert made["name"] == "Effects"
    desk.edit("track-set", id=made["id"], name="Doors", height_px=999, role="atmosphere")
    assert Track.objects.get(pk=made["id"]).height_px == 240
    desk.edit("track-set", id=made["id"], is_mono=True)
    assert plan_of(desk.film).tracks[-1].is_mono
    desk.edit("track-order", id=made["id"], to=0)
    assert desk.state()["tracks"][0]["name"] == "Doors"
    desk.edit("move", ids=[desk.voice], by_samples=0, by_tracks=-1)
    assert row(desk.voice).track_id == int(made["id"])
    delta = desk.edit("track-remove", id=made["id"])
    assert delta["removed"] == [desk.voice]
    desk.edit("undo")
    assert row(desk.voice).track_id == int(made["id"])  # the same clip, on the same track
    desk.edit("track-remove", status=404, id=999_999)


def test_markers(desk):
    delta = desk.edit("marker-add", marker="chapter", at_sample=SECOND, text="The pour")
    marker = delta["markers"][0]
    desk.edit("marker-set", id=marker["id"], at_sample=2 * SECOND)
    assert desk.state()["markers"][0] == {**marker, "at_sample": 2 * SECOND}
    desk.edit("marker-remove", id=marker["id"])
    assert desk.state()["markers"] == []
    desk.edit("undo")
    assert desk.state()["markers"][0]["text"] == "The pour"
    desk.edit("marker-add", status=400, marker="nonsense", at_sample=0, text="")


def test_history_is_stepped_through_and_versions_come_back(desk):
    begin = plan_of(desk.film)
    desk.edit("version-save", name="Before the cut")
    desk.edit("move", ids=[desk.voice], by_samples=SECOND)
    desk.edit("level", ids=[desk.score], by_db=-4)
    desk.edit("delete", ids=[desk.bang], close_gap=False)
    late = plan_of(desk.film)
    steps = desk.get("arrange/history").json()["steps"]
    assert [step["label"] for step in steps[:3]] == ["deleted 1 clip", "−4.0 dB on score", "moved 1 clip"]
    desk.edit("go-to", edit_id=steps[2]["id"])
    assert row(desk.score).gain_db == 0.0 and row(desk.voice).start_sample == SECOND
    desk.edit("go-to", edit_id=steps[0]["id"])
    assert plan_of(desk.film) == late
    version = desk.state()["versions"][0]
    assert version["name"] == "Before the cut"
    assert desk.edit("version-return", id=version["id"])["undo"] == "returned to “Before the cut”"
    assert plan_of(desk.film) == begin
    desk.edit("undo")
    assert plan_of(desk.film) == late
    desk.edit("version-save", status=409, name="   ")
    desk.edit("go-to", status=404, edit_id=999_999)


def test_a_new_edit_ends_what_was_undone(desk):
    desk.edit("level", ids=[desk.voice], by_db=1)
    desk.edit("undo")
    desk.edit("level", ids=[desk.voice], by_db=2)
    desk.edit("redo", status=409)


def test_music_is_looped_to_a_length_at_a_join(desk, after_commit):
    beat = np.zeros(SECOND // 2)
    beat[:6_000] = np.sin(np.arange(6_000) * 0.06) * np.exp(-np.arange(6_000) / 1_500)
    tune = np.concatenate([beat * g for g in (1, 0.4, 0.7, 0.4) * 8]).astype(np.float32)[:, None] * 0.4
    data = wav_bytes(tune)
    with after_commit(), after_commit(), after_commit():
        bring_in(desk.film, "music", "loop.wav", len(data), [data])
    clip = str(Clip.objects.get(name="loop").pk)
    desk.edit("extend", id=clip, length_samples=40 * SECOND)
    parts = Clip.objects.filter(name="loop").order_by("start_sample")
    assert parts.count() >= 2
    end = max(part.start_sample + part.length_samples for part in parts)
    assert end == 40 * SECOND
    assert len({part.group for part in parts}) == 1
    origins = [part.start_sample - part.in_sample for part in parts]
    joins = np.diff(origins)
    assert all(min(j % (2 * SECOND), -j % (2 * SECOND)) < 480 for j in joins)  # whole bars of two seconds
    desk.edit("undo")
    desk.edit("extend", id=clip, length_samples=3 * SECOND)
    assert row(clip).length_samples == 3 * SECOND
    desk.edit("extend", status=409, id=desk.bang, length_samples=60 * SECOND)  # a second of tone has no join


def noisy_take(desk, after_commit):
    """A clip of six seconds of noise with words from 1 to 2 and from 4 to 5."""
    rng = np.random.default_rng(1)
    take = (rng.standard_normal((6 * SECOND, 1)) * 0.001).astype(np.float32)
    take[SECOND : 2 * SECOND] += sine(-20, 1.0, 300.0, 1)
    take[4 * SECOND : 5 * SECOND] += sine(-20, 1.0, 300.0, 1)
    data = wav_bytes(take)
    with after_commit(), after_commit(), after_commit():
        bring_in(desk.film, "dialogue", "take.wav", len(data), [data])
    first = Clip.objects.get(name="take")
    Source.objects.filter(pk=first.source_id).update(speech=[[SECOND, SECOND, 1.0], [4 * SECOND, SECOND, 1.0]])
    return first


def test_all_cuts_of_a_track_are_covered_in_one_press(desk, after_commit):
    first = noisy_take(desk, after_commit)
    track = str(first.track_id)
    assert "Nothing to cover on" in desk.edit("fill-track", status=409, track_id=track)["sentence"]
    for at, by in ((3, 2), (7, 3)):
        delta = desk.edit("split", ids=[str(c.pk) for c in Clip.objects.filter(name="take")], at_sample=at * SECOND)
        last = max(delta["changed"], key=lambda clip: clip["start"])
        desk.edit("move", ids=[last["id"]], by_samples=by * SECOND)
    said = desk.edit("fill-track", track_id=track)
    tones = Clip.objects.filter(is_room_tone=True).order_by("start_sample")
    assert [tone.start_sample // SECOND for tone in tones] == [2, 6] and "room tone under 2 cuts" in str(said)
    assert all(abs(tone.gain_db) < 1.0 for tone in tones)  # of the same take, at its own level
    assert "Nothing to cover on" in desk.edit("fill-track", status=409, track_id=track)["sentence"]
    desk.edit("undo")
    assert not Clip.objects.filter(is_room_tone=True).exists()
    desk.edit("fill-track", status=404, track_id="999999")
    score = str(Clip.objects.get(name="score").track_id)
    assert "neither" in desk.edit("fill-track", status=409, track_id=score)["sentence"]


def test_a_gap_is_covered_with_room_tone(desk, after_commit):
    first = noisy_take(desk, after_commit)
    delta = desk.edit("split", ids=[str(first.pk)], at_sample=3 * SECOND)
    second = next(clip["id"] for clip in delta["changed"] if clip["id"] != str(first.pk))
    desk.edit("move", ids=[second], by_samples=5 * SECOND)
    desk.edit("fill", track_id=str(first.track_id), at_sample=5 * SECOND)
    tone = Clip.objects.get(is_room_tone=True)
    assert tone.start_sample <= 3 * SECOND and tone.start_sample + tone.length_samples >= 8 * SECOND
    assert tone.source.kind == "tone" and tone.source.varied_from_id == first.source_id
    # None of it is speech: it is made from a stretch far below the words.
    made = stored_source(tone.source.sha256, 1).read(0, 5 * SECOND)
    words = stored_source(first.source.sha256, 1).read(SECOND, SECOND)
    assert np.abs(made).max() < 0.5 * np.abs(words).max()
    # Nobody brought it in, so it does not stand among the files of Intake.
    assert tone.source.name not in desk.get("sources").content.decode()
    rows = desk.get("level/state").json()["clips"]
    assert [row["advised_db"] for row in rows if row["name"] == "room tone"] == [None]
    even = {"ids": [str(tone.pk)], "options": {"goal": -23, "by": "loudness", "strength_percent": 100}}
    even["options"] |= {"most_change_db": 12, "is_group": False}
    asked = desk.post("level/even", {**even, "revision": desk.film.revision})
    assert asked["steps"] == []
    last = Clip.objects.filter(track_id=first.track_id).order_by("-start_sample")[0]
    behind = last.start_sample + last.length_samples + SECOND
    for at in (SECOND, behind):  # under a clip; behind the last one
        desk.edit("fill", status=409, track_id=str(first.track_id), at_sample=at)
    assert Clip.objects.filter(is_room_tone=True).count() == 1


def test_clips_are_lined_up_by_their_sound(desk, after_commit):
    scene = programme(31, 9.0, 1)
    for name, begin in (("boom.wav", 0), ("body.wav", 2 * SECOND)):
        data = wav_bytes(scene[begin : begin + 6 * SECOND] * 0.5)
        with after_commit(), after_commit(), after_commit():
            bring_in(desk.film, "dialogue", name, len(data), [data])
    boom, body = Clip.objects.get(name="boom"), Clip.objects.get(name="body")
    found = desk.get(f"arrange/alignment?clip={body.pk}&to={boom.pk}").json()
    assert found["by_samples"] == pytest.approx(2 * SECOND, abs=48) and found["confidence"] > 0.5
    assert row(body.pk).start_sample == 0  # nothing is moved before it is applied
    assert desk.get(f"arrange/alignment?clip={body.pk}&to={body.pk}").status_code == 404


def test_speed_and_pitch_make_a_new_recording_and_keep_the_old(desk):
    before = row(desk.bang)
    desk.edit("vary", id=desk.bang, speed=2.0, keeps_pitch=True, semitones=12)
    after = row(desk.bang)
    assert after.length_samples == pytest.approx(before.length_samples / 2, abs=2)
    assert after.source.varied_from_id == before.source_id
    audio = stored_source(after.source.sha256, 1).read(4_800, 9_600)[:, 0]
    assert np.argmax(np.abs(np.fft.rfft(audio))) * 5 == pytest.approx(600, abs=10)  # 300 Hz, an octave up
    desk.edit("undo")
    assert row(desk.bang).source_id == before.source_id
    desk.edit("vary", id=desk.bang, speed=2.0, keeps_pitch=True, semitones=12)
    assert Source.objects.filter(kind="varied").count() == 1  # rendered once
    desk.edit("vary", id=desk.bang, speed=1.0, keeps_pitch=True, semitones=0)
    assert row(desk.bang).source_id == before.source_id
    assert "quarter" in desk.edit("vary", status=409, id=desk.bang, speed=9, keeps_pitch=True, semitones=0)["sentence"]


def test_timecode_is_read_in_the_programmes_rate(desk):
    assert desk.get("timecode?text=00:00:01:05").json() == {"at_sample": 57_600}
    assert desk.get("timecode?text=12:10").json() == {"at_sample": 12 * SECOND + 19_200}
    answer = desk.get("timecode?text=00:00:01:25")
    assert answer.status_code == 422


WRONG = [
    {"kind": "nonsense"},
    {"kind": "move", "ids": [], "by_samples": 1},
    {"kind": "move", "ids": "1", "by_samples": 1},
    {"kind": "move", "ids": ["1"], "by_samples": "NaN"},
    {"kind": "move", "ids": ["1; drop table"], "by_samples": 1},
    {"kind": "level", "ids": ["1"], "by_db": "loud"},
    {"kind": "level", "ids": ["1"], "by_db": "inf"},
    {"kind": "curve", "ids": ["1"], "points": [[0]]},
    {"kind": "trim", "id": "1", "edge": "middle", "by_samples": 1},
]


@pytest.mark.parametrize("data", WRONG)
def test_nonsense_is_refused_and_changes_nothing(desk, data):
    revision = desk.film.revision
    data = dict(data)
    status = 409 if str(data.get("by_db", "")) in ("loud", "inf") else 400
    answer = desk.edit(data.pop("kind"), status=status, **data)
    assert answer["sentence"]
    assert desk.film.revision == revision


def test_a_clip_of_another_programme_cannot_be_touched(desk, account, after_commit):
    from recitant_web.programme.actions import create_programme

    other = create_programme(account[1], "Other", "25", "ebu-r128")
    data = wav_bytes(sine(-20, 1.0))
    with after_commit(), after_commit(), after_commit():
        bring_in(other, "music", "x.wav", len(data), [data])
    foreign = str(Clip.objects.get(name="x").pk)
    desk.edit("move", status=404, ids=[foreign], by_samples=1)
    desk.edit("mend", status=404, source_id=Source.objects.get(name="x.wav").pk, code="raise", is_undone=False)
    desk.edit("use", status=404, source_id=Source.objects.get(name="x.wav").pk, at_sample=0)


def test_preview_and_delivery_still_agree_after_edits(desk, signed_in):
    """What is heard is what is rendered, whatever was cut, faded, curved and routed."""
    from recitant_core.render.mix import render_output
    from recitant_core.units.clock import SampleSpan

    desk.edit("split", ids=[desk.score], at_sample=3 * SECOND)
    desk.edit("curve", ids=[desk.voice], points=[[0, -3], [2 * SECOND, 2], [4 * SECOND, -12]])
    desk.edit("fade", ids=[desk.bang], edge="in", length_samples=9_600, shape="equal-gain")
    desk.edit("move", ids=[desk.bang], by_samples=SECOND)
    plan = plan_of(desk.film)
    whole = render_output(plan, sources_of_plan(desk.film), SampleSpan(0, 6 * SECOND))
    import io

    import soundfile

    for start in range(0, 6 * SECOND, 70_000):
        length = min(70_000, 6 * SECOND - start)
        answer = desk.get(f"sound?start={start}&length={length}")
        heard, _ = soundfile.read(io.BytesIO(answer.content), dtype="float32")
        assert (heard == whole[start : start + length]).all()
