"""Levels and what they mean: factors, decibels, loudness units, powers. Silence is -inf, a real level."""

import math
from typing import Final

SILENCE: Final = -math.inf
LOUDNESS_OFFSET_DB: Final = -0.691  # BS.1770 Annex 1: L = -0.691 + 10 log10(sum G_i z_i)


def factor_from_db(gain_db: float) -> float:
    """Linear factor of a gain; 0.0 for -inf.

    >>> round(factor_from_db(-6.0), 4)
    0.5012
    """
    return math.pow(10.0, gain_db / 20.0)


def db_from_factor(factor: float) -> float:
    """Gain in dB of a linear factor >= 0; SILENCE for 0.

    >>> db_from_factor(0.0)
    -inf
    """
    return 20.0 * math.log10(factor) if factor > 0.0 else SILENCE


def ratio_from_lu(difference_lu: float) -> float:
    """Ratio of two powers that lie ``difference_lu`` apart.

    >>> ratio_from_lu(-10.0)
    0.1
    """
    return math.pow(10.0, difference_lu / 10.0)


def lufs_from_power(power: float) -> float:
    """Loudness of a channel-weighted mean square (full scale 1.0); SILENCE for 0.

    Source: ITU-R BS.1770, Annex 1.

    >>> round(lufs_from_power(1.0), 3)
    -0.691
    """
    return LOUDNESS_OFFSET_DB + 10.0 * math.log10(power) if power > 0.0 else SILENCE


def power_from_lufs(level_lufs: float) -> float:
    """Channel-weighted mean square of a loudness; the inverse of lufs_from_power.

    The offset of -0.691 dB makes up for the K-weighting's gain at 997 Hz (BS.1770 Annex 1).

    >>> round(power_from_lufs(-0.691), 6)
    1.0
    """
    return ratio_from_lu(level_lufs - LOUDNESS_OFFSET_DB)


def finite(value: float | None) -> float | None:
    """The value, or None where it is none or infinite; JSON has no infinity.

    >>> finite(float("-inf")) is None
    True
    >>> finite(-23.0)
    -23.0
    """
    return value if value is not None and math.isfinite(value) else None
