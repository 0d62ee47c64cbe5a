"""The level path adds up to what is rendered, and says first why something is silent."""

from dataclasses import replace

import numpy as np
import pytest

from recitant_core.dsp.kweighting import KState, k_energies
from recitant_core.errors import RangeError
from recitant_core.gain.duck_rule import DuckKind, DuckRule, LiveKey, Room
from recitant_core.gain.ducking import DuckPoint
from recitant_core.gain.envelope import CurvePoint
from recitant_core.render.level_path import WINDOW_SAMPLES, level_path
from recitant_core.render.mix import render_output
from recitant_core.render.paths import Audibility
from recitant_core.timeline.model import Clip, Duck, Master, Plan, Track
from recitant_core.units.channels import STEREO, Routing
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import lufs_from_power
from recitant_core.units.roles import Role
from signals import MemorySource, programme

SOURCES = {
    "voice": MemorySource("voice", programme(1, 10.0, 1)),
    "music": MemorySource("music", programme(2, 10.0, 2)),
}
CURVE = (CurvePoint(0, 0.0), CurvePoint(300_000, -8.0))
POINTS = (DuckPoint(100_000, 0.0), DuckPoint(120_000, -9.0), DuckPoint(400_000, -9.0))
CLIP = Clip(
    "m", "music", 24_000, 4_800, 400_000, -2.0, 48_000, 96_000, CURVE, routing=Routing.FIRST, dc_offset=(0.01, 0.0)
)
PLAN = Plan(
    "t",
    "25",
    (
        Track("1", "voice", Role.DIALOGUE, clips=(Clip("v", "voice", 96_000, 0, 200_000),)),
        Track("2", "score", Role.MUSIC, -3.5, 0.4, (CLIP,)),
    ),
    {Role.MUSIC: 1.5},
)
DUCKS = {
    "none": (),
    "stem": (Duck("1", Role.MUSIC, "", DuckRule(room=Room(True)), POINTS, POINTS),),
    "track and stem": (Duck("1", None, "2", DuckRule(), POINTS), Duck("2", Role.MUSIC, "", DuckRule(), POINTS)),
    "live": (Duck("1", Role.MUSIC, "", DuckRule(kind=DuckKind.LIVE, live=LiveKey(threshold_dbfs=-60.0))),),
}


def rendered_lufs(plan, at_sample):
    span = SampleSpan(at_sample - WINDOW_SAMPLES // 2, WINDOW_SAMPLES).widen(RATE_HZ // 2, 0)
    audio = render_output(plan, SOURCES, span, Audibility(frozenset({"2"})))
    energy, _ = k_energies(audio, KState.at_rest(STEREO, RATE_HZ))
    return lufs_from_power(float(energy[-40:].sum()) / WINDOW_SAMPLES)


@pytest.mark.parametrize("at_sample", [30_000, 110_000, 200_000, 400_000])
@pytest.mark.parametrize("ducks", sorted(DUCKS))
@pytest.mark.parametrize("master", [Master(), Master(4.0), Master(12.0, -6.0)])
def test_it_adds_up_to_what_is_rendered(at_sample, ducks, master):
    # The limiter hears all tracks and its gain moves within the window: the promise is a tenth of a dB.
    plan = replace(PLAN, ducks=DUCKS[ducks], master=master)
    path = level_path(plan, SOURCES, "m", at_sample)
    assert path.recorded_lufs + sum(line.gain_db for line in path.lines) == pytest.approx(path.output_lufs, abs=1e-6)
    assert path.output_lufs == pytest.approx(rendered_lufs(plan, at_sample), abs=0.1)


def test_fixed_gains_are_what_was_set():
    gains = {line.code: line.gain_db for line in level_path(PLAN, SOURCES, "m", 200_000).lines}
    assert (gains["clip-gain"], gains["track-fader"], gains["stem-fader"]) == (-2.0, -3.5, 1.5)
    assert gains["fade"] == pytest.approx(0.0, abs=1e-6)
    assert gains["curve"] == pytest.approx(-8.0 * (200_000 - 24_000) / 300_000, abs=0.1)


def test_the_order_is_the_order_of_the_sound():
    plan = replace(PLAN, ducks=DUCKS["track and stem"], master=Master(1.0, -1.0))
    codes = [line.code for line in level_path(plan, SOURCES, "m", 200_000).lines]
    assert [code for code in codes if code != "edges"] == [
        "repair", "routing", "clip-gain", "fade", "curve", "track-fader", "track-duck", "stem-fader", "stem-duck",
        "master-gain", "limiter",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("change", "because"),
    [
        ({"gain_db": -96.0}, "clip-gain"),
        ({"curve": (CurvePoint(0, -96.0),)}, "curve"),
        ({"fade_in_samples": 400_000}, ""),
    ],
)
def test_silence_has_a_reason(change, because):
    plan = replace(PLAN, tracks=(PLAN.tracks[0], replace(PLAN.tracks[1], clips=(replace(CLIP, **change),))))
    assert level_path(plan, SOURCES, "m", 200_000).silent_because == because


def test_silence_of_routing_recording_faders_and_ducks():
    one_sided = np.zeros((480_000, 2), np.float32)
    one_sided[:240_000, 1] = programme(3, 5.0, 1)[:, 0]
    sources = {**SOURCES, "music": MemorySource("music", one_sided)}
    plain = replace(CLIP, dc_offset=(), curve=())
    plan = replace(PLAN, tracks=(PLAN.tracks[0], replace(PLAN.tracks[1], clips=(plain,))))
    assert level_path(plan, sources, "m", 150_000).silent_because == "routing"
    assert level_path(plan, sources, "m", 350_000).silent_because == "recording"
    assert level_path(plan, sources, "m", 10_000).silent_because == "outside"
    off = replace(PLAN, tracks=(PLAN.tracks[0], replace(PLAN.tracks[1], gain_db=-96.0)))
    assert level_path(off, SOURCES, "m", 200_000).silent_because == "track-fader"
    assert (
        level_path(replace(PLAN, stem_gains_db={Role.MUSIC: -96.0}), SOURCES, "m", 200_000).silent_because
        == "stem-fader"
    )
    deep = (Duck("1", Role.MUSIC, "", DuckRule(), (DuckPoint(0, -60.0),)),)
    assert level_path(replace(PLAN, ducks=deep), SOURCES, "m", 200_000).silent_because == "stem-duck"


def test_an_unknown_clip_is_refused():
    with pytest.raises(RangeError):
        level_path(PLAN, SOURCES, "nobody", 0)
