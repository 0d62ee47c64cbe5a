"""The Arrange page's own modules, without its canvas: what a gesture shows is what the core then does."""

import random

import pytest

from recitant_core.gain.envelope import CurvePoint
from recitant_core.timeline import edits
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.roles import Role

SECOND = 48_000
LENGTHS = {"s": 60 * SECOND}


@pytest.fixture(scope="module")
def run(scripts):
    """Runs a case of arrange_cases.js."""
    return scripts("arrange_cases.js")


def _data(clip):
    return {
        "start": clip.start_sample,
        "in": clip.in_sample,
        "length": clip.length_samples,
        "curve": [[point.at_sample, point.gain_db] for point in clip.curve],
    }


def _done(clip, kind, by):
    plan = Plan("t", "25", (Track("1", "a", Role.DIALOGUE, clips=(clip,)),))
    match kind:
        case "move":
            after = edits.move_clips(plan, ["1"], by)
        case "slip":
            after = edits.slip_clip(plan, "1", by, LENGTHS)
        case _:
            after = edits.trim_clip(plan, "1", kind.removeprefix("trim-"), by, LENGTHS)
    return _data(after.tracks[0].clips[0])


def test_a_gesture_shows_what_the_core_then_does(run):
    rng = random.Random(3)
    wanted, expected = [], []
    for _ in range(60):
        start, length = rng.randrange(10 * SECOND, 20 * SECOND), rng.randrange(4 * SECOND, 9 * SECOND)
        curve = tuple(CurvePoint(at, float(-n)) for n, at in enumerate(sorted(rng.sample(range(length), 3))))
        clip = Clip("1", "s", start, SECOND, length, curve=curve)
        kind, by = rng.choice(["move", "trim-start", "trim-end", "slip"]), rng.randrange(-SECOND // 2, SECOND // 2)
        wanted.append([_data(clip), kind, by])
        expected.append(_done(clip, kind, by))
    for shown, core in zip(run("effective", wanted), expected, strict=True):
        assert {k: shown[k] for k in ("start", "in", "length")} == {k: core[k] for k in ("start", "in", "length")}
        inside = [point for point in core["curve"] if 0 <= point[0] <= core["length"]]
        assert [point for point in shown["curve"] if 0 <= point[0] <= shown["length"]] == inside


def test_snapping_takes_the_nearest_edge_and_nothing_out_of_reach(run):
    found = run("snapped", [[[0], 95, 10], [[0, 50], 105, 10], [[0], 130, 10], [[0], 95, -1]])
    assert [(one["by"], one["at"]) for one in found] == [(100, 100), (100, 100), (130, None), (95, None)]


def test_speech_starts_clip_edges_and_markers_are_places_to_snap_to(run):
    places = set(run("places"))
    assert {0, 5, 7, 96_000, 192_000, 96_000 + 60_000 - 48_000} <= places
    assert 400_000 not in places  # what is dragged is no place to snap to


def test_the_view_never_leaves_the_programme(run):
    found = run("views")
    for view in found["views"]:
        assert 0 <= view["start"] < view["end"] <= found["longest"] + 1


def test_groups_and_hidden_tracks(run):
    assert run("groups") == {"group": ["1", "2"], "all": 3, "shown": ["1", "3"], "under": ["2"]}


def test_a_delta_changes_adds_and_removes(run):
    assert run("delta") == {"clips": ["1", "3"], "selected": ["1"], "revision": 2, "key": "n"}


def test_a_gain_stands_where_it_is_grabbed(run):
    levels = [12, 3.5, 0, -6, -20, -36]
    assert run("gains", levels) == pytest.approx(levels, abs=0.05)


def test_what_lies_under_the_pointer(run):
    assert run("hits") == {
        "ruler": ["ruler", None],
        "body": ["clip", "1"],
        "edge": ["trim-start", "1"],
        "upper": ["clip", "2"],
        "lane": ["lane", None],
        "point": ["point", "1"],
        "below": ["lane", None],
        "nothing": ["nothing", None],
    }


def test_outlines_come_in_the_level_that_fits(run):
    assert run("levels", [1, 15, 200, 3_000, 50_000, 1e6]) == [16, 16, 256, 4_096, 65_536, 65_536]
