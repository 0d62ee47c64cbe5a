"""The clip that keeps a mix from its loudness is named at its place, and the gain that would do does."""

from dataclasses import replace

import numpy as np

from recitant_core.delivery.fitting.fit import FitState, fit
from recitant_core.delivery.fitting.peaks import peak_cure
from recitant_core.delivery.fitting.trial import MixInMemory, render_once
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.roles import Role
from signals import MemorySource, steps

S = 48_000
BED = steps((-30.0, 30.0))


def strike(peak):
    """A blow that dies away within 30 ms, stereo."""
    t = np.arange(S // 10) / S
    return (peak * np.exp(-150.0 * t) * np.cos(2 * np.pi * 900.0 * t)).astype(np.float32)[:, None].repeat(2, axis=1)


SOURCES = {"bed": MemorySource("bed", BED), "hit": MemorySource("hit", strike(0.9))}


def plan_of(first_db, second_db):
    strikes = tuple(
        Clip(name, "hit", at_s * S, 0, S // 10, gain_db=gain_db, name=name)
        for name, at_s, gain_db in (("first", 7, first_db), ("second", 19, second_db))
    )
    floor = Clip("bed", "bed", 0, 0, len(BED), name="bed")
    beds, blows = Track("1", "Floor", Role.ATMOSPHERE, clips=(floor,)), Track("2", "Blows", Role.EFFECTS, clips=strikes)
    return Plan("t", "25", (beds, blows))


def cured(plan, spec):
    """The cure of a plan, its fit beside it."""
    known = render_once(plan, SOURCES, MixInMemory())
    tracks = {}
    for track in plan.tracks:
        audio = np.zeros_like(BED)
        for clip in track.clips:
            sound = SOURCES[clip.source_key].read(0, clip.length_samples) * 10 ** (clip.gain_db / 20)
            audio[clip.start_sample : clip.start_sample + clip.length_samples] += sound
        tracks[track.track_id] = (audio.astype(np.float64) ** 2).sum(axis=1).reshape(-1, S // 100).sum(axis=1)
    readings = known.untouched.readings
    found = fit(plan, known, spec)
    return peak_cure(known.summary, readings, spec, plan, tracks), found


def test_the_highest_peak_is_named_with_the_gain_that_would_do():
    spec = spec_by_id("online-14")
    plan = plan_of(0.0, -20.0)
    cure, found = cured(plan, spec)
    assert found.state is FitState.TOO_MUCH_LIMITING
    assert cure.clip_id == "first" and 0 <= cure.at_sample - 7 * S < S // 100 and cure.n_others == 0
    blows = plan.tracks[1]
    lowered = replace(blows.clips[0], gain_db=-cure.by_db)
    mended = replace(plan, tracks=(plan.tracks[0], replace(blows, clips=(lowered, blows.clips[1]))))
    nothing, found = cured(mended, spec)
    assert found.state is FitState.REACHED and nothing is None


def test_others_that_peak_too_high_are_counted():
    cure, _ = cured(plan_of(-1.0, 0.0), spec_by_id("online-14"))
    assert cure.clip_id == "second" and cure.n_others == 1


def test_a_mix_that_a_fit_brings_there_has_nothing_to_lower():
    cure, found = cured(plan_of(-20.0, -20.0), spec_by_id("online-14"))
    assert found.state is FitState.REACHED and cure is None
