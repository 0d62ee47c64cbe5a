"""The Level page's doors: the sheet, chains on everything, evening out, rides, finding, comparing, presets."""

import io
import json
import math

import numpy as np
import pytest
import soundfile

from recitant_core.render.mix import render_heard, render_output, render_segments
from recitant_web.desk.energies import known_energies, missing_chains
from recitant_web.desk.levels import measure_peaks
from recitant_web.desk.mapping.plans import plan_key, plan_of, sources_of_plan
from recitant_web.desk.models import Clip, ClipPeaks, Edit, Preset, Stem, Track, Verdict
from recitant_web.desk.versions import return_to_version, save_version
from recitant_web.listening import blocks
from recitant_web.programme.models import Programme, Source
from recitant_web.shared.caches import clear_caches

pytestmark = pytest.mark.django_db
SECOND = 48_000
SPEECH = [[SECOND, 2 * SECOND, 0.9], [220_800, SECOND, 0.8]]
COMPRESSOR = {"kind": "compressor", "values": {"threshold_dbfs": -40.0, "ratio": 4.0}}
GONE = '{"how": "version", "version_id": 999}'
LOW_CUT = {"kind": "high-pass", "values": {"freq_hz": 400.0, "slope_db_per_octave": "24"}}


@pytest.fixture
def level(signed_in, film, after_commit):
    """Sends edits and questions of the Level page."""
    Source.objects.filter(programme=film, role="dialogue").update(speech=SPEECH, is_listened=True)

    class Level:
        def state(self):
            return signed_in.get(f"/programmes/{film.pk}/level/state").json()

        def clip(self, name="voice"):
            return next(row for row in self.state()["clips"] if row["name"] == name)

        def post(self, path, status=200, **data):
            film.refresh_from_db()
            body = json.dumps({"revision": film.revision, **data})
            with after_commit(), after_commit():
                answer = signed_in.post(
                    f"/programmes/{film.pk}/level/{path}",
                    body,
                    "application/json",
                    headers={"accept": "application/json"},
                )
            assert answer.status_code == status, answer.content
            film.refresh_from_db()
            return answer.json()

        def edit(self, kind, status=200, **more):
            return self.post("edits", status, kind=kind, **more)

        def chain(self, target, target_id, *chain, status=200):
            return self.edit("chain", status, target=target, ids=[target_id], chain=list(chain))

        def look(self, target, target_id, index, *chain, status=200):
            return self.post("view", status, target=target, id=target_id, index=index, at_sample=0, chain=list(chain))

        def sound(self, start=0, length=96_000, **instead):
            query = {"start": start, "length": length, "hear": "mix"}
            if instead:
                query["instead"] = json.dumps(instead)
            answer = signed_in.get(f"/programmes/{film.pk}/sound", query)
            assert answer.status_code == 200, answer.content
            return soundfile.read(io.BytesIO(answer.content), dtype="float32")[0]

    found = Level()
    found.film, found.client = film, signed_in
    found.voice = str(Clip.objects.get(name="voice").pk)
    found.score = str(Clip.objects.get(name="score").pk)
    found.bang = str(Clip.objects.get(name="bang").pk)
    return found


def test_the_sheet_holds_every_clip_with_its_levels(level):
    rows = level.state()["clips"]
    assert [row["name"] for row in rows] == ["voice", "score", "bang"]
    voice = rows[0]
    assert voice["speaker"] == "voice" and voice["role"] == "dialogue"
    assert voice["advised_db"] == pytest.approx(voice["gain_db"] + voice["aim_lufs"] - voice["level_lufs"], abs=0.02)
    assert voice["short_term_lufs"] > voice["level_lufs"] - 3
    peaks = level.client.get(f"/programmes/{level.film.pk}/level/peaks").json()
    assert peaks["left"] == 0 and set(peaks["peaks"]) == {level.voice, level.score, level.bang}
    sample, true = peaks["peaks"][level.score]
    assert true >= sample - 0.01
    assert level.clip("score")["true_peak_dbtp"] == pytest.approx(true)
    assert level.client.get(f"/programmes/{level.film.pk}/level").status_code == 200


