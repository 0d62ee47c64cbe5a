"""Giving way as it sounds: gains that are what the curve says, live keys, room in the spectrum, and any cut's bits."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
import scipy.signal
from hypothesis import given, settings
from hypothesis import strategies as st

from recitant_core.dsp.bell import band_hop_energies, bell_db, bell_window, with_bell
from recitant_core.errors import RangeError
from recitant_core.gain.duck_rule import DuckKind, DuckRule, LiveKey, Room
from recitant_core.gain.ducking import DuckPoint, points_db
from recitant_core.gain.sidechain import key_window, keyed_factors, keyed_hop_gains_db
from recitant_core.processors.model import Processor
from recitant_core.render.estimate import duck_gains_db, stem_energies, track_energies
from recitant_core.render.mix import render_mix, render_output, render_segments, render_stems
from recitant_core.render.paths import Audibility
from recitant_core.render.segments import forget_segments
from recitant_core.timeline.model import Clip, Duck, Master, Plan, Track
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role
from signals import MemorySource, programme, sine

VOICE = np.concatenate(
    [np.zeros((96_000, 1), np.float32), sine(-20, 2.0, n_channels=1), np.zeros((192_000, 1), np.float32)]
)
SOURCES = {
    "voice": MemorySource("voice", VOICE),
    "music": MemorySource("music", programme(4, 8.0)),
    "hits": MemorySource("hits", programme(5, 8.0)),
}
POINTS = (DuckPoint(80_000, 0.0), DuckPoint(94_000, -9.0), DuckPoint(200_000, -9.0), DuckPoint(260_000, 0.0))
ROOM = Room(True, 800.0, 2.0, 8.0)
DUCKS = {
    "curve": Duck("1", Role.MUSIC, "", DuckRule(), POINTS),
    "track": Duck("1", None, "2", DuckRule(), POINTS),
    "room": Duck("1", Role.MUSIC, "", DuckRule(room=ROOM), POINTS, POINTS),
    "live": Duck("1", Role.MUSIC, "", DuckRule(kind=DuckKind.LIVE, live=LiveKey(hold_ms=100.0, release_ms=300.0))),
}


def plan_with(*ducks):
    tracks = (
        Track("1", "voice", Role.DIALOGUE, clips=(Clip("a", "voice", 0, 0, len(VOICE)),)),
        Track("2", "music", Role.MUSIC, clips=(Clip("b", "music", 0, 0, 384_000),)),
        Track("3", "hits", Role.EFFECTS, -6.0, clips=(Clip("c", "hits", 0, 0, 384_000),)),
    )
    return Plan("t", "25", tracks, {}, Master(), ducks)


def test_the_stem_is_lowered_by_just_what_the_curve_says():
    plain = render_stems(plan_with(), SOURCES, SampleSpan(0, 384_000))
    lowered = render_stems(plan_with(DUCKS["curve"]), SOURCES, SampleSpan(0, 384_000))
    expected = plain[Role.MUSIC] * 10 ** (points_db(POINTS, np.arange(384_000.0)) / 20)[:, None]
    assert np.allclose(lowered[Role.MUSIC], expected, atol=1e-7)
    for role in (Role.DIALOGUE, Role.EFFECTS):
        assert np.array_equal(lowered[role], plain[role])


def test_a_track_gives_way_alone():
    both = replace(
        plan_with(DUCKS["track"]), tracks=(*plan_with().tracks, replace(plan_with().tracks[1], track_id="4"))
    )
    stems = render_stems(both, SOURCES, SampleSpan(100_000, 1_000))
    one = render_stems(plan_with(), SOURCES, SampleSpan(100_000, 1_000))[Role.MUSIC]
    assert np.allclose(stems[Role.MUSIC], one * (1 + 10 ** (-9 / 20)), atol=1e-6)


@settings(max_examples=25)
@given(st.sampled_from(sorted(DUCKS)), st.lists(st.integers(1, 383_999), min_size=1, max_size=5, unique=True))
def test_any_cut_has_the_bits_of_the_whole(name, cuts):
    plan = replace(plan_with(DUCKS[name]), master=Master(6.0, -3.0))
    whole = render_output(plan, SOURCES, plan.span)
    edges = [0, *sorted(cuts), plan.span.length_samples]
    parts = [render_output(plan, SOURCES, SampleSpan(a, b - a)) for a, b in pairwise(edges)]
    assert np.array_equal(np.concatenate(parts), whole)


@pytest.mark.parametrize("name", sorted(DUCKS))
def test_the_delivery_has_the_bits_of_the_preview(name):
    plan = replace(plan_with(DUCKS[name]), master=Master(6.0, -3.0))
    delivered = np.concatenate([segment.output for segment in render_segments(plan, SOURCES)])
    assert np.array_equal(delivered, render_output(plan, SOURCES, plan.span))


def test_a_live_key_lowers_music_while_the_voice_sounds_and_lets_go():
    live = DUCKS["live"].rule.live
    level_dbfs = -20 - 3.01 - 3.01  # mean square of a sine, half of it on either side
    expected_db = -(level_dbfs - live.threshold_dbfs) * (1 - 1 / live.ratio)  # hard knee, JAES 60(6)
    plain = render_stems(plan_with(), SOURCES, SampleSpan(0, 384_000))[Role.MUSIC]
    keyed = render_stems(plan_with(DUCKS["live"]), SOURCES, SampleSpan(0, 384_000))[Role.MUSIC]
    gain = np.sqrt((keyed**2).reshape(-1, 4_800, 2).sum((1, 2)) / (plain**2).reshape(-1, 4_800, 2).sum((1, 2)))
    gain_db = 20 * np.log10(gain)
    assert gain_db[:19] == pytest.approx(np.zeros(19), abs=1e-6)  # nobody speaks before 2 s
    assert gain_db[25:39] == pytest.approx(np.full(14, expected_db), abs=0.1)
    assert gain_db[46:] == pytest.approx(np.zeros(len(gain_db) - 46), abs=1e-6)  # hold and release are over


def test_a_live_key_listens_to_dialogue_that_is_not_heard():
    heard = Audibility(muted_tracks=frozenset({"1", "3"}))
    lowered = render_mix(plan_with(DUCKS["live"]), SOURCES, SampleSpan(120_000, 4_800), heard)
    plain = render_mix(plan_with(), SOURCES, SampleSpan(120_000, 4_800), heard)
    assert np.abs(lowered).sum() < 0.5 * np.abs(plain).sum()


def test_a_live_key_listens_only_to_its_keys():
    deaf = replace(DUCKS["live"], rule=replace(DUCKS["live"].rule, keys=("9",)))
    assert np.array_equal(
        render_mix(plan_with(deaf), SOURCES, SampleSpan(0, 100_000)),
        render_mix(plan_with(), SOURCES, SampleSpan(0, 100_000)),
    )


def test_the_estimate_of_a_live_key_is_what_it_does():
    key = LiveKey()
    power = 10 ** (-23.01 / 10)
    gains = keyed_hop_gains_db(np.full(400, power * 2 * 480), key, -30.0)
    window = key_window(SampleSpan(96_000, 480), key)
    tone = np.repeat(sine(-20, 4.0, n_channels=1)[: window.length_samples], 2, axis=1)
    heard = np.resize(tone, (window.length_samples, 2)).astype(np.float32)
    factors = keyed_factors(heard, SampleSpan(96_000, 480), key, -30.0)
    assert 20 * np.log10(factors.mean()) == pytest.approx(gains[300], abs=0.1)


def test_windows_of_the_wrong_length_are_refused():
    with pytest.raises(RangeError):
        keyed_factors(np.zeros((10, 2), np.float32), SampleSpan(0, 10), LiveKey(), -30.0)
    with pytest.raises(RangeError):
        with_bell(np.zeros((10, 2)), SampleSpan(0, 10), np.zeros(10), 800.0, 2.0)


@pytest.mark.parametrize("freq_hz", [100.0, 400.0, 800.0, 1_600.0, 6_000.0])
def test_the_bell_takes_what_it_says_at_each_frequency(freq_hz):
    span = SampleSpan(24_576, 24_000)
    window = bell_window(span)
    t = np.arange(window.start_sample, window.end_sample) / 48_000
    tone = np.repeat(np.sin(2 * np.pi * freq_hz * t)[:, None], 2, axis=1)
    out = with_bell(tone, span, np.full(span.length_samples, -8.0), 800.0, 2.0)
    inside = tone[span.start_sample - window.start_sample :][: span.length_samples]
    gain_db = 10 * np.log10((out**2).mean() / (inside**2).mean())
    assert gain_db == pytest.approx(float(bell_db(np.array([freq_hz]), 800.0, 2.0, -8.0)[0]), abs=0.15)


@pytest.mark.parametrize(("centre_hz", "width_octaves"), [(800.0, 2.0), (2_000.0, 2.0), (3_000.0, 0.5)])
def test_a_bell_has_the_centre_the_depth_and_the_width_asked_for(centre_hz, width_octaves):
    edges = centre_hz * 2.0 ** (np.array([-0.5, 0.0, 0.5]) * width_octaves)
    low, middle, high = bell_db(edges, centre_hz, width_octaves, -60.0)
    assert middle == pytest.approx(-60.0, abs=0.01)
    # The band has half its power at both edges: next to all of it taken off leaves the other half.
    assert low == pytest.approx(-3.01, abs=0.25) and high == pytest.approx(-3.01, abs=0.25)


@settings(max_examples=30)
@given(st.integers(0, 200_000), st.integers(1, 60_000), st.floats(200.0, 6_000.0))
def test_a_stretch_of_a_bell_has_the_bits_of_the_whole(start, length, centre_hz):
    whole = SampleSpan(0, 262_144)
    audio = np.random.default_rng(3).standard_normal((bell_window(whole).length_samples, 2))
    depth_db = -np.linspace(0.0, 6.0, whole.length_samples)
    part = SampleSpan(start, length)
    window = bell_window(part)
    heard = audio[window.start_sample - bell_window(whole).start_sample :][: window.length_samples]
    found = with_bell(heard, part, depth_db[start : start + length], centre_hz, 2.0)
    assert np.array_equal(found, with_bell(audio, whole, depth_db, centre_hz, 2.0)[start : start + length])


def test_a_bell_of_no_depth_changes_no_bit():
    span = SampleSpan(1_000, 50_000)
    window = bell_window(span)
    audio = np.random.default_rng(1).standard_normal((window.length_samples, 2))
    out = with_bell(audio, span, np.zeros(span.length_samples), 800.0, 2.0)
    assert np.array_equal(out, audio[span.start_sample - window.start_sample :][: span.length_samples])


def test_energies_in_the_band_against_a_reference():
    # A band-pass of scipy with the same edges at half power: digital, by its own design.
    audio = (np.random.default_rng(2).standard_normal((96_000, 2)) * 0.1).astype(np.float32)
    taps = scipy.signal.iirpeak(2_000.0, 2_000.0 / (4_000.0 - 1_000.0), fs=48_000)
    expected = (scipy.signal.lfilter(*taps, audio, axis=0) ** 2).sum()
    energy = band_hop_energies(MemorySource("n", audio), 2_000.0, 2.0)
    assert energy.shape == (200, 1)
    assert energy.sum() == pytest.approx(expected, rel=0.05)


def test_energies_in_the_band_follow_what_sounds_in_it():
    t = np.arange(96_000) / 48_000
    tone = 0.1 * np.sin(2 * np.pi * np.where(t < 1.0, 2_000.0, 125.0) * t)
    energy = band_hop_energies(MemorySource("n", tone[:, None].astype(np.float32)), 2_000.0, 2.0)[:, 0]
    assert energy[50] == pytest.approx(0.1**2 / 2 * 480, rel=0.02)
    assert 10 * np.log10(energy[150] / energy[50]) < -20.0


def test_estimates_give_way_too():
    energies = {key: np.full((800, 1), 5.0) for key in SOURCES}
    plan = plan_with(DUCKS["curve"])
    gains = duck_gains_db(plan, track_energies(plan, energies))["1"]
    assert gains[250] == -9.0 and gains[0] == 0.0
    plain = stem_energies(plan_with(), energies)[Role.MUSIC]
    assert stem_energies(plan, energies)[Role.MUSIC] == pytest.approx(plain * 10 ** (gains / 10))
    off = replace(DUCKS["curve"], rule=DuckRule(uses_level=False))
    assert not duck_gains_db(plan_with(off), track_energies(plan, energies))["1"].any()


def test_a_kept_stretch_of_a_stem_does_not_outlive_an_edit_of_its_key():
    # The voice ends long before the second segment of a chain; its live key still holds the music there.
    long = MemorySource("music", programme(4, 40.0))
    key = MemorySource("voice", np.concatenate([VOICE, np.zeros((34 * 48_000, 1), np.float32)]))
    live = Duck("1", Role.MUSIC, "", DuckRule(kind=DuckKind.LIVE, live=LiveKey(hold_ms=800.0, release_ms=4_000.0)))
    music = Track("2", "music", Role.MUSIC, clips=(Clip("b", "music", 0, 0, 40 * 48_000),))

    def heard(voice_at):
        voice = Track("1", "voice", Role.DIALOGUE, clips=(Clip("a", "voice", voice_at, 0, 4 * 48_000),))
        chain = {Role.MUSIC: (Processor("gain", (("gain_db", -1.0),)),)}
        plan = Plan("t", "25", (voice, music), {}, Master(), (live,), stem_chains=chain)
        span = SampleSpan(16 * 48_000, 2 * 48_000)
        return render_mix(plan, {"music": long, "voice": key}, span, Audibility(frozenset({"2"})))

    near = heard(12 * 48_000)  # speaks from 14 to 16 s at the most: just before the segment that begins at 16 s
    far = heard(1 * 48_000)
    assert not np.array_equal(near, far)
    forget_segments()
    assert np.array_equal(heard(1 * 48_000), far)
