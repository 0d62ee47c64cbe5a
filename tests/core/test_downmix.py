"""A mix folded down to one channel."""

import numpy as np
import pytest

from recitant_core.delivery.fitting.downmix import DownmixedPeak, downmixed, downmixed_segment
from recitant_core.delivery.fitting.fit import FitState, fit
from recitant_core.delivery.fitting.trial import MixInMemory, render_once
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.channels import MONO
from recitant_core.units.roles import Role
from signals import MemorySource, programme

N = 12 * 48_000


def rendered(audio):
    clip = Clip("a", "s", 0, 0, len(audio))
    plan = Plan("t", "25", (Track("1", "voice", Role.DIALOGUE, clips=(clip,)),))
    peak = DownmixedPeak()
    known = render_once(plan, {"s": MemorySource("s", audio)}, MixInMemory(), hear=peak.feed)
    return plan, known, peak.factor


def test_two_equal_sides_lose_three_lu():
    # BS.1770: channels add up as powers, so one of two equal ones is 3.01 LU quieter.
    one = programme(3, 12.0)[:N, :1]
    plan, known, peak = rendered(np.repeat(one, 2, axis=1))
    mono, found = downmixed(plan, known, peak)
    assert mono.layout is MONO
    both = (known.untouched.readings.integrated_lufs, found.untouched.readings.integrated_lufs)
    assert both[0] - both[1] == pytest.approx(3.01, abs=0.01)
    assert found.untouched.readings.true_peak_dbtp == pytest.approx(known.untouched.readings.true_peak_dbtp, abs=0.01)


def test_opposite_sides_cancel_and_the_fit_says_so():
    one = programme(3, 12.0)[:N, :1]
    plan, known, peak = rendered(np.concatenate([one, -one], axis=1))
    assert peak == 0.0
    mono, found = downmixed(plan, known, peak)
    assert fit(mono, found, spec_by_id("podcast-16")).state is FitState.SILENT


def test_a_fold_is_fitted_to_the_target_for_mono():
    plan, known, peak = rendered(programme(5, 12.0)[:N] * np.float32(0.2))
    mono, found = downmixed(plan, known, peak)
    done = fit(mono, found, spec_by_id("podcast-16"))
    assert done.state is FitState.REACHED and done.verdict.is_passed
    assert done.trial.readings.integrated_lufs == pytest.approx(-19.0, abs=0.1)


def test_folded_stems_add_up_to_the_folded_mix():
    _, known, _ = rendered(programme(5, 12.0)[:N])
    for segment in known.mixes:
        one = downmixed_segment(segment)
        assert one.mix.shape == (len(segment.mix), 1)
        assert np.allclose(one.mix[:, 0], segment.mix.mean(axis=1))
