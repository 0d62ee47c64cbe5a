"""Giving way, speech, clearance, level path and first balance through the doors of the Balance page."""

import io
import json
from pathlib import Path

import numpy as np
import pytest
import soundfile
from django.conf import settings

from recitant_core.delivery.orders.orders import Order
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.measure.clearance import close_passages
from recitant_core.render.mix import render_stems
from recitant_core.units.roles import Role
from recitant_text.balance import followed_facts, followed_text
from recitant_web.balance import first_balance as balancing
from recitant_web.balance import queries
from recitant_web.balance.first_balance import run_first_balance
from recitant_web.delivery.actions import hand_over
from recitant_web.desk.ducking import follow_speech
from recitant_web.desk.mapping.plans import plan_key, plan_of, sources_of_plan
from recitant_web.desk.models import BalanceRun, Clip, Duck, Edit, Track
from recitant_web.desk.versions import return_to_version, save_version
from recitant_web.jobs.actions import run_job
from recitant_web.jobs.models import Job
from recitant_web.listening.stored import rendered_stems
from recitant_web.programme.ingesting import listen
from recitant_web.programme.models import Source
from recitant_web.shared.caches import clear_caches

pytestmark = pytest.mark.django_db
SECOND = 48_000
SPEECH = [[SECOND, 2 * SECOND, 0.9], [220_800, SECOND, 0.8]]  # 1 to 3 s and 4.6 to 5.6 s


@pytest.fixture
def desk(signed_in, film, after_commit):
    """Sends edits; what came back, or the refusal."""
    Source.objects.filter(programme=film, role="dialogue").update(speech=SPEECH, is_listened=True)

    class Desk:
        def state(self):
            return signed_in.get(f"/programmes/{film.pk}/state").json()

        def post(self, path, status=200, **data):
            film.refresh_from_db()
            body = json.dumps({"revision": film.revision, **data})
            with after_commit(), after_commit():
                answer = signed_in.post(
                    f"/programmes/{film.pk}/{path}", body, "application/json", headers={"accept": "application/json"}
                )
            assert answer.status_code == status, answer.content
            film.refresh_from_db()
            return answer.json()

        def edit(self, kind, status=200, **more):
            return self.post("edits", status, kind=kind, **more)

        def get(self, path, status=200):
            answer = signed_in.get(f"/programmes/{film.pk}/{path}", headers={"accept": "application/json"})
            assert answer.status_code == status
            return answer.json()

        def balance(self, **more):
            choices = {"music": "middle", "effects": "middle", "ducking": "clear", **more}
            choices.setdefault("steps", ["mend", "even-out", "stems", "duck", "check", "fit"])
            self.post("first-balance", **choices)
            return self.state()

    desk = Desk()
    desk.film = film
    desk.client = signed_in
    desk.voice = str(Clip.objects.get(name="voice").pk)
    desk.score = str(Clip.objects.get(name="score").pk)
    return desk


@pytest.fixture
def dipped(desk):
    """A desk whose music gives way by a fixed depth."""
    desk.edit("duck-add", target="stem", id="music", start="spot")
    desk.duck = str(Duck.objects.get().pk)
    desk.edit("duck-rule", id=desk.duck, rule={"aim": "depth", "depth_db": "6", "floor_db": "−20"})
    return desk


def spoken(state):
    return [span[:2] for row in state["speech"] for span in row["spans"]]


def points(desk):
    return [tuple(p) for p in Duck.objects.get(pk=desk.duck).points]


def deepest_at(desk, second):
    found = points(desk)
    return float(np.interp(second * SECOND, [p[0] for p in found], [p[1] for p in found]))


def test_the_state_tells_speech_clearance_and_ducks(dipped):
    state = dipped.state()
    assert spoken(state) == [s[:2] for s in SPEECH]
    assert state["clearance"]["has_speech"] and state["clearance"]["is_exact"]
    assert state["clearance"]["speech_share"] == pytest.approx(3 / 8, abs=0.02)
    assert {stem["role"] for stem in state["clearance"]["stems"]} == {"dialogue", "music", "effects"}
    duck = state["ducks"][0]
    assert duck["stem"] == "music" and duck["role"] == "music" and duck["rule"]["depth_db"] == 6
    assert "down to −6.0 dB" in state["feels"][duck["id"]]["words"]


