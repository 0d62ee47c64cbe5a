"""What a mix will read, from energies alone, beside the exact figures."""

import numpy as np
import pytest

from recitant_core.delivery.fitting.trial import MixInMemory, render_once
from recitant_core.measure.meter import MeterState, feed_meter, hop_energy, readings_from
from recitant_core.render.estimate import clip_energy, stem_energies
from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.channels import STEREO
from recitant_core.units.roles import Role
from signals import MemorySource, programme


def _two_tracks():
    sources = {"v": MemorySource("v", programme(11, 20.0, 1)), "m": MemorySource("m", programme(12, 30.0))}
    tracks = (
        Track("1", "v", Role.DIALOGUE, 2.0, clips=(Clip("a", "v", 96_000, 4_800, 720_000, -1.0, 9_600, 9_600),)),
        Track("2", "m", Role.MUSIC, -8.0, clips=(Clip("b", "m", 0, 0, 1_440_000),)),
    )
    return Plan("t", "25", tracks, {Role.DIALOGUE: 1.0}), sources


def test_the_estimate_is_near_the_exact_figures():
    plan, sources = _two_tracks()
    energies = {}
    for key, source in sources.items():
        heard = (source.audio @ source.layout.stereo_matrix()).astype(np.float32)
        energies[key] = hop_energy(feed_meter(heard, MeterState.at_rest(STEREO)))[:, None]
    total = sum(stem_energies(plan, energies).values())
    state = MeterState.at_rest(STEREO)
    exact = render_once(plan, sources, MixInMemory()).untouched
    estimate = readings_from(total, 0.0, 0.0, state.k.rate_hz)
    assert estimate.integrated_lufs == pytest.approx(exact.readings.integrated_lufs, abs=0.1)
    assert estimate.max_short_term_lufs == pytest.approx(exact.readings.max_short_term_lufs, abs=0.3)


def test_a_clips_energy_carries_its_gains():
    energy = np.ones((1_000, 1))
    first, found = clip_energy(Clip("a", "v", 480_000, 0, 480_000, -6.0), Track("1", "t", Role.MUSIC), -4.0, energy)
    assert first == 1_000
    assert found == pytest.approx(np.full(1_000, 0.1))  # -10 dB
