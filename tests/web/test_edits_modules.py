"""The edit queue by itself, and what pages draw before an answer against what the server then answers."""

import json

import pytest

from recitant_web.shared.patches import patch_between

SECOND = 48_000


@pytest.fixture(scope="module")
def run(scripts):
    """Runs a case of edits_cases.js."""
    return scripts("edits_cases.js")


def test_presses_are_carried_out_in_order_each_from_what_stands_there(run):
    found = run("pressed", 7)
    assert found["first"] == 7  # drawn at once, before any answer
    assert (found["value"], found["posts"], found["shown"]) == (7, 7, 7)
    assert found["ends"] and found["isIdle"] and found["refused"] == []


def test_presses_of_one_control_are_joined_and_none_is_lost(run):
    found = run("joined", 10)
    assert (found["value"], found["shown"]) == (10, 10)
    assert 1 <= found["posts"] <= 3


def test_a_press_and_its_opposite_are_nothing(run):
    assert run("thereAndBack") == {"end": None, "value": 0, "posts": 0, "shown": 0, "refused": []}


def test_a_press_is_computed_again_where_somebody_was_faster(run):
    assert run("overtaken") == {"value": 11, "posts": 2, "shown": 11, "refused": []}


def test_after_four_times_it_is_said_and_what_stands_there_is_shown(run):
    found = run("overtakenTooOften")
    assert found == {"end": False, "value": 40, "posts": 4, "shown": 40, "refused": ["stale_revision"]}


def test_what_was_typed_on_sight_of_an_older_state_is_not_forced_on_a_newer_one(run):
    assert run("typedOnSight") == {"end": False, "value": 10, "posts": 1, "shown": 10, "refused": ["stale_revision"]}


def test_a_refusal_takes_only_itself_away(run):
    found = run("refusedInTheMiddle")
    assert found["ends"] == [True, False, True]
    assert (found["value"], found["shown"], found["refused"]) == (2, 2, ["not_a_number"])


def test_nothing_to_do_is_nothing_sent(run):
    assert run("nothingToDo") == {"end": None, "value": 0, "posts": 0, "shown": 0, "refused": []}


def rows(*ids, **more):
    return {"rows": [{"id": one, "gain": 0, "chain": []} for one in ids], **more}


PATCHED = [
    (rows("1", "2", "10"), rows("1", "2", "10")),
    (rows("1", "2", "10"), rows("10", "1")),
    (rows("2"), rows("2", "1", "3", title="new")),
    (rows("1", title="old", inner={"a": 1, "b": [1]}), rows("1", inner={"a": 2, "c": None})),
    (rows("1", "2"), {"rows": [{"id": "1", "gain": -3, "chain": []}, {"id": "2", "gain": 0, "chain": ["gate"]}]}),
    (rows(), rows("5")),
    (rows("5"), rows()),
]


@pytest.mark.parametrize(("before", "after"), PATCHED)
def test_the_page_puts_a_patch_of_the_server_into_its_state(run, before, after):
    found = run("patched", [before, patch_between(before, after)])
    assert found == {"found": after, "isUntouched": True, "isShared": True}


ON_ARRANGE = [
    ("move", {"ids": ["voice"], "by_samples": 3 * SECOND}),
    ("move", {"ids": ["voice"], "by_samples": 30 * SECOND, "by_tracks": 1}),
    ("place", {"ids": ["bang"], "at_sample": 20 * SECOND}),
    ("trim", {"id": "voice", "edge": "start", "by_samples": SECOND}),
    ("trim", {"id": "voice", "edge": "end", "by_samples": -SECOND}),
    ("trim", {"id": "voice", "edge": "end", "by_samples": 900 * SECOND}),
    ("slip", {"id": "voice", "by_samples": -SECOND}),
    ("level", {"ids": ["voice"], "by_db": "−2,5"}),
    ("fade", {"ids": ["voice"], "edge": "out", "length_samples": SECOND, "shape": "smooth"}),
    ("curve", {"ids": ["voice"], "points": [[0, 0], [SECOND, -6]]}),
    ("name", {"ids": ["voice"], "name": "The founder"}),
    ("delete", {"ids": ["bang"], "close_gap": False}),
    ("lock", {"is_locked": True}),
]


