"""Two levels, trims, accepted passages and the programme gain as edits: what they change, that they come back."""

import json

import pytest

from recitant_web.desk.models import Clip, Stem
from recitant_web.programme.models import Source

SECOND = 48_000
SPEECH = [[SECOND, 2 * SECOND, 0.9], [220_800, SECOND, 0.8]]


@pytest.fixture
def post(signed_in, film, after_commit):
    """Sends an edit of the Balance page; the state that came back, or the refusal."""
    Source.objects.filter(programme=film, role="dialogue").update(speech=SPEECH, is_listened=True)

    def send(kind, status=200, path="edits", **more):
        film.refresh_from_db()
        body = json.dumps({"revision": film.revision, **({"kind": kind} if kind else {}), **more})
        with after_commit(), after_commit():
            answer = signed_in.post(
                f"/programmes/{film.pk}/{path}", body, "application/json", headers={"accept": "application/json"}
            )
        assert answer.status_code == status, answer.content
        return answer.json()

    send.state = lambda: signed_in.get(f"/programmes/{film.pk}/state").json()
    return send


def stave(state, role):
    return next(one for one in state["staves"] if one["role"] == role)


def duck(state, role="music"):
    return next(one for one in state["ducks"] if one["role"] == role)


def test_giving_way_by_hand_begins_with_two_levels_and_both_can_be_set(post):
    state = post("duck-add", target="stem", id="music")
    assert duck(state)["rule"]["aim"] == "levels" and stave(state, "music")["lines"]["open_lufs"] == -27.0
    fader = stave(state, "music")["gain_db"]
    state = post("stem-levels", id=duck(state)["id"], open_lu="−6", under_lu=-16)
    lines = stave(state, "music")["lines"]
    assert (lines["open_lufs"], lines["under_lufs"]) == (-29.0, -39.0)
    assert stave(state, "music")["gain_db"] == fader - 2.0  # the level in the open is the fader's
    assert "−29.0 and −39.0 LUFS" in state["undo"]
    state = post("undo")
    assert stave(state, "music")["gain_db"] == fader and duck(state)["rule"]["under_lu"] == -12.0
    state = post("duck-rule", id=duck(state)["id"], rule={"aim": "depth", "depth_db": 6})
    assert stave(state, "music")["lines"] is None
    post("stem-levels", 404, id=duck(state)["id"], open_lu=-4, under_lu=-12)


def test_a_scene_can_be_trimmed_and_left_as_it_came(post):
    state = post("trim-scene", role="music", start_sample=3 * SECOND, gain_db="−4")
    assert stave(state, "music")["trim"] == [[3 * SECOND, -4.0, True]]
    before = stave(state, "music")["clips"][0]["in_mix_lufs"]
    assert before is not None
    state = post("trim-scene", role="music", start_sample=3 * SECOND, gain_db=0)
    assert stave(state, "music")["trim"] == [[3 * SECOND, 0.0, True]] and stave(state, "music")["trim_points"] == []
    assert "between" in post("trim-scene", 409, role="music", start_sample=0, gain_db=99)["sentence"]
    post("undo")
    post("undo")
    assert stave(post.state(), "music")["trim"] == []


def test_the_programme_gain_turns_everything_and_is_in_every_reading(post):
    was = post.state()
    state = post("programme-gain", gain_db="+3")
    for role in ("dialogue", "music"):
        old, new = stave(was, role)["clips"][0], stave(state, role)["clips"][0]
        assert new["in_mix_lufs"] == pytest.approx(old["in_mix_lufs"] + 3.0)
        assert new["recorded_lufs"] == pytest.approx(old["recorded_lufs"]) and new["gain_db"] == old["gain_db"]
    figures = [figure for one in (was, post.state()) for figure in one["findings"]]
    loud = [figure["measured"] for figure in figures if figure["key"] == "integrated_lufs"]
    assert loud[1] == pytest.approx(loud[0] + 3.0, abs=0.05)
    close = [[passage["least_lu"] for passage in one["clearance"]["passages"]] for one in (was, state)]
    assert close[0] == close[1]  # nothing stands otherwise against anything else
    assert post("programme-gain", 409, gain_db="loud")["sentence"]
    assert post("undo")["programme_gain_db"] == 0.0


def test_a_close_passage_can_be_accepted_moves_with_its_clip_and_counts_again(post, film):
    passage = post.state()["clearance"]["passages"][0]
    where = {name: passage[name] for name in ("start_sample", "length_samples")}
    state = post("cure", code="accept", target_id="0", by_db=0, **where)
    assert [one["start_sample"] for one in state["clearance"]["accepted"]] == [passage["start_sample"]]
    assert passage["start_sample"] not in [one["start_sample"] for one in state["clearance"]["passages"]]
    assert Clip.objects.get(name="voice").accepted
    state = post("unaccept", **where)
    assert state["clearance"]["accepted"] == [] and len(state["clearance"]["passages"]) > 0


@pytest.mark.parametrize("code", ["raise-phrase", "trim-scene", "make-room"])
def test_every_cure_that_is_offered_can_be_taken(post, code):
    if code == "make-room":
        post("duck-add", target="stem", id="music", start="talk-over-bed")
        post("gain", target="stem", id="music", gain_db=20)
    found = [
        (passage, cure)
        for passage in post.state()["clearance"]["passages"]
        for cure in passage["cures"]
        if cure["code"] == code
    ]
    passage, cure = found[0]
    before = post.state()["revision"]
    state = post(
        "cure",
        code=code,
        target_id=cure["target_id"],
        by_db=cure["by_db"],
        start_sample=passage["start_sample"],
        length_samples=passage["length_samples"],
    )
    assert state["said"].startswith("Checked") and state["revision"] > before


def test_a_first_balance_run_twice_writes_nothing_the_second_time_and_keeps_a_hand_made_fader(post):
    choices = {"music": "middle", "effects": "middle", "ducking": "clear", "leads": "found-out"}
    steps = ["mend", "even-out", "stems", "duck", "check", "fit"]
    post(None, path="first-balance", **choices, steps=steps)
    first = post.state()
    assert first["judgement"] and Stem.objects.get(role="music").balanced is not None
    post(None, path="first-balance", **choices, steps=steps)
    again = post.state()
    assert again["revision"] == first["revision"]  # not one step
    post("gain", target="stem", id="effects", gain_db=-11)
    post(None, path="first-balance", **choices, steps=steps)
    kept = post.state()
    assert stave(kept, "effects")["gain_db"] == -11.0
    words = [words for step in kept["balance_run"]["steps"] for words in step["changed_words"]]
    assert "Effects stem: fader kept as you set it" in words