def test_music_is_lowered_in_what_is_heard_and_contours_show_both_lines(dipped):
    plan = plan_of(dipped.film)
    stem = render_stems(plan, sources_of_plan(dipped.film), plan.span)[Role.MUSIC]
    plain = render_stems(
        plan.__class__(plan.title, plan.frame_rate, plan.tracks), sources_of_plan(dipped.film), plan.span
    )[Role.MUSIC]
    inside = slice(round(1.5 * SECOND), round(2.5 * SECOND))
    assert 20 * np.log10(np.abs(stem[inside]).sum() / np.abs(plain[inside]).sum()) == pytest.approx(-6.0, abs=0.01)
    found = dipped.get("contours?start=0&end=384000&points=100")
    clip = found["clips"][dipped.score]
    difference = np.subtract(clip["undipped"], clip["tenths"])
    assert difference.max() >= 55 and difference.min() == 0
    assert "undipped" not in found["clips"][dipped.voice]
    tenths = np.array(found["clearance"]["tenths"])
    assert (tenths[0:10] == -1000).all() and (tenths[14:36] > -1000).all()


def test_ducking_follows_a_moved_clip_in_the_same_step(dipped):
    before = points(dipped)
    track = Track.objects.get(clips=dipped.voice)
    answer = dipped.post("arrange/edits", kind="move", ids=[dipped.voice], by_samples=SECOND, by_tracks=0)
    assert answer["revision"] == dipped.film.revision
    assert points(dipped) != before and deepest_at(dipped, 6.0) == -6.0
    edit = Edit.objects.order_by("-pk")[0]
    assert edit.said["n_moved"] and {c["table"] for c in edit.changes} == {"clip", "duck"}
    clear_caches()
    assert [p.at_sample for p in plan_of(dipped.film).ducks[0].points] == [p[0] for p in points(dipped)]
    dipped.edit("undo")
    assert points(dipped) == before
    dipped.edit("redo")
    assert points(dipped) != before
    assert track.name == "voice"


def test_a_kept_plan_is_the_plan_of_the_rows(dipped):
    dipped.edit("gain", target="clip", id=dipped.voice, gain_db=3)
    dipped.post("arrange/edits", kind="move", ids=[dipped.voice], by_samples=4_800, by_tracks=0)
    kept = plan_of(dipped.film)
    clear_caches()
    assert plan_of(dipped.film) == kept


def test_points_are_drawn_pinned_kept_and_released(dipped):
    at, _, _ = points(dipped)[1]
    said = dipped.edit("duck-point", id=dipped.duck, index=1, at_sample=at - 2_400, gain_db="−3")
    assert said["ducks"][0]["n_pinned"] == 1
    drawn = [p for p in points(dipped) if p[2]]
    assert (at - 2_400, -3.0, True) in drawn
    answer = dipped.post("arrange/edits", kind="move", ids=[dipped.voice], by_samples=SECOND, by_tracks=0)
    assert answer["revision"] and [p for p in points(dipped) if p[2]] == drawn
    assert Edit.objects.order_by("-pk")[0].said["n_kept"] == 1
    dipped.edit("duck-release", id=dipped.duck, from_sample=0, to_sample=8 * SECOND)
    assert not any(p[2] for p in points(dipped))
    n = len(points(dipped))
    dipped.edit("duck-point-add", id=dipped.duck, at_sample=3 * SECOND)
    assert len(points(dipped)) > n
    index = next(i for i, p in enumerate(points(dipped)) if p[0] == 3 * SECOND)
    dipped.edit("duck-point-remove", id=dipped.duck, index=index)
    assert 3 * SECOND not in [p[0] for p in points(dipped)]


def test_a_frozen_curve_does_not_follow(dipped):
    dipped.edit("duck-rule", id=dipped.duck, rule={"is_frozen": True})
    before = points(dipped)
    dipped.post("arrange/edits", kind="move", ids=[dipped.voice], by_samples=SECOND, by_tracks=0)
    assert points(dipped) == before
    dipped.edit("duck-rule", id=dipped.duck, rule={"is_frozen": False})
    assert points(dipped) != before


