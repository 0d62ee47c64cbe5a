"""Takes as pages post them: held, chosen, matched, heard instead, recorded over, kept in copies and versions."""

import io
import json

import numpy as np
import pytest
import soundfile

from recitant_core.errors import EditRefused
from recitant_core.render.mix import render_mix
from recitant_core.units.clock import SampleSpan
from recitant_text.steps import label_text
from recitant_web.desk.mapping.plans import plan_of, sources_of_plan
from recitant_web.desk.models import Clip, Edit, Track
from recitant_web.intake.queries import rows
from recitant_web.level.queries import level_state
from recitant_web.programme.models import Source
from recitant_web.programmes.actions import duplicate, remove_recording
from recitant_web.programmes.queries import disk_use_of

pytestmark = pytest.mark.django_db
S = 48_000


@pytest.fixture
def desk(signed_in, film, after_commit, edit):
    """Posts edits, records takes, and tells the clips."""

    class Desk:
        def record(self, seconds, at_sample, track, seed=1, **more):
            rng = np.random.default_rng(seed)
            file = io.BytesIO()
            soundfile.write(file, (rng.standard_normal(round(seconds * S)) * 0.1).astype(np.float32), S, format="WAV")
            file.seek(0)
            file.name = "take.wav"
            with after_commit(), after_commit(), after_commit():
                answer = signed_in.post(
                    f"/programmes/{film.pk}/takes",
                    {"file": file, "at_sample": at_sample, "track_id": track.pk if track else 0, **more},
                    headers={"accept": "application/json"},
                )
            assert answer.status_code == 200, answer.content
            film.refresh_from_db()
            return Source.objects.get(pk=answer.json()["source_id"])

    found = Desk()
    found.film, found.edit = film, edit
    return found


@pytest.fixture
def pair(desk):
    """Two clips over each other, held as takes of the first."""
    voice, score = (Clip.objects.get(name=name) for name in ("voice", "score"))
    desk.edit("place", ids=[str(score.pk)], at_sample=voice.start_sample)
    desk.edit("takes-gather", ids=[str(voice.pk), str(score.pk)])
    return Clip.objects.get(pk=voice.pk)


def test_takes_are_held_chosen_and_taken_back(desk, pair):
    assert Clip.objects.filter(track__programme=desk.film).count() == 2
    assert [take["name"] for take in pair.takes] == ["score"] and pair.take_index == 0
    before = plan_of(desk.film)
    answer = desk.edit("take", id=str(pair.pk), index=1)
    (changed,) = answer["changed"]
    assert changed["take"] == 1 and [take["name"] for take in changed["takes"]] == ["voice", "score"]
    assert answer["undo"] == "take 2 of 2: score"
    row = Clip.objects.get(pk=pair.pk)
    assert row.source.name == "score.wav" and row.name == "score"
    desk.edit("undo")
    assert plan_of(desk.film) == before and Clip.objects.get(pk=pair.pk).source_id == pair.source_id
    desk.edit("redo")
    assert Clip.objects.get(pk=pair.pk).source_id == row.source_id
    level_state(desk.film)  # other pages know the new recording
    desk.edit("lock", is_locked=True)
    desk.edit("take", id=str(pair.pk), index=0)  # another take is no move
    assert desk.edit("take", 404, id=str(pair.pk), index=7)["sentence"]
    assert "one of them sounds" in desk.edit("takes-gather", 409, ids=[str(pair.pk)])["sentence"]


def test_matched_takes_are_as_loud(desk, pair):
    desk.edit("takes-match", id=str(pair.pk))
    was = {clip["id"]: clip["level_lufs"] for clip in level_state(desk.film)["clips"]}
    desk.edit("take", id=str(pair.pk), index=1)
    now = {clip["id"]: clip["level_lufs"] for clip in level_state(desk.film)["clips"]}
    assert now[str(pair.pk)] == pytest.approx(was[str(pair.pk)], abs=0.15)


