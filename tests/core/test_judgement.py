"""How a balance stands: the worked examples of docs/standards/balance.md."""

from dataclasses import replace

import numpy as np
import pytest

from recitant_core.balance.judgement import feel_of, judged, phrase_levels
from recitant_core.balance.speech_figures import speech_figures
from recitant_core.gain.ducking import DuckPoint
from recitant_core.gain.trim import TrimScene
from recitant_core.measure.clearance import speech_mask, window_clearance_lu, window_words_power
from recitant_core.render.estimate import track_energies
from recitant_core.timeline.model import Balanced, Clip, Duck, Plan, Track
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role

S = RATE_HZ
HOPS = 12_000  # two minutes


def steady(lufs, hops=HOPS):
    return np.full((hops, 1), 480 * 10 ** ((lufs + 0.691) / 10))


MUSIC = Clip("m", "music", 0, 0, 120 * S)
PLAN = Plan("t", "25", (Track("1", "music", Role.MUSIC, clips=(MUSIC,)),))
SPEECH = [SampleSpan(30 * S, 20 * S), SampleSpan(70 * S, 20 * S)]


def standing(plan=PLAN, dialogue_lufs=(-23.0, -23.0), music=-35.0):
    tracks = track_energies(plan, {"music": steady(music)})
    dialogue = np.zeros(HOPS)
    for span, lufs in zip(SPEECH, dialogue_lufs, strict=True):
        dialogue[span.start_sample // 480 : span.end_sample // 480] = steady(lufs, 2_000)[:, 0]
    is_speech = speech_mask(SPEECH, HOPS)
    clear = window_clearance_lu(window_words_power(dialogue, is_speech), tracks["1"])
    return judged(plan, tracks, phrase_levels(dialogue, SPEECH), clear, is_speech)


def dipped(*dips):
    points = [DuckPoint(round(at * S), float(db)) for at, db in dips]
    return replace(PLAN, ducks=(Duck("d", Role.MUSIC, points=tuple(points)),))


def test_two_dips_of_eight_db_in_two_minutes_travel_sixteen_db_a_minute():
    found = standing(dipped((29, 0), (30, -8), (50, -8), (51, 0), (69, 0), (70, -8), (90, -8), (91, 0)))
    music = found.stems[Role.MUSIC]
    assert music.depth_db == pytest.approx(8.0, abs=0.01)
    assert music.travel_db == pytest.approx(16.0, abs=0.01)
    assert music.feel == "calm"


def test_a_deep_dip_is_restless_however_seldom():
    found = standing(dipped((29, 0), (30, -20), (90, -20), (91, 0)))
    assert found.stems[Role.MUSIC].feel == "restless" and found.stems[Role.MUSIC].depth_db == pytest.approx(20.0)


def test_lift_counts_fader_and_trim_together():
    lifted = replace(
        PLAN,
        stem_gains_db={Role.MUSIC: 1.0},
        stem_balanced={Role.MUSIC: Balanced(-2.0, 1.0)},
        stem_trims={Role.MUSIC: (TrimScene(0, 0.0), TrimScene(60 * S, 2.5))},
    )
    found = standing(lifted).stems[Role.MUSIC]
    assert found.lift_db == pytest.approx(5.5) and found.travel_db == pytest.approx(1.25)


def test_phrases_and_clear_speech():
    found = standing(dialogue_lufs=(-21.0, -25.0))
    assert (found.n_phrases, found.phrase_sd_lu, found.phrase_worst_lu) == (2, pytest.approx(2.0), pytest.approx(2.0))
    assert found.clear_share == 1.0
    close = standing(music=-30.5, dialogue_lufs=(-23.0, -25.0))  # 7.5 and 5.5 LU
    assert close.clear_share == pytest.approx(0.5, abs=0.02) and close.least_clear_share > 0.98


def test_the_words_come_from_depth_and_travel_together():
    assert feel_of(12.5, 20.0, is_dense=False) == "calm" and feel_of(12.5, 20.0, is_dense=True) == "lively"
    assert feel_of(14.0, 5.0, is_dense=False) == "lively" and feel_of(2.0, 60.0, is_dense=False) == "restless"
    assert feel_of(17.0, 5.0, is_dense=False) == "restless"


def test_silence_and_no_speech():
    silent = judged(PLAN, {"1": np.zeros(HOPS)}, np.zeros(0), np.zeros(0), np.zeros(HOPS, bool))
    assert silent.clear_share is None and silent.phrase_sd_lu is None
    assert silent.stems[Role.MUSIC].feel == "calm" and silent.stems[Role.MUSIC].spread_lu is None


def test_speech_of_two_voices_is_that_of_their_sum():
    one, other = np.full(1_000, 4.8), np.full(1_000, 4.8)
    one[500:], other[:500] = 0.0, 0.0
    everywhere = np.ones(1_000, bool)
    apart = speech_figures({Role.NARRATION: one, Role.DIALOGUE: other}, everywhere)
    whole = speech_figures({Role.DIALOGUE: one + other}, everywhere)
    assert apart.dialogue_lufs == pytest.approx(whole.dialogue_lufs, abs=0.01)
    both = speech_figures({Role.NARRATION: one + other, Role.DIALOGUE: one + other}, everywhere)
    assert both.dialogue_lufs == pytest.approx(whole.dialogue_lufs + 3.01, abs=0.01)
