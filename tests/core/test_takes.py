"""Takes: what sounds, where its edges lie, what the others keep, and what a new recording does to what was there."""

from dataclasses import replace

import numpy as np
import pytest

from recitant_core.errors import EditRefused
from recitant_core.gain.envelope import CurvePoint
from recitant_core.render.mix import render_mix
from recitant_core.timeline.edits import clips_by_id, move_clips, set_clips, slip_clip, split_clips, trim_clip
from recitant_core.timeline.model import Balanced, Clip, Plan, Track
from recitant_core.timeline.sync import off_samples, tied_here
from recitant_core.timeline.takes import (
    gathered,
    gathered_in_step,
    in_order,
    matched,
    recorded_over,
    shared_samples,
    side_by_side,
    with_take,
    without_take,
)
from recitant_core.units.channels import MONO, Routing
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role

S = 48_000
LENGTHS = {"first": 10 * S, "second": 6 * S, "third": 12 * S, "new": 4 * S}


class Ramp:
    """A recording whose every sample says which it is, by its own rate."""

    layout = MONO

    def __init__(self, key, factor):
        self.key, self.factor, self.length_samples = key, factor, LENGTHS[key]

    def read(self, start, n):
        return ((np.arange(start, start + n) * self.factor) % 1.0).astype(np.float32)[:, None]


SOURCES = {key: Ramp(key, factor) for key, factor in zip(LENGTHS, (1e-6, 3e-6, 7e-6, 1.1e-5), strict=True)}


def clip(name, at_s, length_s, source="first", in_s=0.0, **more):
    return Clip(name, source, round(at_s * S), round(in_s * S), round(length_s * S), name=name, **more)


def plan_of(*clips):
    return Plan("t", "25", (Track("1", "voice", Role.NARRATION, clips=clips),))


def three():
    return plan_of(
        clip("a", 10, 8, in_s=1.0, gain_db=-2.0, curve=(CurvePoint(0, 0.0), CurvePoint(8 * S, -4.0)), group="g"),
        clip("b", 11, 5, "second", in_s=0.5, gain_db=3.0, routing=Routing.FIRST),
        clip("c", 9, 12, "third"),
    )


def held(plan, name="a"):
    return clips_by_id(plan)[name][1]


def sound(plan, from_s, to_s):
    return render_mix(plan, SOURCES, SampleSpan(round(from_s * S), round((to_s - from_s) * S)))


def test_each_take_sounds_as_the_clip_did_that_it_was():
    for order in ("abc", "bca", "cab"):
        one = gathered(three(), list(order))
        assert [take.name for take in in_order(held(one, order[0]))] == list(order)
        assert len(one.tracks[0].clips) == 1
        for index, name in enumerate(order):
            turned = plan_of(with_take(held(one, order[0]), index, LENGTHS))
            was = held(three(), name)
            now = turned.tracks[0].clips[0]
            assert (now.gain_db, now.routing, now.name) == (was.gain_db, was.routing, name)
            assert (now.span, now.in_sample) == (was.span, was.in_sample)


def test_going_back_brings_everything_back():
    one = gathered(three(), ["a", "b", "c"])
    first = held(one)
    there = with_take(with_take(first, 1, LENGTHS), 2, LENGTHS)
    back = with_take(there, 0, LENGTHS)
    assert replace(back, fade_in_samples=0) == first
    assert np.array_equal(sound(plan_of(back), 10, 18), sound(plan_of(held(three())), 10, 18))


