"""Tracks and time in order: what is sent, merged, taken out and put in, and what moves with it."""

from dataclasses import replace

import pytest

from recitant_core.errors import EditRefused
from recitant_core.gain.ducking import DuckPoint
from recitant_core.gain.envelope import CurvePoint
from recitant_core.gain.trim import TrimScene
from recitant_core.processors.model import Processor
from recitant_core.timeline.arranging import gap_at, merged_into, parted_out, sent_to_track, with_time, without_time
from recitant_core.timeline.model import Clip, Duck, Plan, Ride, Track
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role

S = 48_000
RIDE = Ride((CurvePoint(5 * S, 0.0), CurvePoint(40 * S, -4.0)))


def clip(name, at_s, length_s, in_s=0, **more):
    return Clip(name, "s", at_s * S, in_s * S, length_s * S, fade_in_samples=240, fade_out_samples=240, **more)


def film():
    return Plan(
        "t",
        "25",
        (
            Track("1", "boom", Role.DIALOGUE, clips=(clip("a", 0, 10), clip("b", 20, 10))),
            Track("2", "lav", Role.DIALOGUE, gain_db=-3.0, clips=(clip("c", 22, 5, group="g"),)),
            Track("3", "bed", Role.MUSIC, clips=(clip("m", 0, 60),), ride=RIDE),
        ),
    )


def places(plan):
    return {
        c.clip_id: (c.start_sample / S, c.in_sample / S, c.length_samples / S) for t in plan.tracks for c in t.clips
    }


def test_clips_are_sent_to_a_track_at_the_same_time():
    plan = sent_to_track(film(), ["b", "c"], "3")
    assert [c.clip_id for c in plan.tracks[2].clips] == ["m", "b", "c"]
    assert [len(t.clips) for t in plan.tracks] == [1, 0, 3] and places(plan) == places(film())
    for ids, track in ((["b", "nobody"], "3"), (["b"], "9")):
        with pytest.raises(EditRefused):
            sent_to_track(film(), ids, track)


def test_stretches_are_parted_out_at_the_same_time_and_level():
    plan = replace(film(), stem_gains_db={Role.MUSIC: 2.0})
    sent = parted_out(
        plan, [("a", SampleSpan(2 * S, S)), ("a", SampleSpan(6 * S, S)), ("c", SampleSpan(22 * S, S))], "3"
    )
    boom, lav, bed = sent.tracks
    assert sorted((c.start_sample / S, c.length_samples / S) for c in boom.clips) == [(0, 2), (3, 3), (7, 3), (20, 10)]
    moved = sorted((c.start_sample / S, c.in_sample / S, c.gain_db) for c in bed.clips if c.clip_id != "m")
    assert moved == [(2, 2, -2.0), (6, 6, -2.0), (22, 0, -5.0)]
    assert [c.start_sample / S for c in lav.clips] == [23]
    ids = [c.clip_id for t in sent.tracks for c in t.clips]
    assert len(set(ids)) == len(ids) and "a" in ids
    for places_, track in (([("z", SampleSpan(0, S))], "3"), ([("a", SampleSpan(50 * S, S))], "3"), ([], "9")):
        with pytest.raises(EditRefused):
            parted_out(plan, places_, track)


def test_merged_tracks_sound_as_they_did():
    plan = merged_into(film(), ["2"], "1")
    assert [(c.clip_id, c.gain_db) for c in plan.tracks[0].clips] == [("a", 0.0), ("b", 0.0), ("c", -3.0)]
    assert plan.tracks[1].clips == ()


@pytest.mark.parametrize(
    "own",
    [{"chain": (Processor("gate"),)}, {"pan": 0.2}, {"is_mono": True}, {"is_out": True}, {"role": Role.MUSIC}],
)
def test_a_track_whose_settings_would_be_lost_is_not_merged(own):
    plan = film()
    plan = replace(plan, tracks=(plan.tracks[0], replace(plan.tracks[1], **own), plan.tracks[2]))
    with pytest.raises(EditRefused) as refused:
        merged_into(plan, ["2"], "1")
    assert refused.value.code == "track_has_settings" and refused.value.facts["name"] == "lav"


def test_the_gap_at_a_place_is_free_on_every_chosen_track():
    assert gap_at(film(), 15 * S, ["1", "2"]) == SampleSpan(10 * S, 10 * S)
    for at, tracks, why in ((15, ["1", "3"], "clip_in_gap"), (5, ["1"], "clip_in_gap"), (70, ["1"], "nothing_behind")):
        with pytest.raises(EditRefused) as refused:
            gap_at(film(), at * S, tracks)
        assert refused.value.code == why