def test_rules_are_changed_field_by_field_and_refused_with_a_sentence(dipped):
    dipped.edit("duck-rule", id=dipped.duck, rule={"room": {"is_on": True, "centre_hz": "900"}})
    rule = dipped.state()["ducks"][0]["rule"]
    assert rule["room"] == {"is_on": True, "centre_hz": 900.0, "width_octaves": 2.0, "most_db": 6.0}
    before = Duck.objects.get().rule
    assert "Hz" in dipped.edit("duck-rule", 409, id=dipped.duck, rule={"room": {"centre_hz": "low"}})["sentence"]
    assert "between" in dipped.edit("duck-rule", 422, id=dipped.duck, rule={"bridge_s": "-3"})["sentence"]
    assert dipped.edit("duck-rule", 422, id=dipped.duck, rule={"kind": "magic"})["sentence"]
    assert dipped.edit("duck-rule", 422, id=dipped.duck, rule={"colour": 3})["sentence"]
    assert dipped.edit("duck-rule", 409, id="999999", rule={"bridge_s": 3})["sentence"]
    assert dipped.edit("duck-add", 409, target="stem", id="music", start="")["sentence"]
    assert dipped.edit("duck-add", 409, target="stem", id="narration", start="")["sentence"]
    assert dipped.edit("duck-point", 404, id=dipped.duck, index=99, at_sample=0, gain_db=0)["sentence"]
    assert Duck.objects.get().rule == before
    dipped.edit("duck-rule", id=dipped.duck, rule={"start": "documentary"})
    assert dipped.state()["ducks"][0]["rule"]["bridge_s"] == 4.0


def test_a_live_key_and_the_way_back(dipped):
    dipped.edit("duck-rule", id=dipped.duck, rule={"kind": "live", "live": {"threshold_dbfs": "−60"}})
    state = dipped.state()
    assert state["feels"][state["ducks"][0]["id"]]["words"].startswith("live key, down to −")
    dipped.edit("undo")
    assert dipped.state()["ducks"][0]["rule"]["kind"] == "curve"


def test_one_track_gives_way_and_goes_with_its_track(desk):
    track = Track.objects.get(clips=desk.score)
    desk.edit("duck-add", target="track", id=str(track.pk), start="talk-over-bed")
    assert Duck.objects.get().track_id == track.pk
    desk.post("arrange/edits", kind="track-remove", id=str(track.pk))
    assert not Duck.objects.exists()
    desk.edit("undo")
    assert Duck.objects.get().track_id == track.pk


def test_a_duck_waits_while_its_track_is_narration_or_its_key_is_gone(desk):
    track = Track.objects.get(clips=desk.score)
    voice = Track.objects.get(clips=desk.voice)
    desk.edit("duck-add", target="track", id=str(track.pk), start="talk-over-bed")
    duck = str(Duck.objects.get().pk)
    desk.edit("duck-rule", id=duck, rule={"keys": [str(voice.pk)], "aim": "depth"})
    assert desk.edit("duck-rule", 404, id=duck, rule={"keys": [str(track.pk)]})["sentence"]
    desk.post("arrange/edits", kind="track-set", id=str(voice.pk), role="effects")
    assert plan_of(desk.film).ducks[0].rule.keys == ()
    desk.edit("undo")
    assert plan_of(desk.film).ducks[0].rule.keys == (str(voice.pk),)
    desk.post("arrange/edits", kind="track-set", id=str(track.pk), role="narration")
    assert plan_of(desk.film).ducks == ()
    desk.edit("undo")
    assert plan_of(desk.film).ducks


def test_speech_is_corrected_by_hand_and_the_correction_survives(dipped):
    before = points(dipped)
    dipped.edit("speech", id=dipped.voice, from_sample=216_000, to_sample=6 * SECOND, is_speech=False)
    assert spoken(dipped.state()) == [[SECOND, 2 * SECOND]]
    assert len(points(dipped)) < len(before)
    dipped.edit("speech", id=dipped.voice, from_sample=3 * SECOND, to_sample=4 * SECOND, is_speech=True)
    assert spoken(dipped.state()) == [[SECOND, 3 * SECOND]]
    source = Source.objects.get(programme=dipped.film, role="dialogue")
    Source.objects.filter(pk=source.pk).update(is_listened=False)
    listen(source.pk, lambda _share: None)
    spans = spoken(dipped.state())
    assert any(s[0] <= 3 * SECOND and s[0] + s[1] >= 4 * SECOND for s in spans)
    assert not any(s[0] < 6 * SECOND and s[0] + s[1] > 216_000 for s in spans)
    assert (
        "end after its start"
        in dipped.edit("speech", 409, id=dipped.voice, from_sample=10, to_sample=9, is_speech=True)["sentence"]
    )