def test_takes_follow_moves_trims_and_splits_and_stay_when_the_recording_slips():
    one = gathered(three(), ["a", "b", "c"])

    def second(plan, name="a"):
        return with_take(held(plan, name), 1, LENGTHS)

    before = second(one)
    moved = second(move_clips(one, ["a"], 2 * S))
    assert (moved.start_sample, moved.in_sample) == (before.start_sample + 2 * S, before.in_sample)
    trimmed = second(trim_clip(one, "a", "start", S, LENGTHS))
    assert trimmed.start_sample == 11 * S and trimmed.start_sample - trimmed.in_sample == round(10.5 * S)
    assert second(trim_clip(one, "a", "end", -4 * S, LENGTHS)).span.end_sample == 14 * S
    cut = split_clips(one, ["a"], 13 * S)
    left, right = second(cut), second(cut, "new-0")
    assert left.span.end_sample == 13 * S == right.start_sample
    assert right.in_sample - left.in_sample == left.length_samples
    slipped = second(slip_clip(one, "a", S // 2, LENGTHS))
    assert (slipped.start_sample, slipped.in_sample) == (before.start_sample, before.in_sample)


def test_a_take_that_has_nothing_here_is_refused():
    one = gathered(three(), ["a", "b"])
    late = trim_clip(one, "a", "start", 7 * S, LENGTHS)
    with pytest.raises(EditRefused, match="take_elsewhere"):
        with_take(held(late), 1, LENGTHS)
    with pytest.raises(EditRefused, match="gone"):
        with_take(held(one), 2, LENGTHS)
    for ids, code in ((["a"], "too_few"), (["a", "a"], "too_few"), (["a", "nobody"], "too_few")):
        with pytest.raises(EditRefused, match=code):
            gathered(three(), ids)
    with pytest.raises(EditRefused, match="takes_apart"):
        gathered(plan_of(clip("a", 0, 2), clip("b", 3, 2, "second")), ["a", "b"])


def test_a_first_balance_is_known_after_a_change_of_take():
    plan = plan_of(clip("a", 0, 4, gain_db=-3.0, balanced=Balanced(0.0, -3.0)), clip("b", 0, 4, "second", gain_db=1.0))
    turned = with_take(held(gathered(plan, ["a", "b"])), 1, LENGTHS)
    assert turned.gain_db == 1.0 and turned.balanced == Balanced(4.0, 1.0)


def test_matched_takes_are_as_loud_as_the_one_that_sounds():
    one = held(gathered(three(), ["a", "b", "c"]))
    louder = matched(one, {0: -23.0, 1: -17.5, 2: -30.0})
    gains = [with_take(louder, i, LENGTHS).gain_db for i in range(3)]
    assert gains == [-2.0, 3.0 - 5.5, 0.0 + 7.0]
    assert matched(one, {1: -17.5}) == one and matched(one, {0: -23.0, 1: -17.5}).takes[1] == one.takes[1]


def test_takes_are_dropped_and_laid_side_by_side():
    one = held(gathered(three(), ["b", "a", "c"]), "b")
    assert [t.name for t in in_order(without_take(one, 2))] == ["b", "a"]
    alone = without_take(without_take(one, 1), 1)
    assert alone.takes == () and alone.unfilled == (0, 0) and alone.name == "b"
    with pytest.raises(EditRefused, match="take_sounds"):
        without_take(one, 0)
    turned = with_take(one, 2, LENGTHS)
    assert without_take(turned, 0).take_index == 1
    apart = side_by_side(turned, LENGTHS)
    assert [(c.name, c.is_out, c.takes) for c in apart] == [("b", True, ()), ("a", True, ())]
    assert apart[0].start_sample - apart[0].in_sample == round(10.5 * S)


@pytest.mark.parametrize("is_range", [True, False])
def test_a_sentence_recorded_over_the_middle_is_punched_in(is_range):
    plan = plan_of(clip("a", 0, 10, gain_db=-2.0, speaker="Ada"), clip("b", 20, 5, "second"))
    over = recorded_over(plan, "1", clip("new", 4, 3, "new"), is_range=is_range)
    left, middle, right, other = over.tracks[0].clips
    assert [(c.start_sample / S, c.span.end_sample / S) for c in (left, middle, right)] == [(0, 4), (4, 7), (7, 10)]
    assert (middle.source_key, middle.gain_db, middle.speaker, middle.take_index) == ("new", -2.0, "Ada", 1)
    assert other == clip("b", 20, 5, "second") and len({c.clip_id for c in over.tracks[0].clips}) == 4
    assert left.fade_out_samples == right.fade_in_samples == 240  # neither edge clicks
    old = with_take(middle, 0, LENGTHS)
    assert (old.source_key, old.in_sample, old.gain_db, old.length_samples) == ("first", 4 * S, -2.0, 3 * S)


def test_a_reading_from_the_same_place_is_another_take_of_the_whole():
    plan = plan_of(clip("a", 2, 6, "second", gain_db=-1.0))
    over = recorded_over(plan, "1", clip("new", 2.2, 4, "new"), is_range=False)
    (one,) = over.tracks[0].clips
    assert (one.clip_id, one.name, one.take_index) == ("a", "new", 1)
    assert one.start_sample == round(2.2 * S) and one.length_samples == 4 * S  # as long as it is
    back = with_take(one, 0, LENGTHS)
    assert (back.start_sample, back.length_samples, back.gain_db) == (2 * S, 6 * S, -1.0)
    thrice = recorded_over(over, "1", clip("again", 2, 5, "third"), is_range=False)
    assert [t.name for t in in_order(thrice.tracks[0].clips[0])] == ["a", "new", "again"]


def test_a_recording_over_two_clips_and_a_gap_holds_both():
    plan = plan_of(clip("a", 0, 5), clip("b", 6, 6, "second"))
    over = recorded_over(plan, "1", clip("new", 4, 4, "new"), is_range=True)
    left, middle, right = over.tracks[0].clips
    assert (left.span.end_sample, middle.start_sample, right.start_sample) == (4 * S, 4 * S, 8 * S)
    assert [t.name for t in in_order(middle)] == ["a", "b", "new"]
    assert with_take(middle, 0, LENGTHS).span == SampleSpan(4 * S, S)  # the gap is where it was
    assert with_take(middle, 1, LENGTHS).start_sample == 6 * S


def test_where_nothing_lies_a_recording_is_a_clip_and_what_is_out_of_the_mix_stays():
    plan = plan_of(replace(clip("a", 0, 5), is_out=True))
    over = recorded_over(plan, "1", clip("new", 1, 3, "new"), is_range=True)
    assert [c.source_key for c in over.tracks[0].clips] == ["first", "new"] and not over.tracks[0].clips[1].takes
    with pytest.raises(EditRefused, match="gone"):
        recorded_over(plan, "9", clip("new", 1, 3, "new"), is_range=True)


def test_two_recordings_of_a_moment_become_takes_in_step():
    lengths = {"recorder": 40 * S, "camera": 30 * S}
    recorder = Clip("1", "recorder", 0, 0, 40 * S, name="recorder")
    camera = Clip("2", "camera", 100 * S, 2 * S, 20 * S, name="camera")
    plan = Plan(
        "Casting",
        "25",
        (Track("1", "boom", Role.DIALOGUE, clips=(recorder,)), Track("2", "guide", Role.DIALOGUE, clips=(camera,))),
    )
    assert shared_samples(recorder, camera, 5 * S) == 20 * S and shared_samples(recorder, camera, 60 * S) == 0
    # The camera began 5 s later: its third second is the recorder's eighth, wherever both lay before.
    held = gathered_in_step(plan, ("1", "2"), 5 * S, lengths)
    (clip,) = (clip for track in held.tracks for clip in track.clips)
    assert (clip.name, clip.start_sample, clip.span.end_sample) == ("recorder", 0, 40 * S)
    other = with_take(clip, 1, lengths)
    assert (other.name, other.start_sample - other.in_sample) == ("camera", 5 * S)
    # Tied to the picture, the guide keeps its place and edges; the recorder's sound stands in them, tied as well.
    tied = set_clips(plan, ["2"], lambda one: tied_here(one, 10 * S))
    held = gathered_in_step(tied, ("1", "2"), 5 * S, lengths)
    (clip,) = (clip for track in held.tracks for clip in track.clips)
    assert (clip.name, clip.span) == ("recorder", camera.span) and clip.in_sample == 7 * S
    assert off_samples(clip, 10 * S) == 0 and held.tracks[1].clips
    back = with_take(clip, 0, lengths)
    assert back.name == "camera" and off_samples(back, 10 * S) == 0 and back.in_sample == 2 * S
    with pytest.raises(EditRefused, match="takes_apart"):
        gathered_in_step(plan, ("1", "2"), 60 * S, lengths)
    with pytest.raises(EditRefused, match="too_few_takes"):
        gathered_in_step(plan, ("1", "9"), 5 * S, lengths)
    # What would begin before the programme is cut there.
    near = set_clips(plan, ["2"], lambda one: replace(one, start_sample=3 * S))
    early = gathered_in_step(near, ("2", "1"), -5 * S, lengths)
    (clip,) = (clip for track in early.tracks for clip in track.clips)
    other = with_take(clip, 1, lengths)
    assert clip.name == "camera" and (other.start_sample, other.in_sample) == (0, 4 * S)
