"""How much of a voice lies in its low harmonics: less in a shout, hardly any in a whisper.

Held to: tests/core/test_performance.py
"""

from typing import Final

import numpy as np

from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ

_LOW_HZ: Final = (80.0, 450.0)
_HIGH_HZ: Final = (450.0, 6_000.0)
_LEAST_POWER: Final = 1e-20


def low_share_db(audio: Audio) -> float:
    """Power between 80 and 450 Hz against that between 450 Hz and 6 kHz, in dB.

    Args:
        audio: float32 (frames, channels) at 48 kHz; the louder channel counts.
    """
    if not len(audio):
        return 0.0
    channel = audio[:, int(np.argmax((audio.astype(np.float64) ** 2).sum(axis=0)))]
    power = np.abs(np.fft.rfft(channel.astype(np.float64) * np.hanning(len(channel)))) ** 2
    hz = np.fft.rfftfreq(len(channel), 1.0 / RATE_HZ)
    low, high = (float(power[(hz >= a) & (hz < b)].sum()) for a, b in (_LOW_HZ, _HIGH_HZ))
    return float(10.0 * np.log10((low + _LEAST_POWER) / (high + _LEAST_POWER)))