def test_ducking_follows_speech_that_is_found_later(dipped):
    source = Source.objects.get(programme=dipped.film, role="dialogue")
    source.speech = [[4 * SECOND, SECOND, 0.9]]
    source.save()
    follow_speech(source)
    dipped.film.refresh_from_db()
    assert deepest_at(dipped, 4.5) == -6.0 and deepest_at(dipped, 1.5) == 0.0
    assert Edit.objects.order_by("-pk")[0].label == {"code": "ducking-followed", "name": "voice.wav"}


def test_the_clearance_asked_for_is_an_edit(desk):
    asked = desk.edit("clearance", asked_lu="9,5", least_s="0.4")["clearance"]
    assert (asked["asked_lu"], asked["least_s"]) == (9.5, 0.4)
    desk.edit("undo")
    assert desk.state()["clearance"]["asked_lu"] == 7.0
    assert "LU" in desk.edit("clearance", 409, asked_lu="much", least_s="1")["sentence"]
    assert "between" in desk.edit("clearance", 409, asked_lu="90", least_s="1")["sentence"]


def test_a_close_passage_is_cured_with_one_press_and_checked(desk):
    desk.edit("gain", target="stem", id="music", gain_db=12)
    passage = desk.state()["clearance"]["passages"][0]
    assert passage["cause"] in ("music", "clip-under-aim", "phrase-under-aim") and passage["cures"]
    while desk.state()["clearance"]["passages"]:
        passage = desk.state()["clearance"]["passages"][0]
        cure = passage["cures"][0]
        said = desk.edit(
            "cure",
            code=cure["code"],
            target_id=cure["target_id"],
            by_db=cure["by_db"],
            start_sample=passage["start_sample"],
            length_samples=passage["length_samples"],
        )["said"]
        assert said.startswith("Checked:")
    n = Edit.objects.filter(state="done").count()
    desk.edit("undo")
    assert Edit.objects.filter(state="done").count() == n - 1
    assert desk.edit("cure", 409, code="deepen", target_id="77", by_db=3, start_sample=0, length_samples=9)["sentence"]


def test_the_exact_figures_come_from_rendered_stems(desk):
    plan = plan_of(desk.film)
    stems = rendered_stems(plan_key(plan))
    assert stems is not None and set(stems) == set(plan.roles)
    estimated = desk.edit("gain", target="stem", id="music", gain_db=-3)["clearance"]
    assert not estimated["is_exact"] and desk.state()["clearance"]["is_exact"]
    assert close_passages(np.full(100, 3.0), 7.0)  # the door of what both readings share


def test_ducks_are_part_of_what_makes_the_sound_and_rules_are_not(dipped):
    plan = plan_of(dipped.film)
    key = plan_key(plan)
    dipped.edit("duck-rule", id=dipped.duck, rule={"hold_s": "0.31"})
    dipped.edit("undo")
    assert plan_key(plan_of(dipped.film)) == key
    dipped.edit("duck-rule", id=dipped.duck, rule={"is_frozen": True})
    assert plan_key(plan_of(dipped.film)) == key
    dipped.edit("duck-rule", id=dipped.duck, rule={"is_frozen": False, "depth_db": 7})
    assert plan_key(plan_of(dipped.film)) != key


def test_the_level_path_at_a_moment(dipped):
    path = dipped.get(f"level-path?clip={dipped.score}&at={2 * SECOND}")
    gains = {line["code"]: line["gain_db"] for line in path["lines"]}
    assert gains["stem-duck"] == pytest.approx(-6.0, abs=0.01)
    assert path["recorded_lufs"] + sum(gains.values()) == pytest.approx(path["output_lufs"], abs=0.01)
    fitted = dipped.get(f"level-path?clip={dipped.score}&at={2 * SECOND}&hear=handed-over")
    assert "master-gain" in {line["code"] for line in fitted["lines"]}
    assert (
        dipped.get(f"level-path?clip={dipped.voice}&at={99 * SECOND}")["silent"] == "The playhead is not in this clip."
    )
    dipped.edit("gain", target="clip", id=dipped.score, gain_db=-96)
    assert "clip gain" in dipped.get(f"level-path?clip={dipped.score}&at={2 * SECOND}")["silent"]
    dipped.get("level-path?clip=nobody&at=0", 404)