@pytest.fixture
def server(signed_in, film, after_commit):
    """What the server answers: a state by its address, and the state of before with one edit."""

    def answer(address, kind=None, **data):
        if kind is not None:
            film.refresh_from_db()
            body = json.dumps({"kind": kind, "revision": film.revision, **data})
            with after_commit(), after_commit():
                posted = signed_in.post(f"/programmes/{film.pk}/arrange/edits", body, "application/json")
            assert posted.status_code == 200, posted.content
        return signed_in.get(f"/programmes/{film.pk}/{address}").json()

    return answer


@pytest.mark.parametrize(("kind", "data"), ON_ARRANGE)
def test_arrange_draws_what_the_server_will_answer(server, run, kind, data):
    before = server("arrange/state")
    ids = {clip["name"]: clip["id"] for clip in before["clips"]}
    data = data | ({"ids": [ids[one] for one in data["ids"]]} if "ids" in data else {})
    data = data | ({"id": ids[data["id"]]} if "id" in data else {})
    drawn = run("arrangeDraws", [before, [{"kind": kind, **data}]])
    after = server("arrange/state", kind, **data)
    shown = {clip["id"]: clip for clip in drawn["clips"]}
    kept = {clip["id"]: clip for clip in after["clips"]}
    assert shown.keys() == kept.keys()
    for clip_id, clip in kept.items():
        for field in ("start", "in", "length", "track", "gain_db", "fade_in", "fade_out", "curve", "name"):
            assert (shown[clip_id].get(field) or None) == (clip.get(field) or None), (field, clip["name"])
    assert drawn["is_picture_locked"] == after["is_picture_locked"]


@pytest.mark.parametrize(
    ("kind", "data"),
    [
        ("gain", {"target": "stem", "id": "music", "gain_db": "−4,5"}),
        ("gain", {"target": "clip", "id": "voice", "gain_db": 3}),
        ("clearance", {"asked_lu": "9,5", "least_s": "0,7"}),
        ("programme-gain", {"gain_db": "−1,5"}),
    ],
)
def test_balance_draws_what_the_server_will_answer(server, run, kind, data):
    before = server("state")
    ids = {clip["name"]: clip["id"] for stave in before["staves"] for clip in stave["clips"]}
    data = data | ({"id": ids[data["id"]]} if data.get("target") == "clip" else {})
    drawn = run("balanceDraws", [before, [{"kind": kind, **data}]])
    after = server("state", kind, **data)
    assert drawn["clearance"]["asked_lu"] == after["clearance"]["asked_lu"]
    assert drawn["clearance"]["least_s"] == after["clearance"]["least_s"]
    for shown, kept in zip(drawn["staves"], after["staves"], strict=True):
        assert shown["gain_db"] == pytest.approx(kept["gain_db"])
        for shown_clip, kept_clip in zip(shown["clips"], kept["clips"], strict=True):
            assert shown_clip["gain_db"] == pytest.approx(kept_clip["gain_db"])
            assert shown_clip["in_mix_lufs"] == pytest.approx(kept_clip["in_mix_lufs"], abs=0.05)


def test_a_press_waits_for_a_server_that_is_away_for_a_moment(run):
    found = run("sentAgain")
    assert found["ends"] == [True, True, True] and found["refused"] == []
    assert (found["value"], found["shown"], found["posts"], found["looks"]) == (3, 3, 4, 4)
    assert len(found["told"]) == 1 and "waits" in found["told"][0]


def test_a_press_whose_answer_was_lost_is_never_carried_out_twice(run):
    found = run("answeredTooLate")
    assert (found["value"], found["shown"], found["posts"]) == (1, 1, 1)
    assert found["end"] is False and found["refused"] == ["away"]  # what stands there is shown


def test_after_twenty_looks_it_is_said(run):
    found = run("awayForGood")
    assert found == {"end": False, "value": 0, "posts": 1, "shown": 0, "refused": ["away"]}