def test_closing_a_gap_moves_what_follows_on_the_chosen_tracks_and_nothing_else():
    plan = without_time(film(), SampleSpan(10 * S, 10 * S), ["1", "2"])
    assert places(plan) == {"a": (0, 0, 10), "b": (10, 0, 10), "c": (12, 0, 5), "m": (0, 0, 60)}
    assert plan.tracks[2] == film().tracks[2]


def test_a_stretch_taken_out_of_all_tracks_cuts_what_lies_over_its_edges():
    plan = without_time(film(), SampleSpan(5 * S, 20 * S), ["1", "2", "3"])
    found = places(plan)
    # a ends where the stretch began, b and c begin where it ended, the bed is in two parts that still join.
    assert found["a"] == (0, 0, 5) and found["b"] == (5, 5, 5) and found["c"] == (5, 3, 2)
    assert found["m"] == (0, 0, 5) and found["new-1"] == (5, 25, 35)
    bed = plan.tracks[2].clips
    assert (bed[0].fade_out_samples, bed[1].fade_in_samples, bed[1].fade_out_samples) == (0, 0, 240)
    assert plan.tracks[2].ride.points == (CurvePoint(20 * S, -4.0),)


def test_curves_of_a_stem_move_only_with_all_its_tracks():
    plan = replace(
        film(),
        stem_trims={Role.DIALOGUE: (TrimScene(0, 0.0), TrimScene(12 * S, 2.0), TrimScene(30 * S, -1.0))},
        ducks=(Duck("d", Role.MUSIC, points=(DuckPoint(12 * S, -6.0, True), DuckPoint(30 * S, 0.0))),),
    )
    gap = SampleSpan(10 * S, 10 * S)
    part = without_time(plan, gap, ["1"])
    assert part.stem_trims == plan.stem_trims and part.ducks == plan.ducks
    whole = without_time(plan, gap, ["1", "2"])
    # The scene that began in the gap goes on where the gap was.
    assert whole.stem_trims[Role.DIALOGUE] == (TrimScene(0, 0.0), TrimScene(10 * S, 2.0), TrimScene(20 * S, -1.0))
    bed = without_time(plan, gap, ["3"])
    assert bed.ducks[0].points == (DuckPoint(20 * S, 0.0),)


def test_an_opened_gap_cuts_what_lies_over_it_and_closing_it_again_sounds_the_same():
    plan = with_time(film(), 25 * S, 4 * S, ["1", "2", "3"])
    found = places(plan)
    assert found["b"] == (20, 0, 5) and found["new-1"] == (29, 5, 5)
    assert found["c"] == (22, 0, 3) and found["new-2"] == (29, 3, 2)
    assert plan.tracks[2].ride.points[1] == CurvePoint(44 * S, -4.0)
    again = without_time(plan, SampleSpan(25 * S, 4 * S), ["1", "2", "3"])
    heard = sorted((c.start_sample, c.in_sample, c.length_samples) for t in again.tracks for c in t.clips)
    assert (
        heard[0] == (0, 0, 10 * S) and (25 * S, 5 * S, 5 * S) in heard and again.tracks[2].ride == film().tracks[2].ride
    )


@pytest.mark.parametrize(
    "edit",
    [
        lambda plan: with_time(plan, 0, 0, ["1"]),
        lambda plan: with_time(plan, 0, -S, ["1"]),
        lambda plan: with_time(plan, 0, 25 * 3600 * S, ["1"]),
        lambda plan: with_time(plan, 0, S, ["9"]),
        lambda plan: without_time(plan, SampleSpan(0, 0), ["1"]),
        lambda plan: without_time(plan, SampleSpan(0, S), []),
    ],
)
def test_a_stretch_of_nothing_is_refused(edit):
    with pytest.raises(EditRefused):
        edit(film())


@pytest.mark.parametrize("ids", [(), ("1",), ("9",), ("1", "9")])
def test_nothing_to_merge_and_tracks_that_are_gone_are_refused(ids):
    plan = Plan("t", "25", (Track("1", "a", Role.DIALOGUE), Track("2", "b", Role.DIALOGUE)))
    with pytest.raises(EditRefused):
        merged_into(plan, ids, "1")