def test_versions_hold_ducking(dipped, account):
    before = points(dipped)
    kept = save_version(dipped.film, account[0], "dips", dipped.film.revision)
    dipped.edit("duck-remove", id=dipped.duck)
    assert not Duck.objects.exists()
    return_to_version(dipped.film, account[0], kept.pk, dipped.film.revision)
    dipped.film.refresh_from_db()
    assert points(dipped) == before and plan_of(dipped.film).ducks


def test_the_first_balance_is_steps_that_undo_alone(desk):
    desk.edit("gain", target="clip", id=desk.voice, gain_db=-12)
    state = desk.balance()
    run = state["balance_run"]
    assert not run["is_open"] and run["sentence"].startswith("Balanced")
    assert [one["step"] for one in run["steps"]] == ["mend", "clean", "even-out", "stems", "duck", "check", "fit"]
    assert state["clearance"]["passages"] == []
    level = next(step for step in run["steps"] if step["step"] == "even-out")
    assert level["is_in_force"] and "voice" in level["changed_words"][0]
    raised = Clip.objects.get(pk=desk.voice).gain_db
    assert raised > -12
    desk.edit("gain", target="clip", id=desk.voice, gain_db=raised + 1)
    after = desk.edit("step-back", edit_id=level["edit_id"])
    assert Clip.objects.get(pk=desk.voice).gain_db == pytest.approx(-11)  # the later change by hand stays
    assert Duck.objects.count() == len(state["ducks"]) and after["ducks"]
    desk.edit("undo")
    assert Clip.objects.get(pk=desk.voice).gain_db == pytest.approx(raised + 1)


