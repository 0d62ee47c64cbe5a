"""Dialogue measured over the speech that was detected in it, and how far speech stands above the rest."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from recitant_core.balance.stem_meter import exact_energies
from recitant_core.delivery.fitting.fit import FitState, fit
from recitant_core.delivery.fitting.trial import MixInMemory, render_once
from recitant_core.delivery.judging.judge import State, judge
from recitant_core.delivery.specification.catalogue import CATALOGUE, spec_by_id
from recitant_core.delivery.specification.model import Anchor
from recitant_core.delivery.specification.spec_json import fit_key, spec_key
from recitant_core.measure.clearance import close_passages, least_clearance_lu
from recitant_core.render.scene import talk_clearance_lu
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.timeline.speech import Spans, Talk
from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role
from signals import MemorySource, sine

SECOND = 48_000
LONG = spec_by_id("atsc-a85-long")
# Eight seconds of voice; behind it the recording holds as many of a sound that is no speech, 6 dB louder.
VOICE = np.concatenate([sine(-26.0, 8.0), sine(-20.0, 8.0)]).astype(np.float32)
TALK = (SampleSpan(0, 8 * SECOND),)


def plan_of(**tracks):
    found = [
        Track(name, name, role, clips=(Clip(name, name, 0, 0, length),)) for name, (role, length) in tracks.items()
    ]
    return Plan("t", "25", tuple(found))


PLAN = plan_of(voice=(Role.DIALOGUE, len(VOICE)))
SOURCES = {"voice": MemorySource("voice", VOICE)}


def test_dialogue_counts_while_somebody_speaks():
    heard = render_once(PLAN, SOURCES, MixInMemory(), speech=TALK).untouched
    plain = render_once(PLAN, SOURCES, MixInMemory()).untouched
    # EBU Tech 3341: a stereo sine of 1 kHz at -26 dBFS reads -26 LUFS; one block reaches half into what follows.
    assert heard.dialogue_lufs == pytest.approx(-26.0, abs=0.15)
    assert heard.dialogue_stem_lufs == plain.dialogue_lufs == pytest.approx(-22.0, abs=0.1)
    assert plain.dialogue_stem_lufs is None


@pytest.mark.parametrize("spec", [s for s in CATALOGUE if s.anchor is Anchor.DIALOGUE], ids=lambda s: s.spec_id)
def test_a_specification_about_dialogue_is_fitted_over_speech_and_both_figures_are_said(spec):
    known = render_once(PLAN, SOURCES, MixInMemory(), speech=TALK)
    found = fit(PLAN, known, spec)
    assert found.state is FitState.REACHED and found.verdict.is_passed
    figures = {finding.key: finding for finding in found.verdict.checks}
    assert figures["dialogue_lufs"].measured == pytest.approx(spec.target_lufs, abs=0.1)
    assert figures["dialogue_stem_lufs"].measured == pytest.approx(spec.target_lufs + 4.0, abs=0.2)
    assert figures["dialogue_stem_lufs"].state is State.REPORTED


def test_a_fit_is_kept_with_who_speaks_only_where_that_counts():
    plain = spec_by_id("ebu-r128")
    other = (SampleSpan(0, 4 * SECOND),)
    assert fit_key(plain, TALK) == fit_key(plain, other) == spec_key(plain) == "ebu-r128"
    for spec in (LONG, replace(plain, least_clearance_lu=7.0)):
        assert fit_key(spec, TALK) != fit_key(spec, other)
        assert max(len(fit_key(spec, spans)) for spans in (TALK, other)) <= 40


def test_clearance_is_judged_on_the_rendered_stems():
    n = 8 * SECOND
    plan = plan_of(voice=(Role.DIALOGUE, n), score=(Role.MUSIC, n))
    sources = {"voice": MemorySource("voice", sine(-20.0, 8.0)), "score": MemorySource("score", sine(-26.0, 8.0))}
    found_lu = talk_clearance_lu(exact_energies(plan, sources), Talk(Spans(TALK), Spans()))
    assert found_lu == pytest.approx(6.0, abs=0.15)
    known = replace(render_once(plan, sources, MixInMemory(), speech=TALK), clearance_lu=found_lu)
    spec = replace(spec_by_id("ebu-r128"), spec_id="own")
    assert fit(plan, known, replace(spec, least_clearance_lu=5.0)).state is FitState.REACHED
    close = fit(plan, known, replace(spec, least_clearance_lu=7.0))
    assert close.state is FitState.CLEARANCE_UNDER
    (finding,) = [one for one in close.verdict.checks if one.state is State.FAIL]
    assert (finding.key, round(finding.miss)) == ("clearance_lu", -1)


def test_a_file_alone_is_not_judged_on_clearance():
    readings = render_once(PLAN, SOURCES, MixInMemory()).untouched.readings
    verdict = judge(readings, replace(LONG, least_clearance_lu=7.0))
    (finding,) = [one for one in verdict.checks if one.key == "clearance_lu"]
    assert (finding.state, finding.low, finding.measured) == (State.REPORTED, 7.0, None)


@given(st.lists(st.tuples(st.integers(1, 90), st.sampled_from([-5.0, 0.0, 3.3, 8.0, 40.0, np.inf])), max_size=12))
def test_the_least_clearance_is_where_close_passages_begin(runs):
    clearance = np.concatenate([np.full(n, level) for n, level in runs] or [np.zeros(0)])
    found = least_clearance_lu(clearance)
    if found is None:
        assert not close_passages(clearance, 1_000.0)
    else:
        assert close_passages(clearance, found + 0.02) and not close_passages(clearance, found)
