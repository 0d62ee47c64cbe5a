"""What carries the loudness: shares of stems, of speech, and of what else sounds on its tracks."""

import numpy as np
import pytest

from recitant_core.balance.carried import SPEECH, UNSPOKEN, carried
from recitant_core.units.roles import Role

HOP = 480


def level(lufs, n=1_000):
    return np.full(n, HOP * 10 ** ((lufs + 0.691) / 10))


def test_shares_follow_the_energies():
    speech = np.zeros(2_000, bool)
    speech[:1_000] = True
    dialogue = np.concatenate([level(-20.0), level(-20.0)])  # the second half is no speech
    music = level(-23.0, 2_000)
    found = carried({Role.DIALOGUE: dialogue, Role.MUSIC: music}, speech)
    half = 1.0 / (1.0 + 10**-0.3) / 2.0
    assert found.shares[SPEECH] == pytest.approx(half, abs=0.01) == found.shares[UNSPOKEN]
    assert found.shares["music"] == pytest.approx(1.0 - 2.0 * half, abs=0.01)
    assert found.speech_time_share == pytest.approx(0.5, abs=0.01)


def test_what_the_gate_leaves_out_carries_nothing():
    speech = np.zeros(2_000, bool)
    speech[:500] = True
    dialogue = np.concatenate([level(-20.0, 500), level(-60.0, 1_500)])
    found = carried({Role.NARRATION: dialogue}, speech)
    assert found.shares[SPEECH] > 0.99 and found.speech_time_share > 0.95


def test_silence_carries_nothing():
    assert carried({Role.MUSIC: np.zeros(500)}, np.zeros(500, bool)).shares == {}
    assert carried({}, np.zeros(0, bool)).shares == {}
