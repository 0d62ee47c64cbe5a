"""Chains: any cut has the bits of the whole, silence stays silent, extremes stay finite, bypassed is untouched."""

import json
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from recitant_core.errors import PlanError
from recitant_core.gain.envelope import CurvePoint
from recitant_core.interchange.plan_json import plan_from_data, plan_to_data
from recitant_core.measure.meter import measure
from recitant_core.processors.chain import chain_reach, through_chain
from recitant_core.processors.kinds import KINDS, PROFILE_BANDS, Stage
from recitant_core.processors.model import (
    MOST_PROCESSORS,
    Processor,
    ValuePoint,
    chain_data,
    chain_from_data,
    in_default_order,
    place_for,
)
from recitant_core.render import segments
from recitant_core.render.estimate import chained_track_key, track_energies
from recitant_core.render.level_path import level_path
from recitant_core.render.mix import render_output, render_segments
from recitant_core.render.segments import forget_segments
from recitant_core.timeline.model import Clip, Master, Plan, Ride, Track
from recitant_core.units.channels import STEREO
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role
from signals import MemorySource, programme

SOURCES = {
    "voice": MemorySource("chains-voice", programme(31, 40.0, 1)),
    "score": MemorySource("chains-score", programme(32, 40.0, 2)),
}
PROFILE = tuple(-60.0 for _ in range(PROFILE_BANDS))


def acting(kind):
    """A processor of this kind that does something to most sounds."""
    values = {
        "equaliser": {"band1_shape": "bell", "band1_gain_db": 6.0, "band5_shape": "high-shelf", "band5_gain_db": -4.0},
        "gain": {"gain_db": -3.0},
        "delay": {"time_ms": 12.5, "mix_percent": 40.0},
        "pitch": {"semitones": 3.0},
        "width": {"width_percent": 150.0},
        "compressor": {"threshold_dbfs": -40.0, "lookahead_ms": 2.0},
        "three-band": {"middle_threshold_dbfs": -50.0},
        "de-esser": {"threshold_dbfs": -60.0},
        "limiter": {"gain_db": 20.0, "ceiling_db": -12.0},
        "gate": {"threshold_dbfs": -25.0},
        "expander": {"threshold_dbfs": -20.0},
    }.get(kind, {})
    return Processor(kind, profile_db=PROFILE if kind == "noise" else ()).with_values(**values)


CLIP_CHAIN = (acting("clicks"), acting("noise"), acting("high-pass"), acting("equaliser"), acting("gate"))
TRACK_CHAIN = (acting("compressor"), acting("de-esser"), acting("delay"))
SWEEP = replace(acting("low-pass"), curves=(("freq_hz", (ValuePoint(0, 16_000.0), ValuePoint(900_000, 500.0))),))
RIDE = Ride((CurvePoint(0, 0.0), CurvePoint(500_000, -9.0), CurvePoint(1_500_000, 2.0)))
PLAN = Plan(
    "chains",
    "25",
    (
        Track(
            "1", "voice", Role.DIALOGUE, -2.0, 0.3,
            (Clip("a", "voice", 30_000, 500, 1_700_000, 1.5, 2_400, 4_800, chain=CLIP_CHAIN),),
            chain=TRACK_CHAIN, ride=replace(RIDE, is_first=True),
        ),
        Track("2", "score", Role.MUSIC, -6.0, 0.0, (Clip("b", "score", 0, 0, 1_900_000),), chain=(SWEEP,), ride=RIDE),
    ),
    {Role.MUSIC: -1.0},
    stem_chains={Role.MUSIC: (acting("three-band"),)},
    stem_rides={Role.DIALOGUE: RIDE},
    master_chain=(acting("equaliser"), acting("limiter")),
)  # fmt: skip


@settings(max_examples=4)
@given(cuts=st.lists(st.integers(1, 1_899_999), max_size=3, unique=True), is_limited=st.booleans())
def test_any_spans_put_end_to_end_equal_the_whole(cuts, is_limited):
    plan = replace(PLAN, master=Master(3.0, -2.0 if is_limited else None))
    forget_segments()
    whole = render_output(plan, SOURCES, plan.span)
    edges = [0, *sorted(cuts), plan.span.length_samples]
    spans = [SampleSpan(a, b - a) for a, b in pairwise(edges)]
    forget_segments()
    parts = {span: render_output(plan, SOURCES, span) for span in reversed(spans)}
    assert np.array_equal(np.concatenate([parts[span] for span in spans]), whole)


@pytest.mark.parametrize("ceiling_dbtp", [None, -3.0])
def test_the_delivery_has_the_bits_of_the_preview(ceiling_dbtp):
    plan = replace(PLAN, master=Master(2.0, ceiling_dbtp))
    delivered = np.concatenate([segment.output for segment in render_segments(plan, SOURCES)])
    forget_segments()
    assert np.array_equal(delivered, render_output(plan, SOURCES, plan.span))