def test_peaks_follow_gains_without_being_measured_again(level):
    measure_peaks(plan_of(level.film), 10.0)
    n = ClipPeaks.objects.count()
    before = level.clip()["sample_peak_dbfs"]
    level.edit("gain", target="clip", id=level.voice, gain_db="-6")
    assert level.clip()["sample_peak_dbfs"] == pytest.approx(before - 6.0)
    assert ClipPeaks.objects.count() == n


@pytest.mark.parametrize("target", ["clip", "track", "stem", "master"])
def test_a_chain_sounds_undoes_and_is_handed_over(level, target):
    target_id = {"clip": level.voice, "track": str(Track.objects.get(name="voice").pk), "stem": "dialogue"}.get(
        target, "mix"
    )
    untouched = level.sound()
    key = plan_key(plan_of(level.film))
    state = level.chain(target, target_id, LOW_CUT)
    assert state["undo"].endswith("High-pass added")
    plan = plan_of(level.film)
    assert plan_key(plan) != key
    treated = level.sound()
    assert not np.allclose(treated, untouched, atol=1e-3)
    clear_caches()
    assert plan_key(plan_of(level.film)) == plan_key(plan)  # rows give the same plan back
    delivered = np.concatenate([s.output for s in render_segments(plan, sources_of_plan(level.film))])
    assert np.array_equal(delivered[:96_000], treated)
    level.edit("undo")
    assert np.array_equal(level.sound(), untouched)
    level.edit("redo")
    assert np.array_equal(level.sound(), treated)


def test_labels_say_what_was_done(level):
    level.chain("clip", level.voice, COMPRESSOR)
    louder = {"kind": "compressor", "values": {"threshold_dbfs": -32.0, "ratio": 4.0}}
    assert level.chain("clip", level.voice, louder)["undo"] == "voice: Compressor, threshold −40 dBFS → −32 dBFS"
    assert level.chain("clip", level.voice, {**louder, "is_bypassed": True})["undo"] == "voice: Compressor bypassed"
    assert level.chain("clip", level.voice)["undo"] == "voice: Compressor removed"


def test_a_chain_on_many_clips_is_one_step(level):
    n = Edit.objects.count()
    level.edit("chain", target="clip", ids=[level.voice, level.bang], chain=[LOW_CUT])
    assert Edit.objects.count() == n + 1
    assert {row["name"] for row in level.state()["clips"] if row["chain"]} == {"voice", "bang"}


@pytest.mark.parametrize(
    ("chain", "words"),
    [
        ([{"kind": "flanger"}], "newer version"),
        ([{"kind": "compressor", "values": {"ratio": "1000"}}], "ratio lies between 1 and 30"),
        ([{"kind": "equaliser", "values": {"band1_q": "x"}}], "Q lies between 0.1 and 40"),
        ([{"kind": "gain", "glow": 1}], "newer version"),
        ([{"kind": "gain"}] * 30, "24 processors at most"),
    ],
)
def test_bad_chains_get_a_sentence_and_change_nothing(level, chain, words):
    level.chain("clip", level.voice, LOW_CUT)
    revision = level.film.revision
    answer = level.edit("chain", 422, target="clip", ids=[level.voice], chain=chain)
    assert words in answer["sentence"]
    assert level.film.revision == revision
    assert level.clip()["chain"] == ["high-pass"]


def test_estimates_go_through_chains(level):
    before = level.clip("bang")["level_lufs"]
    level.chain("clip", level.bang, {"kind": "gain", "values": {"gain_db": -9.0}})
    assert level.clip("bang")["level_lufs"] == pytest.approx(before - 9.0, abs=0.05)
    plan = plan_of(level.film)
    assert missing_chains(plan) == 0
    level.chain("track", str(Track.objects.get(name="score").pk), {"kind": "gain", "values": {"gain_db": -20.0}})
    plan = plan_of(level.film)
    exact = Verdict.objects.get(plan_key=plan_key(plan)).figures["integrated_lufs"]
    energies = known_energies(plan)
    assert any(key.startswith("track ") for key in energies)
    audio = render_output(plan, sources_of_plan(level.film), plan.span)
    assert np.isfinite(audio).all() and exact is not None


