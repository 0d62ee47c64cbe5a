"""The path of a stem from its tracks to the bus: one value that mix, meters and estimates read."""

from dataclasses import replace

import pytest

from recitant_core.gain.duck_rule import DuckRule
from recitant_core.gain.ducking import DuckPoint
from recitant_core.gain.envelope import CurvePoint
from recitant_core.gain.trim import TrimScene
from recitant_core.processors.model import Processor
from recitant_core.render.paths import Audibility, StemPath, stem_paths
from recitant_core.timeline.model import Clip, Duck, Plan, Ride, Track
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role

SECOND = RATE_HZ
WINDOW = SampleSpan(100 * SECOND, SECOND)
EQ = Processor("gain").with_values(gain_db=2.0)


def clip(clip_id, at_second=100, **more):
    return Clip(clip_id, "sound", at_second * SECOND, 0, 5 * SECOND, **more)


PLAN = Plan(
    "test",
    "25",
    (
        Track("1", "voice", Role.DIALOGUE, -2.0, 0.0, (clip("a"),)),
        Track("2", "score", Role.MUSIC, -6.0, 0.0, (clip("b"), clip("late", 500))),
        Track("3", "more score", Role.MUSIC, 1.0, 0.0, (clip("c"),)),
        Track("4", "rain", Role.EFFECTS, 0.0, 0.0, (clip("d"),)),
    ),
    {Role.MUSIC: -3.0},
)
DUCK = Duck("1", Role.MUSIC, "", DuckRule(), (DuckPoint(SECOND, -6.0),))


def music(plan, heard=None):
    return StemPath.of(plan, Role.MUSIC, heard or Audibility())


def test_a_path_holds_what_the_plan_sets():
    trim = (TrimScene(0, 1.0), TrimScene(200 * SECOND, -2.0))
    ride = Ride((CurvePoint(0, -1.0),))
    bypassed = replace(EQ, is_bypassed=True)
    plan = replace(
        PLAN,
        ducks=(DUCK,),
        stem_trims={Role.MUSIC: trim},
        stem_chains={Role.MUSIC: (bypassed, EQ)},
        stem_rides={Role.MUSIC: ride},
    )
    path = music(plan)
    assert [track.track_id for track in path.tracks] == ["2", "3"]
    assert (path.gain_db, path.duck, path.chain, path.ride) == (-3.0, DUCK, (EQ,), ride)
    assert path.trim[0].gain_db == 1.0 and path.trim[-1].gain_db == -2.0
    assert not path.is_straight and music(PLAN).is_straight
    assert stem_paths(plan).keys() == {Role.DIALOGUE, Role.MUSIC, Role.EFFECTS}


def test_solo_and_mute_take_tracks_out_of_a_path():
    assert [t.track_id for t in music(PLAN, Audibility(muted_tracks=frozenset({"2"}))).tracks] == ["3"]
    assert music(PLAN, Audibility(only_tracks=frozenset({"1"}))).tracks == ()


def with_track(index, **changes):
    tracks = list(PLAN.tracks)
    tracks[index] = replace(tracks[index], **changes)
    return replace(PLAN, tracks=tuple(tracks))


@pytest.mark.parametrize(
    "plan",
    [
        with_track(1, gain_db=-5.0),
        with_track(1, pan=0.2),
        with_track(1, chain=(EQ,)),
        with_track(2, clips=(clip("c", gain_db=1.0),)),
        replace(PLAN, stem_gains_db={Role.MUSIC: -2.0}),
        replace(PLAN, ducks=(DUCK,)),
        replace(PLAN, stem_trims={Role.MUSIC: (TrimScene(0, 1.0),)}),
        replace(PLAN, stem_chains={Role.MUSIC: (EQ,)}),
        replace(PLAN, stem_rides={Role.MUSIC: Ride((CurvePoint(0, -1.0),))}),
    ],
)
def test_what_moves_a_stem_gives_it_another_identity(plan):
    assert music(plan).identity(WINDOW) != music(PLAN).identity(WINDOW)


@pytest.mark.parametrize(
    "plan",
    [
        with_track(3, gain_db=-20.0),
        with_track(0, gain_db=-20.0),  # speech, but nothing gives way to it
        with_track(1, clips=(clip("b"), clip("late", 501))),
        replace(PLAN, stem_chains={Role.MUSIC: (replace(EQ, is_bypassed=True),)}),
        replace(PLAN, stem_trims={Role.MUSIC: (TrimScene(0, 0.0),)}),
        replace(PLAN, programme_gain_db=3.0),
    ],
)
def test_what_is_heard_elsewhere_leaves_it_its_identity(plan):
    assert music(plan).identity(WINDOW) == music(PLAN).identity(WINDOW)


def test_where_something_gives_way_the_speech_counts():
    ducked, louder = replace(PLAN, ducks=(DUCK,)), replace(with_track(0, gain_db=-20.0), ducks=(DUCK,))
    assert music(ducked).identity(WINDOW) != music(louder).identity(WINDOW)
    stem_up = replace(ducked, stem_gains_db=PLAN.stem_gains_db | {Role.DIALOGUE: 2.0})
    assert music(ducked).identity(WINDOW) != music(stem_up).identity(WINDOW)