def test_another_take_is_heard_without_an_edit_and_as_loud(desk, pair, signed_in):
    n_edits = Edit.objects.count()
    asked = {"how": "take", "target": "clip", "id": str(pair.pk), "index": 1, "at_sample": pair.start_sample}
    start, length = pair.start_sample + S, S

    def heard(**more):
        answer = signed_in.get(
            f"/programmes/{desk.film.pk}/sound",
            {"start": start, "length": length, "hear": "mix", "revision": desk.film.revision, **more},
        )
        assert answer.status_code == 200
        return soundfile.read(io.BytesIO(answer.getvalue()), dtype="float32")[0]

    plain, other = heard(), heard(instead=json.dumps(asked))
    assert not np.array_equal(plain, other) and Edit.objects.count() == n_edits
    desk.edit("take", id=str(pair.pk), index=1)
    chosen = heard()
    scale = np.sqrt((other**2).sum() / (chosen**2).sum())
    assert np.abs(other - scale * chosen).max() < 0.02  # the same recording, at another loudness
    answer = signed_in.get(
        f"/programmes/{desk.film.pk}/sound",
        {"start": 0, "length": S, "instead": json.dumps(asked | {"index": 9})},
        headers={"accept": "application/json"},
    )
    assert answer.status_code == 404


def test_takes_are_dropped_and_laid_side_by_side(desk, pair):
    desk.edit("takes-apart", id=str(pair.pk))
    apart = Clip.objects.get(name="score")
    assert apart.is_out and apart.track.name.endswith(", score") and apart.takes == []
    desk.edit("undo")
    assert not Track.objects.filter(name__endswith=", score").exists()
    assert "sounds" in desk.edit("take-drop", 409, id=str(pair.pk), index=0)["sentence"]
    desk.edit("take-drop", id=str(pair.pk), index=1)
    assert Clip.objects.get(pk=pair.pk).takes == []


def test_a_recording_of_a_take_is_in_use_until_it_is_dropped(desk, pair, account):
    score = Source.objects.get(name="score.wav")
    assert score not in [source for source, *_ in disk_use_of(desk.film).unused]
    assert [row.source.name for row in rows(desk.film) if row.is_take] == ["score.wav"]
    with pytest.raises(EditRefused, match="recording_in_use"):
        remove_recording(score)
    copy = duplicate(desk.film, "Copy", with_media=True)
    held = Clip.objects.get(track__programme=copy, name="voice")
    assert [take["source_key"] for take in held.takes] == [score.sha256]
    desk.edit("version-save", name="With takes")
    desk.edit("take-drop", id=str(pair.pk), index=1)
    with pytest.raises(EditRefused, match="recording_in_version"):
        remove_recording(score)


def test_a_recording_is_laid_where_it_was_recorded_to(desk):
    voice = Clip.objects.get(name="voice")
    source = desk.record(2.0, 3 * S, voice.track, in_sample=S // 2, length_samples=S)
    pieces = Clip.objects.filter(track=voice.track).order_by("start_sample")
    assert [(c.start_sample, c.source_id == source.pk) for c in pieces] == [
        (voice.start_sample, False),
        (3 * S, True),
        (4 * S, False),
    ]
    middle = pieces[1]
    assert (middle.in_sample, middle.length_samples, middle.take_index) == (S // 2, S, 1)
    assert (
        source.role == voice.track.role and label_text(Edit.objects.latest("pk").label) == "Narration take 1 recorded"
    )
    plan, sources = plan_of(desk.film), sources_of_plan(desk.film)
    alone = render_mix(plan, sources, SampleSpan(3 * S, S))
    desk.edit("undo")
    assert Clip.objects.filter(track=voice.track).count() == 1
    assert not np.array_equal(alone, render_mix(plan_of(desk.film), sources, SampleSpan(3 * S, S)))


def test_readings_from_one_place_become_takes_of_one_clip(desk):
    desk.edit("track-add", role="narration", name="")
    track = Track.objects.get(name="Narration")
    first, second, third = (desk.record(seconds, 2 * S, track, seed) for seed, seconds in enumerate((2.0, 1.5, 3.0)))
    clip = Clip.objects.get(track=track)
    assert [take["source_key"] for take in clip.takes] == [first.sha256, second.sha256]
    assert (clip.source_id, clip.take_index, clip.length_samples) == (third.pk, 2, 3 * S)
    elsewhere = desk.record(1.0, 20 * S, track, 9)
    assert Clip.objects.get(source=elsewhere).takes == []
    desk.record(1.0, 2 * S, None, 10)
    assert Track.objects.filter(name="Narration").count() == 2  # a new one, as asked
