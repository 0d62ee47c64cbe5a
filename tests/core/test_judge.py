"""Verdicts: every figure beside its limit."""

import pytest

from recitant_core.delivery.judging.judge import State, judge
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.measure.meter import Readings


def test_a_verdict_names_every_figure():
    readings = Readings(-21.4, 8.2, -15.0, -17.0, -0.4, -1.0)
    verdict = judge(readings, spec_by_id("ebu-r128-s1"))
    states = {finding.key: finding.state for finding in verdict.checks}
    misses = {finding.key: finding.miss for finding in verdict.checks}
    assert states["integrated_lufs"] is states["true_peak_dbtp"] is states["max_short_term_lufs"] is State.FAIL
    assert misses["integrated_lufs"] == pytest.approx(1.1)
    assert misses["true_peak_dbtp"] == pytest.approx(0.6)
    assert states["range_lu"] is State.REPORTED
    assert not verdict.is_passed


def test_limits_include_their_edge():
    assert judge(Readings(-22.5, 1.0, -20.0, -20.0, -1.0, -1.0), spec_by_id("ebu-r128")).is_passed
    assert not judge(Readings(-22.49, 1.0, -20.0, -20.0, -1.0, -1.0), spec_by_id("ebu-r128")).is_passed
    assert not judge(Readings(None, None, None, None, -9.0, -9.0), spec_by_id("ebu-r128")).is_passed


def test_mono_podcasts_have_their_own_target():
    readings = Readings(-19.0, 1.0, -18.0, -18.0, -2.0, -2.0)
    assert judge(readings, spec_by_id("podcast-16"), n_channels=1).is_passed
    assert not judge(readings, spec_by_id("podcast-16"), n_channels=2).is_passed
