"""The phrase ride: a gain curve that brings the phrases inside a recording towards one level, moving in pauses only.

One tool for the first balance and for the ride on the Level page. Common practice: most of the way and not all of it,
so that a whisper stays one; no further than the noise behind a phrase allows.
Held to: tests/core/test_phrase_ride.py
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np

from recitant_core.gain.envelope import CurvePoint
from recitant_core.measure.phrases import Phrase
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB
from recitant_core.units.clock import HOP_SAMPLES, RATE_HZ

KEPT_SHARE: Final = 0.12  # of a phrase's distance to the others stays
MOST_RIDE_DB: Final = 15.0
MOST_NOISE_RISE_DB: Final = 6.0
LEAST_NOISE_DISTANCE_LU: Final = 12.0
_NO_RISE_LU: Final = 6.0
UNHEARD_NOISE_LU: Final = 30.0  # noise so far under the aim is not heard between the words
_LEAST_RIDE_DB: Final = 1.5  # phrases this near to each other need no curve
_RAMP_SAMPLES: Final = 3 * RATE_HZ
_EDGE_SAMPLES: Final = RATE_HZ // 20


@dataclass(frozen=True)
class RideLimits:
    """Limits of a ride."""

    kept_share: float = KEPT_SHARE
    most_db: float = MOST_RIDE_DB
    """Either way from the gain of the whole group."""


@dataclass(frozen=True)
class PhraseGain:
    """Gain that a phrase gets, in dB, and whether noise held it back."""

    gain_db: float
    is_held: bool


def group_gain_db(phrases: Sequence[Phrase], aim_lufs: float) -> float:
    """Gain that brings the middle of a speaker's phrases to an aim, by their length; 0 without any."""
    if not phrases:
        return 0.0
    level = weighted_median([p.level_lufs for p in phrases], [p.n_hops for p in phrases])
    return float(np.clip(aim_lufs - level, LEAST_GAIN_DB, MOST_GAIN_DB))


def phrase_gains(
    phrases: Sequence[Phrase], group: Sequence[Phrase], aim_lufs: float, limits: RideLimits
) -> list[PhraseGain]:
    """Gain of each phrase.

    Args:
        phrases: of one clip.
        group: all phrases of the same speaker, these among them: what they have in common is moved all the way.
        aim_lufs: of the middle of the group.
    """
    together = group_gain_db(group, aim_lufs)
    usual_noise = _usual_noise_lufs(group, together)
    found = []
    for phrase in phrases:
        away = aim_lufs - (phrase.level_lufs + together)
        by = float(np.clip(away * (1.0 - limits.kept_share), -limits.most_db, limits.most_db))
        most = by
        if by > 0.0 and phrase.noise_lufs is not None:
            # The nearer the noise is to the phrase itself, the less of it may come up.
            distance = phrase.level_lufs - phrase.noise_lufs
            rise_db = float(np.interp(distance, (_NO_RISE_LU, LEAST_NOISE_DISTANCE_LU), (0.0, MOST_NOISE_RISE_DB)))
            allowed = usual_noise + rise_db
            if distance >= LEAST_NOISE_DISTANCE_LU:
                allowed = max(allowed, aim_lufs - UNHEARD_NOISE_LU)
            most = max(0.0, min(by, allowed - (phrase.noise_lufs + together)))
        found.append(PhraseGain(together + min(by, most), most < by - 0.1))
    return found


def ride_over(
    phrases: Sequence[Phrase], gains_db: Sequence[float], length_samples: int
) -> tuple[float, tuple[CurvePoint, ...]]:
    """The gain of a clip and the curve on top of it that give each phrase its gain.

    Args:
        phrases: in order, on the clip's clock.
        length_samples: of the clip.

    Returns:
        Gain in dB and points; no points where one gain is enough.
    """
    weights = [p.n_hops for p in phrases]
    gain_db = round(weighted_median(gains_db, weights), 1)
    if max(abs(g - gain_db) for g in gains_db) < _LEAST_RIDE_DB:
        return round(float(np.average(gains_db, weights=weights)), 1), ()
    return gain_db, curve_over(phrases, [gain - gain_db for gain in gains_db], length_samples)


def curve_over(phrases: Sequence[Phrase], gains_db: Sequence[float], length_samples: int) -> tuple[CurvePoint, ...]:
    """A curve that gives each phrase its gain and moves in the pauses, in straight lines of three seconds or less."""
    points: list[CurvePoint] = []
    for index, (phrase, gain) in enumerate(zip(phrases, gains_db, strict=True)):
        begin, end = phrase.first_hop * HOP_SAMPLES, min(phrase.last_hop * HOP_SAMPLES, length_samples)
        if index > 0:
            before = phrases[index - 1].last_hop * HOP_SAMPLES
            begin = max(begin - _space(begin - before), points[-1].at_sample + 1)
        if index + 1 < len(phrases):
            end += _space(phrases[index + 1].first_hop * HOP_SAMPLES - end)
        points.append(CurvePoint(begin, round(gain, 1) + 0.0))
        points.append(CurvePoint(max(end, begin + 1), round(gain, 1) + 0.0))
    return _without_needless(points)


def weighted_median(values: Sequence[float], weights: Sequence[float]) -> float:
    """The value at which half of all weight is reached."""
    order = np.argsort(values, kind="stable")
    reached = np.cumsum(np.asarray(weights, dtype=np.float64)[order])
    return float(np.asarray(values, dtype=np.float64)[order][np.searchsorted(reached, reached[-1] / 2.0)])


def _usual_noise_lufs(group: Sequence[Phrase], gain_db: float) -> float:
    known = [p for p in group if p.noise_lufs is not None]
    if not known:
        return 0.0
    return gain_db + weighted_median([p.noise_lufs or 0.0 for p in known], [p.n_hops for p in known])


def _space(pause_samples: int) -> int:
    # A pause longer than the ramp keeps the gain of the words before it for its first part, then that of the next.
    return max(min(_EDGE_SAMPLES, pause_samples // 4), (pause_samples - _RAMP_SAMPLES) // 2)


def _without_needless(points: list[CurvePoint]) -> tuple[CurvePoint, ...]:
    kept = points[:1]
    for point, after in pairwise([*points[1:], None]):
        assert point is not None
        if after is not None and kept[-1].gain_db == point.gain_db == after.gain_db:
            continue
        kept.append(point)
    return tuple(kept)