@pytest.mark.parametrize("kind", KINDS)
def test_silence_stays_silent_and_bypassed_is_untouched(kind):
    silence = np.zeros((60_000, 2), np.float32)
    assert not through_chain((acting(kind),), silence, 0).any()
    audio = programme(4, 1.0)
    untouched = through_chain((replace(acting(kind), is_bypassed=True),), audio, 0)
    assert np.array_equal(untouched, audio)
    assert chain_reach((replace(acting(kind), is_bypassed=True),)) == (0, 0)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("end", ["least", "most"])
def test_extremes_stay_finite(kind, end):
    values = {p.name: getattr(p, end) for p in KINDS[kind].parameters if not p.choices}
    values |= {f"band{i}_shape": "bell" for i in range(1, 9)} if kind == "equaliser" else {}
    processor = replace(acting(kind), values=()).with_values(**values)
    rng = np.random.default_rng(7)
    loud = np.concatenate(
        [programme(6, 1.0), rng.choice([-1.0, 1.0], (30_000, 2)).astype(np.float32), np.zeros((9_000, 2), np.float32)]
    )
    for audio in (loud, loud[:, :1].copy()):
        out = through_chain((processor,), audio, 0)
        assert out.dtype == np.float32 and out.shape == audio.shape
        assert np.isfinite(out).all()
        assert np.abs(out).max() < 1e10  # eight bells of 24 dB on one another


@pytest.mark.parametrize("kind", KINDS)
def test_one_segment_from_rest_is_what_a_long_run_gives(kind):
    """The warm-up is long enough: what is made alone differs from one continuous pass by less than -80 dB."""
    processor = acting(kind)
    before, after = chain_reach((processor,))
    audio = programme(8, 14.0)
    whole = through_chain((processor,), audio, 0)
    start = 400 * 512
    end = start + 60_000
    alone = through_chain((processor,), audio[max(0, start - before) : end + after], max(0, start - before))
    offset = start - max(0, start - before)
    difference = alone[offset : offset + 60_000] - whole[start:end]
    assert np.abs(difference).max() < 1e-4 * max(0.1, np.abs(whole).max())


def test_what_is_taken_away_and_what_is_left_are_all_there_was():
    audio = programme(9, 2.0)
    for kind in ("equaliser", "gate", "compressor", "de-esser", "noise", "clicks", "high-pass"):
        left = through_chain((acting(kind),), audio, 0)
        taken = through_chain((replace(acting(kind), outputs_difference=True),), audio, 0)
        assert np.allclose(left + taken, audio, atol=2e-6)


def test_the_three_bands_alone_are_all_there_is():
    audio, three = programme(9, 2.0), acting("three-band")
    alone = [through_chain((replace(three, band_alone=band),), audio, 0) for band in ("low", "middle", "high")]
    assert np.allclose(sum(alone), through_chain((three,), audio, 0), atol=2e-6)
    assert len({np.abs(band).max() for band in alone}) == 3


def test_moving_a_clip_keeps_its_sound():
    track = replace(PLAN.tracks[0], chain=(), ride=Ride(), pan=0.0)
    clip = replace(track.clips[0], fade_in_samples=0, fade_out_samples=0)
    here = Plan("a", "25", (replace(track, clips=(clip,)),))
    there = Plan("b", "25", (replace(track, clips=(replace(clip, start_sample=777_777),)),))
    a = render_output(here, SOURCES, SampleSpan(30_000, 100_000))
    b = render_output(there, SOURCES, SampleSpan(777_777, 100_000))
    assert np.array_equal(a, b)


def test_segments_that_are_kept_stay_within_their_room(monkeypatch):
    monkeypatch.setattr(segments, "MOST_KEPT_BYTES", 20 << 20)
    forget_segments()
    render_output(PLAN, SOURCES, PLAN.span)
    assert segments._kept._bytes <= 20 << 20


def test_chains_survive_their_data():
    chain = (*CLIP_CHAIN, *TRACK_CHAIN, SWEEP, replace(acting("gain"), is_bypassed=True))
    assert chain_from_data(chain_data(chain)) == chain