def test_a_phrase_is_left_as_recorded_in_one_press_and_the_next_balance_keeps_it(desk):
    desk.balance()
    clip = Clip.objects.get(pk=desk.voice)
    place = {"id": desk.voice, "start_sample": clip.start_sample + SECOND, "length_samples": SECOND // 2}
    curve = desk.edit("phrase", **place, gain_db=clip.gain_db + 3.0) and Clip.objects.get(pk=desk.voice).curve
    assert max(gain for _, gain in curve) == pytest.approx(3.0)
    desk.balance()
    assert Clip.objects.get(pk=desk.voice).curve == curve and "sentence" in desk.edit(
        "phrase", 404, **place | {"id": 10**9}, gain_db=0.0
    )


def test_sounds_in_dialogue_go_to_a_track_of_effects_in_one_press(desk):
    clip = Clip.objects.get(pk=desk.voice)
    place = {"id": desk.voice, "start_sample": clip.start_sample + SECOND, "length_samples": SECOND // 2}
    desk.edit("sounds-to", places=[place], role="effects")
    (sent,) = Track.objects.get(programme=desk.film, role="effects", name="From dialogue").clips.all()
    assert (sent.start_sample, sent.length_samples) == (place["start_sample"], SECOND // 2)
    assert "sentence" in desk.edit("sounds-to", 404, places=[place], role="effects")


def test_a_first_balance_can_be_undone_as_a_whole(desk):
    before, n = plan_of(desk.film), Edit.objects.filter(state="done").count()
    desk.balance()
    run = desk.state()["balance_run"]
    desk.edit("go-to", edit_id=run["undo_to"])
    assert Edit.objects.filter(state="done").count() == n and desk.state()["balance_run"]["undo_to"] is None
    clear_caches()
    assert plan_of(desk.film) == before
    assert not any(step["is_in_force"] for step in desk.state()["balance_run"]["steps"] if step["edit_id"])


def test_a_first_balance_of_a_part_and_of_chosen_steps(desk):
    state = desk.balance(steps=["even-out", "stems"], from_sample=0, to_sample=SECOND)
    assert [step["step"] for step in state["balance_run"]["steps"]] == ["clean", "even-out"]  # one only offered


def test_a_first_balance_is_refused_with_a_sentence(desk, monkeypatch):
    assert desk.post("first-balance", 400, music="loud", effects="back", ducking="clear", steps=[])["sentence"]
    monkeypatch.setattr(balancing, "start_job", lambda *_, **__: None)
    desk.post("first-balance", music="back", effects="back", ducking="clear", steps=["duck"])
    assert BalanceRun.objects.count() == 1
    Clip.objects.all().delete()
    clear_caches()
    assert (
        "nothing to mix"
        in desk.post("first-balance", 422, music="back", effects="back", ducking="clear", steps=["duck"])["sentence"]
    )


def test_no_speech_no_ducking_and_the_page_says_so(desk):
    Source.objects.filter(programme=desk.film).update(speech=[])
    state = desk.balance()
    assert not state["ducks"] and not state["clearance"]["has_speech"] and not state["clearance"]["passages"]


def test_what_is_said_of_curves_that_changed():
    from recitant_core.gain.ducking import CurveChange

    assert followed_text(followed_facts([CurveChange()])) == ""
    assert followed_text(followed_facts([CurveChange(1, 3, 0, 2)])) == (
        "Ducking followed: 3 dips moved, 1 new, 2 kept as you drew them."
    )
    assert followed_text(followed_facts([CurveChange(n_gone=1)])) == "Ducking followed: 1 dip gone."


def test_what_is_handed_over_gives_way_as_heard_and_its_report_says_so(dipped, after_commit):
    dipped.edit("duck-rule", id=dipped.duck, rule={"room": {"is_on": True}})
    with after_commit(), after_commit():
        delivery = hand_over(dipped.film, [Order(spec_by_id("ebu-r128"))])
    delivery.refresh_from_db()
    folder = Path(settings.MEDIA_ROOT) / delivery.folder
    report = json.loads((folder / "report.json").read_text())
    assert report["ducking"][0]["track"] == "score" and min(db for _, db in report["ducking"][0]["points"]) == -6.0
    assert report["clearance"]["asked_lu"] == 7.0 and report["speech"][0] == [1.0, 3.0]
    assert "Clearance" in (folder / "report.html").read_text()
    written, _ = soundfile.read(folder / "mix-ebu-r128.wav", dtype="int32", always_2d=True)
    blocks = []
    for start in range(0, 8 * SECOND, 100_000):
        length = min(100_000, 8 * SECOND - start)
        sound = dipped.client.get(f"/programmes/{dipped.film.pk}/sound?start={start}&length={length}&hear=handed-over")
        blocks.append(soundfile.read(io.BytesIO(sound.content), dtype="int32", always_2d=True)[0])
    assert np.array_equal(np.concatenate(blocks), written)


def test_rules_of_a_first_balance_follow_what_the_programme_asks_for(desk):
    desk.balance(steps=["even-out", "stems", "duck"], ducking="strong")
    before = [duck["points"] for duck in desk.state()["ducks"]]
    asked = desk.edit("clearance", asked_lu=20, least_s=0.5)
    assert asked["said"].startswith("Ducking followed")
    assert [duck["points"] for duck in asked["ducks"]] != before
    desk.edit("undo")
    assert [duck["points"] for duck in desk.state()["ducks"]] == before


@pytest.fixture
def queued(desk, monkeypatch):
    """A first balance that waits; to be called to carry it out."""
    monkeypatch.setattr(
        balancing,
        "start_job",
        lambda workspace, kind, _payload, **_: Job.objects.create(workspace=workspace, kind=kind),
    )
    choices = {"music": "middle", "effects": "middle", "ducking": "clear", "steps": ["even-out", "stems"]}
    assert desk.post("first-balance", **choices)["balance_run"]["is_open"]
    run = BalanceRun.objects.get()
    return lambda: run_job(run.job_id, lambda _job, progress: run_first_balance(run.pk, progress))


def test_a_page_that_asks_while_a_first_balance_ends_asks_once_more(desk, queued, monkeypatch):
    real = queries.staves
    pending = [queued]

    def levels_late(*given):
        # The balance ends after the page's revision was read and before the answer is complete.
        if pending:
            pending.pop()()
        return real(*given)

    monkeypatch.setattr(queries, "staves", levels_late)
    before = desk.state()
    assert before["balance_run"]["is_open"]
    after = desk.state()
    assert after["revision"] > before["revision"]
    assert not after["balance_run"]["is_open"] and after["balance_run"]["steps"]


def test_a_page_never_shows_an_older_revision_than_the_work_it_saw_ended(desk, queued, monkeypatch):
    real = queries.work_under_way
    pending = [queued]

    def ended_first(programme):
        if pending:
            pending.pop()()
        return real(programme)

    monkeypatch.setattr(queries, "work_under_way", ended_first)
    state = desk.state()
    desk.film.refresh_from_db()
    assert not state["balance_run"]["is_open"] and state["revision"] == desk.film.revision