def test_what_a_processor_does_is_shown(level):
    seen = level.look("clip", level.voice, 0, COMPRESSOR, LOW_CUT)
    assert min(seen["reduction"]) < -1 and "of the speech" in seen["effort"]
    assert seen["static"][1][0] == -72 and seen["static"][1][-1] < -20
    assert any("rumble" in words for words in seen["order"])
    assert {f["name"] for f in seen["figures"]} >= {"loudness_lufs", "range_lu", "noise_dbfs", "true_peak_dbtp"}
    cut = level.look("clip", level.voice, 1, COMPRESSOR, LOW_CUT)
    assert cut["response"][0] < -60 and cut["response"][-1] == pytest.approx(0.0, abs=0.1)
    assert cut["spectrum_out"][5] < cut["spectrum_into"][5] - 20
    assert not any("high-pass" in row["chain"] for row in level.state()["clips"])  # looked at, not kept
    for target, target_id in (("track", str(Track.objects.get(name="score").pk)), ("stem", "music"), ("master", "mix")):
        assert min(level.look(target, target_id, 0, COMPRESSOR)["reduction"]) < 0
    assert "gone" not in level.look("clip", "99999", 0, COMPRESSOR, status=404)


def test_the_reduction_of_the_whole_programme(level):
    track = str(Track.objects.get(name="voice").pk)
    body = {"target": "track", "id": track, "index": 0, "at_sample": 0}
    whole = level.post("whole", **body, chain=[COMPRESSOR])
    assert min(whole["reduction"]) < -1 and whole["length_samples"] == plan_of(level.film).span.length_samples
    level.post("whole", 422, **body, chain=[LOW_CUT])


@pytest.mark.parametrize("strength", [100, 50])
def test_evening_out_brings_clips_to_their_goal(level, strength):
    options = {"goal": "−23", "by": "loudness", "strength_percent": strength, "most_change_db": 40, "is_group": False}
    ids = [level.voice, level.score, level.bang]
    rows = {row["id"]: row for row in level.state()["clips"]}
    foretold = {s["id"]: s for s in level.post("even", ids=ids, options=options)["steps"]}
    after = {row["id"]: row for row in level.edit("even-out", ids=ids, options=options)["clips"]}
    for clip_id in ids:
        change = after[clip_id]["gain_db"] - rows[clip_id]["gain_db"]
        assert change == pytest.approx(foretold[clip_id]["change_db"], abs=0.01)
        if not foretold[clip_id]["held_by"]:
            missing = -23.0 - rows[clip_id]["level_lufs"]
            assert after[clip_id]["level_lufs"] == pytest.approx(-23.0 - missing * (1 - strength / 100), abs=0.05)


def test_evening_out_as_a_group_keeps_relations(level):
    options = {"goal": -30, "by": "loudness", "strength_percent": 100, "most_change_db": 60, "is_group": True}
    steps = level.post("even", ids=[level.voice, level.score], options=options)["steps"]
    assert steps[0]["change_db"] == pytest.approx(steps[1]["change_db"], abs=0.01)
    by_peak = options | {"goal": -3, "by": "peak", "is_group": False}
    peaks = level.post("even", ids=[level.voice, level.score], options=by_peak)["steps"]
    assert all(math.isclose(s["peak_db"], -3.0, abs_tol=0.02) for s in peaks if not s["held_by"])


def test_gains_typed_for_many_and_speakers(level):
    state = level.edit("gains", gains=[[level.voice, "−3"], [level.bang, 2.5]])
    assert {row["id"]: row["gain_db"] for row in state["clips"]} == {
        level.voice: -3.0,
        level.score: 0.0,
        level.bang: 2.5,
    }
    level.edit("gains", 409, gains=[[level.voice, 99]])
    assert level.edit("speaker", ids=[level.voice], name="Ines")["clips"][0]["speaker"] == "Ines"


