"""The forecast of a fit against the fit itself, on material of every kind; and when a mix that passes is squashed."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr

from recitant_core.delivery.fitting.fit import FitState, fit
from recitant_core.delivery.fitting.forecast import forecast
from recitant_core.delivery.fitting.squash import is_squashed, squash_cure
from recitant_core.delivery.fitting.summary import PeakSummary
from recitant_core.delivery.fitting.trial import MixInMemory, render_once
from recitant_core.delivery.specification.catalogue import CATALOGUE, spec_by_id
from recitant_core.gain.limiter_steps import STEP_SAMPLES
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.channels import STEREO, layout_from_count
from recitant_core.units.roles import Role
from signals import MemorySource, programme, steps

DATA = Path(__file__).parent.parent / "data"
S = 48_000


def recorded(*names):
    """Recordings of these files added up, as long as the shortest, stereo at 48 kHz."""
    found = []
    for name in names:
        audio, rate_hz = soundfile.read(DATA / name, dtype="float32", always_2d=True)
        found.append(soxr.resample(audio[:, :1].repeat(2, axis=1), rate_hz, S).astype(np.float32))
    n = min(map(len, found))
    return sum(audio[:n] for audio in found)


def beats(seconds=40):
    """Drum beats that ring, over a little noise: all peaks."""
    rng = np.random.default_rng(3)
    audio = rng.standard_normal((seconds * S, 2)) * 0.003
    t = np.arange(S // 4) / S
    ring = np.exp(-40.0 * t) * np.sin(2 * np.pi * 90.0 * t)
    for at in range(0, (seconds - 1) * S, S * 47 // 100):
        audio[at : at + len(ring)] += ring[:, None] * 0.24 * rng.uniform(0.5, 1.0)
    return audio.astype(np.float32)


MATERIAL = {
    "wandering": lambda: programme(9, 60.0) * np.float32(0.4),
    "peaky": lambda: programme(7, 25.0),
    "clipped": lambda: (programme(11, 30.0) * np.float32(6)).clip(-1, 1) * np.float32(0.2),
    "beats": beats,
    "music": lambda: recorded("music-excerpt.ogg"),
    "speech": lambda: recorded("prompts-en.ogg"),
    "speech over music": lambda: recorded("prompts-en.ogg", "music-calm.ogg"),
}


def measured(audio):
    source = MemorySource("s", audio)
    plan = Plan("t", "25", (Track("1", "v", Role.DIALOGUE, clips=(Clip("a", "s", 0, 0, len(audio)),)),))
    return plan, render_once(plan, {"s": source}, MixInMemory())


@pytest.mark.parametrize("name", MATERIAL)
def test_the_forecast_agrees_with_the_fit(name):
    plan, known = measured(MATERIAL[name]())
    n_limited = 0
    for spec in (spec_by_id("online-14"), spec_by_id("ebu-r128"), spec_by_id("stream-dialogue-27")):
        for louder_lu in (0.0, 4.0, 9.0):
            louder = replace(spec, target_lufs=spec.target_lufs + louder_lu, max_short_term_lufs=None)
            tried = fit(plan, known, louder)
            told = forecast(known.summary, known.untouched.readings, louder, plan.layout, known.untouched.dialogue_lufs)
            assert told.is_reached == (tried.state is FitState.REACHED)
            # Where neither gets there, different gains come as near.
            reached = tried.trial.anchor_lufs(louder)
            assert told.reached_lufs == pytest.approx(reached, abs=0.1 if told.is_reached else 0.3)
            if not told.is_reached:
                continue
            assert told.most_reduction_db == pytest.approx(tried.trial.most_reduction_db, abs=1.0)
            assert told.limited_share == pytest.approx(tried.trial.limited_share, abs=0.05)
            assert told.master.gain_db == pytest.approx(tried.trial.master.gain_db, abs=0.7)
            n_limited += tried.trial.most_reduction_db > 1.0
    assert n_limited > 0


def test_the_forecast_agrees_with_the_fit_on_a_bus_of_six():
    # Six channels of sounds of their own; BS.1770's weights count the surrounds by 1.41 and leave LFE out.
    levels = np.array([1.0, 1.0, 0.7, 0.2, 0.5, 0.5], np.float32)
    audio = np.concatenate([programme(seed, 30.0) for seed in (3, 5, 7)], axis=1) * levels
    layout = layout_from_count(6)
    plan = Plan("t", "25", (Track("1", "v", Role.MUSIC, clips=(Clip("a", "s", 0, 0, len(audio)),)),), layout=layout)
    known = render_once(plan, {"s": MemorySource("s", audio)}, MixInMemory())
    for louder_lu in (0.0, 6.0):
        spec = spec_by_id("ebu-r128")
        louder = replace(spec, target_lufs=spec.target_lufs + louder_lu, max_short_term_lufs=None)
        tried = fit(plan, known, louder)
        told = forecast(known.summary, known.untouched.readings, louder, layout, None)
        assert told.is_reached and tried.state is FitState.REACHED
        assert told.master.gain_db == pytest.approx(tried.trial.master.gain_db, abs=0.7)
        assert told.most_reduction_db == pytest.approx(tried.trial.most_reduction_db, abs=1.0)


def test_a_loud_passage_in_a_short_form_is_foretold():
    plan, known = measured(steps((-34, 25), (-17, 5)))
    spec = spec_by_id("ebu-r128-s1")
    told = forecast(known.summary, known.untouched.readings, spec, plan.layout, None)
    loudest = fit(plan, known, spec).trial.readings.max_short_term_lufs
    assert told.short_term_over_lu == pytest.approx(loudest - spec.max_short_term_lufs, abs=0.1) and not told.is_reached


def test_silence_has_no_forecast():
    _, known = measured(np.zeros((S, 2), np.float32))
    assert forecast(known.summary, known.untouched.readings, CATALOGUE[0], STEREO, None) is None


def test_the_outline_holds_the_highest_sample_of_each_step_however_it_is_fed():
    audio = programme(5, 1.01)[: S + 100]
    whole, parts = PeakSummary(), PeakSummary()
    whole.feed(audio)
    for first in range(0, len(audio), 10 * STEP_SAMPLES):
        parts.feed(audio[first : first + 10 * STEP_SAMPLES])
    assert np.array_equal(whole.peaks(), parts.peaks()) and len(whole.peaks()) == -(-len(audio) // STEP_SAMPLES)
    assert whole.peaks()[7] == np.abs(audio[7 * STEP_SAMPLES : 8 * STEP_SAMPLES]).max()
    assert PeakSummary().peaks().shape == (0,)


@pytest.mark.parametrize(
    ("most_db", "share", "squashed"),
    [
        (12.0, 0.296, True),
        (1.5, 0.10, True),
        (6.5, 0.02, True),
        (9.0, 0.001, False),
        (6.0, 0.05, False),
        (0.0, 0.0, False),
    ],
)
def test_what_is_squashed(most_db, share, squashed):
    assert is_squashed(most_db, share) is squashed


def test_the_cure_names_the_track_that_peaks_and_by_how_much():
    reduction = np.zeros(1_000)
    reduction[100:200] = 5.0
    reduction[500:510] = 0.5  # not worth a word
    drums, pad = np.zeros(1_000), np.full(1_000, 1.0)
    drums[100:200] = 9.0
    cure = squash_cure(reduction, {"pad": pad, "drums": drums})
    assert (cure.target_id, cure.by_db) == ("drums", 4.0) and cure.share == pytest.approx(0.9)
    assert squash_cure(np.zeros(10), {"pad": pad}) is None and squash_cure(reduction, {}) is None
    assert squash_cure(reduction, {"pad": np.zeros(50)}) is None


def test_the_forecast_on_dialogue_follows_the_dialogue_and_not_the_music():
    # Music that sounds alone for half of it, louder than the voice: both anchors are far apart.
    voice, music = programme(9, 40.0) * np.float32(0.25), programme(5, 40.0) * np.float32(0.5)
    voice[20 * S :], music[: 20 * S] = 0.0, music[: 20 * S] * np.float32(0.2)
    sources = {"voice": MemorySource("voice", voice), "music": MemorySource("music", music)}
    tracks = tuple(
        Track(name, name, role, clips=(Clip(name, name, 0, 0, 40 * S),))
        for name, role in (("voice", Role.DIALOGUE), ("music", Role.MUSIC))
    )
    plan = Plan("t", "25", tracks)
    known = render_once(plan, sources, MixInMemory())
    apart_lu = known.untouched.readings.integrated_lufs - known.untouched.dialogue_lufs
    assert abs(apart_lu) > 3.0
    spec = spec_by_id("stream-dialogue-27")
    target = known.untouched.dialogue_lufs + spec.max_true_peak_dbtp - known.untouched.readings.true_peak_dbtp + 4.0
    asked = replace(spec, target_lufs=target, tolerance_lu=0.5, max_short_term_lufs=None)
    tried = fit(plan, known, asked)
    told = forecast(known.summary, known.untouched.readings, asked, plan.layout, known.untouched.dialogue_lufs)
    assert told.is_reached and tried.state is FitState.REACHED
    assert told.master.gain_db == pytest.approx(tried.trial.master.gain_db, abs=0.3)
    assert told.most_reduction_db == pytest.approx(tried.trial.most_reduction_db, abs=1.0)