@pytest.mark.parametrize(
    ("data", "code"),
    [
        ({"kind": "flanger"}, "processor_unknown"),
        ("gain", "processor_unknown"),
        ({"kind": "gain", "values": {"gain_db": 90}}, "processor_number"),
        ({"kind": "gain", "values": {"gain_db": "loud"}}, "processor_number"),
        ({"kind": "gain", "values": {"gain_db": float("nan")}}, "processor_number"),
        ({"kind": "gain", "values": {"gain_db": True}}, "processor_number"),
        ({"kind": "equaliser", "values": {"band1_q": 0.0}}, "processor_number"),
        ({"kind": "compressor", "values": {"ratio": 1000}}, "processor_number"),
        ({"kind": "compressor", "values": {"hears": "fft"}}, "processor_choice"),
        ({"kind": "compressor", "values": {"warmth": 3}}, "processor_field"),
        ({"kind": "compressor", "sidechain": 3}, "processor_field"),
        ({"kind": "gain", "values": [1]}, "processor_field"),
        ({"kind": "gain", "curves": {"gain_db": [[0, 99]]}}, "processor_number"),
        ({"kind": "gain", "curves": {"gain_db": [[0, 1], [0, 2]]}}, "curve_out_of_order"),
        ({"kind": "gain", "curves": {"gain_db": "up"}}, "processor_curve"),
        ({"kind": "limiter", "curves": {"hears": [[0, 1]]}}, "processor_still"),
        ({"kind": "compressor", "curves": {"knee_db": [[0, 1]]}}, "processor_still"),
        ({"kind": "noise", "profile_db": [1, 2]}, "noise_profile"),
    ],
)
def test_what_cannot_be_is_refused_with_its_place(data, code):
    with pytest.raises(PlanError) as refused:
        chain_from_data([{"kind": "gain"}, data], "tracks[0].chain")
    assert refused.value.code == code
    assert str(refused.value.facts["field"]).startswith("tracks[0].chain[1]")


def test_thirty_processors_are_too_many():
    with pytest.raises(PlanError) as refused:
        chain_from_data([{"kind": "gain"}] * 30)
    assert refused.value.facts["most"] == MOST_PROCESSORS


def test_repair_comes_before_tone_before_dynamics_before_space():
    chain = tuple(Processor(kind) for kind in ("reverb", "compressor", "high-pass", "noise"))
    assert [p.kind for p in in_default_order(chain)] == ["noise", "high-pass", "compressor", "reverb"]
    assert place_for(in_default_order(chain), "equaliser") == 2
    # A gate that is added late works before the compressor; a limiter comes last of its stage.
    assert place_for(in_default_order(chain), "gate") == 2 and place_for(in_default_order(chain), "limiter") == 3
    assert place_for((), "reverb") == 0
    assert [stage.value for stage in Stage] == ["repair", "tone", "dynamics", "space"]


def test_a_plan_with_chains_and_rides_survives_json():
    by_file = {f"{key}.wav": source for key, source in SOURCES.items()}
    named = {source.key: f"{key}.wav" for key, source in SOURCES.items()}
    keyed = replace(
        PLAN,
        tracks=tuple(
            replace(t, clips=tuple(replace(c, source_key=SOURCES[c.source_key].key) for c in t.clips))
            for t in PLAN.tracks
        ),
    )
    data = json.loads(json.dumps(plan_to_data(keyed, named)))
    back = plan_from_data(data, by_file)
    assert [t.chain for t in back.tracks] == [t.chain for t in PLAN.tracks]
    assert [t.ride for t in back.tracks] == [t.ride for t in PLAN.tracks]
    assert [c.chain for t in back.tracks for c in t.clips] == [c.chain for t in PLAN.tracks for c in t.clips]
    assert (back.stem_chains, back.stem_rides) == (PLAN.stem_chains, PLAN.stem_rides)
    assert back.master_chain == PLAN.master_chain


def test_the_level_path_has_a_line_for_every_chain_and_ride_and_adds_up():
    path = level_path(PLAN, SOURCES, "a", 600_000)
    codes = [line.code for line in path.lines]
    for earlier, later in pairwise(
        ["clip-chain", "clip-gain", "track-ride", "track-chain", "track-fader", "stem-ride"]
    ):
        assert codes.index(earlier) < codes.index(later)
    assert "master-chain" in codes
    assert path.recorded_lufs + sum(line.gain_db for line in path.lines) == pytest.approx(path.output_lufs, abs=0.01)
    alone = replace(PLAN, tracks=PLAN.tracks[:1])
    clip_path = level_path(alone, SOURCES, "a", 600_000)
    heard = measure(render_output(alone, SOURCES, SampleSpan(590_400, 19_200)), STEREO)
    assert clip_path.output_lufs == pytest.approx(heard.integrated_lufs, abs=0.3)  # one block, unsettled filter


def test_estimates_hold_rides_and_chained_tracks():
    energies = {clip.sound_key: np.ones((4_000, 1)) for track in PLAN.tracks for clip in track.clips}
    plain = track_energies(replace(PLAN, tracks=tuple(replace(t, ride=Ride()) for t in PLAN.tracks)), energies)
    ridden = track_energies(PLAN, energies)
    at = 1_500  # 15 s: 720,000 samples
    expected = np.interp(at * 480 + 240, [p.at_sample for p in RIDE.points], [p.gain_db for p in RIDE.points])
    assert 10 * np.log10(ridden["2"][at] / plain["2"][at]) == pytest.approx(expected, abs=0.01)
    known = track_energies(PLAN, energies | {chained_track_key("2"): np.full(4_000, 5.0)})
    assert 10 * np.log10(known["2"][at] / 5.0) == pytest.approx(-7.0, abs=0.01)  # its fader and its stem's
