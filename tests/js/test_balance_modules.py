"""The Balance page's own modules, without its canvas: where things stand, and what pointer and drag mean."""

import numpy as np
import pytest

from recitant_core.gain.ducking import DuckPoint, points_db

SECOND = 48_000
POINTS = (
    DuckPoint(10 * SECOND, 0.0),
    DuckPoint(12 * SECOND, -9.0),
    DuckPoint(26 * SECOND, -9.0, True),
    DuckPoint(30 * SECOND, 0.0),
)


@pytest.fixture(scope="module")
def run(scripts):
    """Runs a case of balance_cases.js."""
    return scripts("balance_cases.js")


def test_the_line_that_is_drawn_is_the_line_that_sounds(run):
    places = [0.0, 10.0, 11.0, 12.0, 20.0, 26.0, 29.0, 31.0]
    expected = points_db(POINTS, np.array(places) * SECOND)
    assert run("gains", places) == pytest.approx(list(expected))


def test_keys_go_from_close_passage_to_close_passage_and_round(run):
    wanted = [[0, 0], [11, 0], [13, 0], [60, 0], [0, 1], [10, 1], [60, 1], [60, -1], [11, -1]]
    assert run("passages", wanted) == [10, 10, 30, 10, 10, 30, 10, 50, 50]
    assert run("noPassage") is None


def test_handles_sit_on_the_dipped_line_and_pinned_ones_are_filled(run):
    handles = run("handles")
    assert [handle["pinned"] for handle in handles] == [False, False, True, False]
    assert handles[0]["x"] == 134 and handles[3]["x"] == 334
    assert handles[2]["y"] > handles[0]["y"]  # lower on the page where less is heard
    assert run("noHandles") == [0, 0]
    assert run("ofTrack") == "7"  # the stem's own before that of one of its tracks


def test_what_is_taken_away_lies_between_two_lines(run):
    assert run("lines") == {"taken": True, "same": True}
    assert run("dragged") is True


def test_two_levels_lie_where_they_are_and_can_be_taken_hold_of_at_the_edge(run):
    found = run("levels")
    assert found["lufs"] == [-27, -35] and found["isLower"] and found["dragged"] == -38
    assert not found["isAim"] and found["even"] == 1  # one level for both is one line
    assert found["hit"] == "level" and found["away"] == "clip"
    assert found["isRaised"] and found["kept"] == [False, True]


def test_the_curve_over_phrases_is_drawn_on_dialogue_alone(run):
    assert run("phrases") == {"rings": 3, "isRaised": True, "music": []}


def test_a_level_that_is_moved_is_an_edit_and_the_one_in_the_open_moves_the_fader(run):
    assert run("levelsMoved", [["open", 2.5], ["under", -3]]) == [[-1.5, -12, 2.5, -12], [-4, -15, 0, -15]]


def test_the_lane_shows_who_speaks_and_marks_only_what_counts(run):
    lane = run("lane")
    assert lane == {"n": 100, "close": 40, "low": True, "high": True, "brackets": 1}
    assert run("quiet") == 0
    assert run("lanePassage") == [True, False]


def test_the_pointer_knows_what_it_is_over(run):
    assert run("hits") == [
        "speech", "speech-edge", "speech-gap", "stave", "clip", "duck-point", "clip", "lane", "ruler", "stem",
    ]  # fmt: skip


def test_an_edge_of_speech_that_moves_marks_what_it_passed(run):
    wanted = [["from", 100, 50], ["from", 100, 150], ["to", 100, 150], ["to", 100, 50], ["to", 100, 100]]
    assert run("edges", wanted) == [
        ["voice", 50, 100, True],
        ["voice", 100, 150, False],
        ["voice", 100, 150, True],
        ["voice", 50, 100, False],
        None,
    ]


def test_a_drag_shows_speech_where_it_will_be(run):
    still, longer, fresh = run("speechDrag")
    assert still == [40, 60] and longer == [60, 60] and fresh == [40, 60, 10]