def test_rides_are_recorded_thinned_and_undone(level):
    track = str(Track.objects.get(name="score").pk)
    hand = [[SECOND + i * 480, -6.0 * math.sin(math.pi * i / 200)] for i in range(201)]
    state = level.edit("ride", target="track", id=track, mode="touch", is_first=False, points=hand)
    ride = next(t for t in state["tracks"] if t["id"] == track)["ride"]
    assert 4 < len(ride["points"]) < 30 and ride["is_first"] is False
    untouched = level.sound(0, SECOND // 2)
    level.edit("undo")
    assert np.array_equal(level.sound(0, SECOND // 2), untouched)  # before the ride nothing changed
    level.edit("redo")
    level.edit("ride", target="stem", id="music", mode="set", is_first=True, points=[[0, -3], [SECOND, 0]])
    assert Stem.objects.get(role="music").ride["is_first"] is True
    level.edit("ride", 409, target="track", id=track, mode="touch", is_first=False, points=[[0, -1]])
    level.edit("ride", 409, target="track", id=track, mode="set", is_first=False, points=[[0, -100], [5, 0]])


def test_noise_is_learned_from_pauses_and_never_from_words(level):
    body = {"target": "clip", "id": level.voice, "name": "", "at_sample": 0}
    found = level.post("find", what="noise", from_sample=0, to_sample=0, **body)
    assert len(found["chain"][0]["profile_db"]) == 32 and found["place"] == 0
    spoken = level.post("find", 422, what="noise", from_sample=SECOND, to_sample=2 * SECOND, **body)
    assert "Somebody speaks" in spoken["sentence"]
    assert "No hum" in level.post("find", 422, what="hum", from_sample=0, to_sample=0, **body)["sentence"]


def test_a_room_is_measured_and_what_is_taken_away_is_heard(level):
    body = {"what": "less-room", "target": "clip", "from_sample": 0, "to_sample": 0, "at_sample": 0, "name": ""}
    found = level.post("find", id=level.voice, **body)
    assert [one["kind"] for one in found["chain"]] == ["less-room"] and "to decay by 60 dB" in found["words"]
    bang = str(Clip.objects.get(name="bang").pk)
    assert "Too few sounds" in level.post("find", 422, id=bang, **body)["sentence"]  # a steady tone
    level.chain("clip", level.voice, *found["chain"])
    where = {"target": "clip", "id": level.voice, "index": 0}
    taken = level.sound(SECOND, 2 * SECOND, how="taken", **where)
    assert 0.0 < np.abs(taken).mean() < 0.5 * np.abs(level.sound(SECOND, 2 * SECOND)).mean()


def test_starting_points_are_made_from_the_clip(level):
    body = {"what": "start", "target": "clip", "from_sample": 0, "to_sample": 0, "at_sample": 0}
    close = level.post("find", id=level.voice, name="voice-close", **body)["chain"]
    assert [p["kind"] for p in close] == ["high-pass", "compressor", "de-esser"]
    level.edit("gain", target="clip", id=level.voice, gain_db="0")
    roomy = level.post("find", id=level.voice, name="voice-roomy", **body)["chain"]
    assert "noise" in [p["kind"] for p in roomy]
    assert level.chain("clip", level.voice, *roomy)["undo"]
    assert level.post("find", id=level.score, name="music-held", **body)["chain"][0]["kind"] == "compressor"


def test_comparisons_are_as_loud(level):
    level.chain("clip", level.voice, {"kind": "gain", "values": {"gain_db": 12.0}}, LOW_CUT)
    where = {"target": "clip", "id": level.voice, "index": 0, "at_sample": 2 * SECOND}
    loud = [level.sound(SECOND, 2 * SECOND)]
    loud += [level.sound(SECOND, 2 * SECOND, how=how, **where) for how in ("untreated", "bypass")]
    powers = [10 * np.log10(float((audio**2).mean())) for audio in loud]
    assert abs(powers[0] - powers[1]) < 6 and abs(powers[0] - powers[2]) < 3  # 12 dB and more without the match
    taken = level.sound(SECOND, 2 * SECOND, how="taken", **{**where, "index": 1})
    assert np.abs(taken).max() > 1e-4


def test_another_version_and_the_page_undone_can_be_heard(level, account):
    untouched = level.sound()
    level.film.refresh_from_db()
    version = save_version(level.film, account[0], "before", level.film.revision)
    level.chain("clip", level.voice, LOW_CUT)
    assert np.allclose(
        level.sound(how="version", version_id=version.pk) / untouched.max(), untouched / untouched.max(), atol=0.5
    )
    assert level.sound(how="page").shape == untouched.shape
    answer = level.client.get(
        f"/programmes/{level.film.pk}/sound", {"instead": '{"how": "version", "version_id": 999}'}
    )
    assert answer.status_code == 404
    level.film.refresh_from_db()
    return_to_version(level.film, account[0], version.pk, level.film.revision)
    level.film.refresh_from_db()
    assert np.array_equal(level.sound(), untouched)


def test_a_chain_that_is_being_tried_is_heard_by_its_name(level):
    untouched = level.sound()
    name = level.post("draft", chain=[LOW_CUT])["draft"]
    assert level.post("draft", chain=[LOW_CUT])["draft"] == name and len(name) == 32
    tried = level.sound(how="draft", target="clip", id=level.voice, draft=name)
    assert np.array_equal(level.sound(), untouched)  # looked at, not kept
    level.chain("clip", level.voice, LOW_CUT)
    assert np.array_equal(level.sound(), tried)
    level.post("draft", status=422, chain=[{"kind": "nothing"}])
    for gone in ("0" * 32, "../../x", ""):
        instead = json.dumps({"how": "draft", "target": "clip", "id": level.voice, "draft": gone})
        assert level.client.get(f"/programmes/{level.film.pk}/sound", {"instead": instead}).status_code in (400, 404)


def test_meters_read_what_the_listener_heard_before(level, monkeypatch):
    def readings(start):
        answer = level.client.get(
            f"/programmes/{level.film.pk}/sound", {"start": start, "length": SECOND, "hear": "mix"}
        )
        return json.loads(answer["Recitant-Readings"])

    in_a_row = [readings(second * SECOND) for second in range(6)]
    rendered = []
    monkeypatch.setattr(blocks, "render_heard", lambda *args: rendered.append(args[2]) or render_heard(*args))
    assert readings(5 * SECOND) == in_a_row[5] and rendered[0].length_samples == SECOND
    clear_caches()
    assert readings(5 * SECOND) == in_a_row[5] and rendered[1].length_samples > SECOND  # nothing heard: rendered
    level.edit("gain", target="stem", id="music", gain_db="-40")
    assert readings(5 * SECOND)["short_term"] != in_a_row[5]["short_term"] and rendered[2].length_samples == SECOND


def test_presets_stay_in_their_workspace(level, stranger):
    kept = level.post(
        "presets", do="keep", name="Close voice", chain=[COMPRESSOR, {"kind": "noise", "profile_db": [-60] * 32}]
    )
    preset = kept["presets"][0]
    assert preset["kinds"] == ["compressor", "noise"]
    assert "profile_db" not in Preset.objects.get().chain[1]  # noise belongs to a recording
    assert "name is there" in level.post("presets", 409, do="keep", name="Close voice", chain=[COMPRESSOR])["sentence"]
    assert level.post("presets", do="read", id=preset["id"])["chain"][0]["kind"] == "compressor"
    other = stranger.memberships.get().workspace
    foreign = Preset.objects.create(workspace=other, name="theirs", chain=[COMPRESSOR])
    assert "not in this workspace" in level.post("presets", 409, do="read", id=foreign.pk)["sentence"]
    level.post("presets", 409, do="drop", id=foreign.pk)
    assert level.post("presets", do="drop", id=preset["id"])["presets"] == []


def test_zones_of_the_meters(level):
    zones = {"quiet_lu": -5, "near_lu": 1.5, "loud_lu": 4, "peak_dbfs": -3}
    assert level.edit("zones", **zones)["zones"] == zones
    level.edit("zones", 409, **(zones | {"loud_lu": 0.5}))
    assert Programme.objects.get(pk=level.film.pk).meter_zones == zones


def test_long_speech_gets_a_slow_curve(level):
    Source.objects.filter(role="dialogue").update(speech=[[0, 6 * SECOND, 0.9]])
    options = {"strength": 100, "most_db": 6, "slope_db_per_s": 3}
    answer = level.edit("ride-clips", 409, ids=[level.voice], **options)  # six seconds are too short
    assert "phrases that differ" in answer["sentence"]


def test_nobody_else_gets_in(level, stranger, client):
    client.force_login(stranger)
    for path in ("level", "level/state", "level/peaks"):
        assert client.get(f"/programmes/{level.film.pk}/{path}").status_code == 404
