"""Contours: momentary loudness of a clip in a view, on the programme's clock, with what it gives way."""

import numpy as np
import pytest

from recitant_core.render.contours import clip_contour
from recitant_core.timeline.model import Clip, Track
from recitant_core.units.clock import HOP_SAMPLES, RATE_HZ, SampleSpan
from recitant_core.units.roles import Role

TRACK = Track("t", "one", Role.MUSIC)
CLIP = Clip("1", "k", 10 * RATE_HZ, 2 * RATE_HZ, 20 * RATE_HZ, gain_db=-6.0)

VIEW = SampleSpan(15 * RATE_HZ, 5 * RATE_HZ)


@pytest.fixture
def energies():
    """Mean powers of 0.5 for 40 s, one channel: a steady sound of -3.70 LUFS (BS.1770-5: -0.691 + 10 lg of the sum)."""
    return np.full((40 * 100, 1), 0.5 * HOP_SAMPLES)


def test_a_steady_sound_is_a_flat_line_at_its_loudness(energies):
    found = clip_contour(CLIP, TRACK, 2.0, energies, None, VIEW, 10)
    assert found.undipped_lufs is None
    assert found.from_sample == VIEW.start_sample
    assert VIEW.length_samples / (10 * HOP_SAMPLES) <= len(found.lufs) <= VIEW.length_samples / (10 * HOP_SAMPLES) + 2
    assert np.allclose(found.lufs, -3.70 - 6.0 + 2.0, atol=0.01)


def test_giving_way_is_drawn_where_it_is_in_the_programme(energies):
    lowered_db = np.zeros(60 * 100)
    lowered_db[17 * 100 : 18 * 100] = -12.0
    found = clip_contour(CLIP, TRACK, 0.0, energies, lowered_db, VIEW, 10)
    down = found.lufs - found.undipped_lufs
    at_s = (found.from_sample + np.arange(len(down)) * 10 * HOP_SAMPLES) / RATE_HZ
    assert np.allclose(down[(at_s > 17.3) & (at_s < 17.7)], -12.0, atol=0.01)
    assert np.allclose(down[(at_s < 16.7) | (at_s > 18.3)], 0.0, atol=0.01)


def test_a_clip_outside_the_view_has_none(energies):
    assert clip_contour(CLIP, TRACK, 0.0, energies, None, SampleSpan(40 * RATE_HZ, RATE_HZ), 10) is None
