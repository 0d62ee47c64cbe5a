"""Edits of a timeline: what each does, what it leaves alone, and what it refuses."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from recitant_core.errors import EditRefused, MalformedRequest
from recitant_core.gain.envelope import CurvePoint, FadeShape, curve_db
from recitant_core.render.mix import render_mix
from recitant_core.timeline import curve_edits, edits
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role
from signals import MemorySource, programme

SECOND = 48_000
LENGTHS = {"a": 10 * SECOND, "b": 10 * SECOND}


def plan(*clips, second=()):
    tracks = (Track("1", "one", Role.DIALOGUE, clips=clips), Track("2", "two", Role.MUSIC, clips=tuple(second)))
    return Plan("t", "25", tracks)


def clip(clip_id, start_s, length_s=2.0, in_s=1.0, **more):
    return Clip(clip_id, "a", round(start_s * SECOND), round(in_s * SECOND), round(length_s * SECOND), **more)


def of(found, clip_id):
    return edits.clips_by_id(found)[clip_id][1]


def test_a_move_keeps_all_but_the_place():
    before = plan(clip("1", 1), clip("2", 5))
    after = edits.move_clips(before, ["1"], SECOND)
    assert of(after, "1") == replace(of(before, "1"), start_sample=2 * SECOND)
    assert of(after, "2") is of(before, "2")


def test_a_move_to_another_track_takes_only_what_was_grabbed():
    before = plan(clip("1", 1, group="g"), clip("2", 5, group="g"))
    after = edits.move_clips(before, ["1"], SECOND, 1)
    assert [track.track_id for track, _ in edits.clips_by_id(after).values()] == ["1", "2"]
    assert of(after, "2").start_sample == 6 * SECOND  # its group moves along in time


def test_groups_move_as_one():
    before = plan(clip("1", 1, group="g"), clip("2", 5), second=[clip("3", 2, group="g")])
    after = edits.move_clips(before, ["1"], -SECOND)
    assert [of(after, i).start_sample for i in "123"] == [0, 5 * SECOND, SECOND]


def test_places_outside_are_refused():
    before = plan(clip("1", 1))
    with pytest.raises(EditRefused, match="before_start"):
        edits.move_clips(before, ["1"], -SECOND - 1)
    with pytest.raises(EditRefused, match="past_longest"):
        edits.move_clips_to(before, ["1"], 24 * 3600 * SECOND)
    with pytest.raises(EditRefused, match="off_the_tracks"):
        edits.move_clips(before, ["1"], 0, -1)
    with pytest.raises(EditRefused, match="gone"):
        edits.move_clips(before, ["9"], 0)
    with pytest.raises(EditRefused, match="gone"):
        edits.move_clips(before, [], 0)


def test_a_trim_moves_an_edge_and_not_the_sound():
    before = plan(clip("1", 3))
    later = of(edits.trim_clip(before, "1", "start", SECOND // 2, LENGTHS), "1")
    assert later.start_sample - later.in_sample == 2 * SECOND
    assert later.length_samples == 3 * SECOND // 2
    whole = of(edits.trim_clip(before, "1", "start", -99 * SECOND, LENGTHS), "1")
    assert whole.in_sample == 0 and whole.start_sample == 2 * SECOND  # no farther than the recording goes
    longest = of(edits.trim_clip(before, "1", "end", 99 * SECOND, LENGTHS), "1")
    assert longest.in_sample + longest.length_samples == LENGTHS["a"]
    shortest = of(edits.trim_clip(before, "1", "end", -99 * SECOND, LENGTHS), "1")
    assert shortest.length_samples == edits.LEAST_CLIP_SAMPLES


def test_a_slip_moves_the_sound_and_not_the_clip():
    before = plan(clip("1", 3))
    after = of(edits.slip_clip(before, "1", SECOND // 4, LENGTHS), "1")
    assert (after.start_sample, after.length_samples) == (3 * SECOND, 2 * SECOND)
    assert after.in_sample == 3 * SECOND // 4
    assert of(edits.slip_clip(before, "1", -99 * SECOND, LENGTHS), "1").in_sample == 8 * SECOND


curves = st.lists(st.tuples(st.integers(0, 2 * SECOND), st.floats(-30, 12)), max_size=5, unique_by=lambda p: p[0])


@settings(max_examples=40)
@given(at=st.integers(SECOND, 3 * SECOND), points=curves)
def test_a_split_changes_nothing_that_sounds(at, points):
    curve = tuple(CurvePoint(*p) for p in sorted(points))
    before = plan(clip("1", 1, fade_in_samples=9_600, fade_out_samples=4_800, curve=curve))
    sources = {"a": MemorySource("a", programme(4, 10.0))}
    span = SampleSpan(0, 4 * SECOND)
    try:
        after = edits.split_clips(before, ["1"], at)
    except EditRefused:
        assert at - SECOND < 48 or 3 * SECOND - at < 48
        return
    pieces = after.tracks[0].clips
    # A cut inside a fade ends the fade there; elsewhere every sample stays.
    if SECOND + 9_600 <= at <= 3 * SECOND - 4_800:
        assert np.abs(render_mix(after, sources, span) - render_mix(before, sources, span)).max() < 1e-6
    assert pieces[0].length_samples + pieces[1].length_samples == 2 * SECOND
    assert pieces[1].clip_id.startswith(edits.NEW)


def test_a_split_where_nothing_lies_is_refused():
    with pytest.raises(EditRefused, match="nothing_to_split"):
        edits.split_clips(plan(clip("1", 1)), ["1"], 0)


def test_a_gap_is_left_or_closed():
    before = plan(clip("1", 0), clip("2", 2), clip("3", 5), second=[clip("4", 6)])
    left = edits.delete_clips(before, ["2"], close_gap=False)
    assert [c.clip_id for c in left.tracks[0].clips] == ["1", "3"]
    closed = edits.delete_clips(before, ["2"], close_gap=True)
    assert of(closed, "3").start_sample == 3 * SECOND
    assert of(closed, "4").start_sample == 6 * SECOND  # another track stays


def test_copies_begin_where_they_are_laid_and_form_groups_of_their_own():
    before = plan(clip("1", 1, group="g"), second=[clip("2", 2, group="g")])
    known = edits.clips_by_id(before)
    laid = [(track.track_id, one) for track, one in known.values()]
    after = edits.copy_clips(before, laid, 20 * SECOND)
    made = [c for track in after.tracks for c in track.clips if c.clip_id.startswith(edits.NEW)]
    assert [c.start_sample for c in made] == [20 * SECOND, 21 * SECOND]
    assert len({c.group for c in made}) == 1 and made[0].group != "g"
    with pytest.raises(EditRefused, match="nothing_copied"):
        edits.copy_clips(before, [], 0)


def test_both_fades_fit_into_a_clip():
    one = clip("1", 0, 1.0, fade_out_samples=SECOND // 2)
    assert edits.faded(one, "in", 99 * SECOND, None).fade_in_samples == SECOND // 2
    assert edits.faded(one, "out", -5, FadeShape.SMOOTH).fade_out_samples == 0


def test_gain_has_limits():
    assert (
        edits.levelled(clip("1", 0), -2.345).gain_db == -2.35 or edits.levelled(clip("1", 0), -2.345).gain_db == -2.34
    )
    with pytest.raises(EditRefused, match="gain_out_of_range"):
        edits.levelled(clip("1", 0), 30.0)


def test_moving_a_point_leaves_the_level_elsewhere_untouched():
    one = clip("1", 0, 8.0, curve=(CurvePoint(4 * SECOND, -6.0),))
    after = curve_edits.curve_point_moved(one, 0, 4 * SECOND, -20.0)
    far = np.array([0.0, 3.4 * SECOND, 4.6 * SECOND, 8.0 * SECOND])
    assert curve_db(after.curve, far) == pytest.approx([-6.0] * 4)
    assert curve_db(after.curve, np.array([4.0 * SECOND])) == pytest.approx([-20.0])
    between = clip("1", 0, 8.0, curve=(CurvePoint(0, 0.0), CurvePoint(SECOND, -3.0), CurvePoint(8 * SECOND, 0.0)))
    after = curve_edits.curve_point_moved(between, 1, 99 * SECOND, -3.0)
    assert after.curve[1].at_sample == 8 * SECOND - 1  # never past its neighbour
    with pytest.raises(EditRefused):
        curve_edits.curve_point_moved(one, 3, 0, 0.0)


def test_a_new_point_changes_no_level_and_a_drawn_line_none_outside():
    one = clip("1", 0, 8.0, curve=(CurvePoint(0, 0.0), CurvePoint(8 * SECOND, -8.0)))
    added = curve_edits.curve_point_added(one, 3 * SECOND)
    places = np.linspace(0, 8 * SECOND, 50)
    assert curve_db(added.curve, places) == pytest.approx(curve_db(one.curve, places), abs=0.01)
    assert curve_edits.curve_point_added(clip("1", 0), SECOND).curve == (CurvePoint(SECOND, 0.0),)
    drawn = curve_edits.curve_drawn(one, [(3 * SECOND, -20.0), (4 * SECOND, 6.0)])
    outside = np.array([0.0, 2.9 * SECOND, 4.1 * SECOND, 8.0 * SECOND])
    assert curve_db(drawn.curve, outside) == pytest.approx(curve_db(one.curve, outside), abs=0.02)
    assert curve_db(drawn.curve, np.array([3.0 * SECOND, 4.0 * SECOND])) == pytest.approx([-20.0, 6.0])
    with pytest.raises(MalformedRequest):
        curve_edits.curve_drawn(one, [])


def test_points_move_with_the_clip_and_come_back_after_a_trim():
    one = clip("1", 3, 4.0, curve=(CurvePoint(0, 0.0), CurvePoint(SECOND, -10.0), CurvePoint(3 * SECOND, 0.0)))
    before = plan(one)
    shorter = edits.trim_clip(before, "1", "start", 2 * SECOND, LENGTHS)
    trimmed = of(shorter, "1")
    assert curve_db(trimmed.curve, np.array([0.0])) == pytest.approx(curve_db(one.curve, np.array([2.0 * SECOND])))
    back = of(edits.trim_clip(shorter, "1", "start", -2 * SECOND, LENGTHS), "1")
    assert curve_db(back.curve, np.array([1.5 * SECOND])) == pytest.approx(
        curve_db(one.curve, np.array([1.5 * SECOND]))
    )


def test_a_curve_is_cleared_for_a_range():
    one = clip("1", 0, 4.0, curve=tuple(CurvePoint(n * SECOND, -float(n)) for n in range(4)))
    assert [p.at_sample for p in curve_edits.curve_cleared(one, SampleSpan(SECOND, 2 * SECOND)).curve] == [
        0,
        3 * SECOND,
    ]


def test_overlaps_become_crossfades_over_their_whole_length():
    before = plan(clip("1", 0), clip("2", 3))
    moved = edits.move_clips(before, ["2"], -3 * SECOND // 2)
    after = edits.crossfaded(moved, {"2"}, lambda _a, _b: FadeShape.EQUAL_GAIN)
    assert of(after, "1").fade_out_samples == of(after, "2").fade_in_samples == SECOND // 2
    assert of(after, "2").fade_in_shape is FadeShape.EQUAL_GAIN
    untouched = edits.crossfaded(moved, set(), lambda _a, _b: FadeShape.SMOOTH)
    assert untouched == moved


def test_both_sides_of_a_crossfade_get_one_shape():
    before = plan(clip("1", 0), clip("2", 1))
    after = edits.crossfade_shaped(before, "1", "2", FadeShape.SMOOTH)
    assert of(after, "1").fade_out_shape is of(after, "2").fade_in_shape is FadeShape.SMOOTH
    with pytest.raises(EditRefused, match="no_crossfade"):
        edits.crossfade_shaped(plan(clip("1", 0), clip("2", 3)), "1", "2", FadeShape.SMOOTH)


def test_a_crossfade_of_one_sound_with_itself_keeps_its_level():
    """Common practice: equal gain for related sides; the joined sound is the sound itself."""
    audio = programme(7, 10.0)
    first, second = clip("1", 0, 4.0, 0.0), clip("2", 3, 4.0, 3.0)
    joined = edits.crossfaded(plan(first, second), {"2"}, lambda _a, _b: FadeShape.EQUAL_GAIN)
    out = render_mix(joined, {"a": MemorySource("a", audio)}, SampleSpan(0, 7 * SECOND))
    assert np.abs(out - audio[: 7 * SECOND]).max() < 1e-4


@given(st.integers(0, 9_000), st.integers(48, 9_000), st.integers(0, 9_000), st.integers(0, 9_000))
def test_no_fade_is_longer_than_what_is_left_of_its_clip(first, length, fade_in, fade_out):
    whole = Clip("1", "a", 0, 0, 18_000, fade_in_samples=fade_in, fade_out_samples=fade_out)
    cut = edits.cut_clip(whole, first, first + length)
    assert cut.length_samples == length
    assert cut.fade_in_samples == min(fade_in, length) and cut.fade_out_samples == min(fade_out, length)


@given(st.lists(st.tuples(st.integers(0, 60), st.integers(1, 20), st.booleans()), min_size=2, max_size=8))
def test_closing_a_gap_never_pushes_clips_over_each_other(laid):
    clips = [Clip(str(i), "a", at, 0, length) for i, (at, length, _) in enumerate(laid)]
    gone = [c.clip_id for c, (_, _, is_gone) in zip(clips, laid, strict=True) if is_gone]
    before = Plan("p", "25", (Track("1", "one", Role.DIALOGUE, clips=tuple(clips)),))
    if not gone:
        return
    after = {c.clip_id: c for c in edits.delete_clips(before, gone, close_gap=True).tracks[0].clips}
    kept = [c for c in clips if c.clip_id not in gone]
    assert after.keys() == {c.clip_id for c in kept}
    for one in kept:
        assert 0 <= after[one.clip_id].start_sample <= one.start_sample
        for other in kept:
            # Two that did not lie over each other do not afterwards.
            if one.span.end_sample <= other.start_sample:
                assert after[one.clip_id].span.end_sample <= after[other.clip_id].start_sample


def test_moving_the_first_of_several_points_changes_nothing_before_it():
    points = (CurvePoint(3 * SECOND, -6.0), CurvePoint(5 * SECOND, -6.0), CurvePoint(7 * SECOND, 0.0))
    after = curve_edits.curve_point_moved(clip("1", 0, 8.0, curve=points), 0, 3 * SECOND, -12.0)
    assert curve_db(after.curve, np.array([0.0, 2.5, 3.0, 5.0, 7.0]) * SECOND) == pytest.approx([-6, -6, -12, -6, 0])


def test_a_line_that_is_drawn_replaces_the_points_under_it_alone():
    one = clip("1", 0, 8.0, curve=tuple(CurvePoint(n * SECOND, -float(n)) for n in range(8)))
    drawn = curve_edits.curve_drawn(one, [(2 * SECOND, -20.0), (4 * SECOND, -20.0)])
    assert curve_db(drawn.curve, np.array([2.0, 3.0, 4.0]) * SECOND) == pytest.approx([-20.0] * 3)
    outside = np.array([0.0, 1.0, 5.0, 6.0, 7.0]) * SECOND
    assert curve_db(drawn.curve, outside) == pytest.approx([0, -1, -5, -6, -7])


def test_a_stretch_that_is_raised_from_the_very_start_of_a_clip_is_raised_there():
    one = clip("1", 2, 8.0)
    raised = curve_edits.stretch_raised(one, SampleSpan(0, 3 * SECOND), 4.0)
    assert curve_db(raised.curve, np.array([0.0, 0.9 * SECOND, 2.0 * SECOND])) == pytest.approx([4.0, 4.0, 0.0])


def test_a_part_of_a_clip_has_no_fade_longer_than_itself():
    one = clip("1", 0, 8.0, fade_in_samples=3 * SECOND, fade_out_samples=2 * SECOND)
    part = edits.cut_clip(one, SECOND, 2 * SECOND)
    assert (part.length_samples, part.fade_in_samples, part.fade_out_samples) == (SECOND, SECOND, SECOND)


def test_closing_a_gap_never_lays_a_clip_over_one_that_reaches_into_it():
    # "long" lies on over the gap that "gone" leaves: what follows comes forward to its end and no farther.
    clips = (clip("long", 0, 6.0), clip("gone", 2, 4.0), clip("next", 7, 2.0))
    plan = Plan("t", "25", (Track("1", "a", Role.DIALOGUE, clips=clips),))
    left = {c.clip_id: c for c in edits.delete_clips(plan, ["gone"], close_gap=True).tracks[0].clips}
    assert left["next"].start_sample == left["long"].span.end_sample == 6 * SECOND


def test_moving_a_last_point_in_time_alone_adds_none():
    points = (CurvePoint(2 * SECOND, -6.0), CurvePoint(5 * SECOND, -3.0))
    after = curve_edits.curve_point_moved(clip("1", 0, 8.0, curve=points), 1, 6 * SECOND, -3.0)
    assert after.curve == (points[0], CurvePoint(6 * SECOND, -3.0))
    before = curve_edits.curve_point_moved(clip("1", 0, 8.0, curve=points), 0, SECOND, -6.0)
    assert before.curve == (CurvePoint(SECOND, -6.0), points[1])


def test_a_line_that_is_drawn_from_the_first_sample_begins_there():
    drawn = curve_edits.curve_drawn(clip("1", 0, 8.0), [(-SECOND, -20.0), (SECOND, -20.0)])
    assert drawn.curve[0] == CurvePoint(0, -20.0)


@pytest.mark.parametrize("edge", ["in", "out"])
def test_a_fade_takes_a_shape_that_is_named_and_keeps_its_own_otherwise(edge):
    name = f"fade_{edge}_shape"
    drawn = edits.faded(clip("1", 0), edge, SECOND // 2, FadeShape.EQUAL_GAIN)
    assert getattr(drawn, name) is FadeShape.EQUAL_GAIN and getattr(drawn, f"fade_{edge}_samples") == SECOND // 2
    assert getattr(edits.faded(drawn, edge, SECOND // 4, None), name) is FadeShape.EQUAL_GAIN


def test_a_point_never_passes_the_next_one():
    points = tuple(CurvePoint(n * SECOND, -3.0) for n in (1, 2, 3))
    one = clip("1", 0, 8.0, curve=points)
    moved = [curve_edits.curve_point_moved(one, n, 7 * SECOND, -3.0).curve[n].at_sample for n in range(3)]
    assert moved == [2 * SECOND - 1, 3 * SECOND - 1, 7 * SECOND]
    back = [curve_edits.curve_point_moved(one, n, 0, -3.0).curve[n].at_sample for n in range(3)]
    assert back == [0, SECOND + 1, 2 * SECOND + 1]
