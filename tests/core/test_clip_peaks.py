"""Peaks of a clip: of its own stretch, with chain and routing, without any gain; true peak where samples miss it."""

from dataclasses import replace

import numpy as np
import pytest

from recitant_core.processors.model import Processor
from recitant_core.render.clip_peaks import clip_peaks
from recitant_core.timeline.model import Clip, Track
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role
from signals import MemorySource, sine

TRACK = Track("t", "one", Role.DIALOGUE)
CLIP = Clip("1", "k", 5 * RATE_HZ, RATE_HZ, RATE_HZ, gain_db=-20.0)


def test_the_peak_is_of_the_stretch_and_before_the_gain():
    audio = np.concatenate([sine(0.0, 1.0), sine(-12.0, 1.0), sine(0.0, 1.0)])
    sample, true = clip_peaks(CLIP, TRACK, MemorySource("k", audio))
    assert sample == pytest.approx(-12.0, abs=0.01)
    assert true >= sample


def test_a_peak_between_samples_is_found():
    # A quarter of the sampling rate at 45 degrees: each sample 3.01 dB under the crest (BS.1770-5, annex 2).
    t = np.arange(3 * RATE_HZ)
    audio = np.repeat((0.5 * np.sin(np.pi / 2 * t + np.pi / 4)).astype(np.float32)[:, None], 2, axis=1)
    sample, true = clip_peaks(CLIP, TRACK, MemorySource("k", audio))
    assert sample == pytest.approx(-9.03, abs=0.01)
    assert true == pytest.approx(-6.02, abs=0.4)


def test_chain_and_dc_offset_count():
    audio = sine(-12.0, 3.0) + np.float32(0.1)
    offset = replace(CLIP, dc_offset=(0.1, 0.1))
    assert clip_peaks(offset, TRACK, MemorySource("k", audio))[0] == pytest.approx(-12.0, abs=0.01)
    louder = replace(offset, chain=(Processor("gain", (("gain_db", 6.0),)),), dc_offset=(0.1, 0.1))
    raised = MemorySource("k", sine(-12.0, 3.0))
    assert clip_peaks(replace(louder, dc_offset=(0.0, 0.0)), TRACK, raised)[0] == pytest.approx(-6.0, abs=0.01)


def test_a_hard_pan_is_as_loud_as_the_law_says():
    left = clip_peaks(CLIP, replace(TRACK, pan=-1.0), MemorySource("k", sine(-12.0, 3.0, n_channels=1)))[0]
    middle = clip_peaks(CLIP, TRACK, MemorySource("k", sine(-12.0, 3.0, n_channels=1)))[0]
    assert left - middle == pytest.approx(3.01, abs=0.02)  # constant power


def test_silence_has_no_peak():
    sample, true = clip_peaks(CLIP, TRACK, MemorySource("k", np.zeros((3 * RATE_HZ, 2), np.float32)))
    assert sample < -200.0 and true < -200.0
