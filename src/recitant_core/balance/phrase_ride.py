"""The phrase ride: a gain curve that brings the phrases inside a recording towards one level and moves between sounds.

One tool for the first balance and for the ride on the Level page. Common practice: most of the way and not all of it,
so that a shout stays a shout and a whisper a whisper; no further than the noise behind a phrase allows; and while a
word or its tail sounds the gain stands still.
Held to: tests/core/test_phrase_ride.py
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

import numpy as np

from recitant_core.balance.performance import Spread
from recitant_core.gain.envelope import CurvePoint
from recitant_core.measure.phrases import Phrase
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB
from recitant_core.units.clock import HOP_SAMPLES, HOPS_PER_SECOND, RATE_HZ

KEPT_SHARE: Final = 0.12  # of a phrase's distance to the others stays
MOST_RIDE_DB: Final = 18.0
NOISE_DISTANCES_LU: Final = (6.0, 12.0, 18.0, 24.0)  # of the noise under a phrase
NOISE_RISES_DB: Final = (0.0, 3.0, 6.0, 9.0)  # and by how much it may then come up under its words
LEAST_NOISE_DISTANCE_LU: Final = 12.0
UNHEARD_NOISE_LU: Final = 37.0  # noise so far under the aim is not heard between the words
RUN_ON_DB_PER_S: Final = 5.5  # how fast the gain may move where one phrase runs on into the next
_MOST_RUN_ON_S: Final = 1.0
_STEADY_FLOOR_DB: Final = 1.0  # either way: what the gain may move the noise in pauses
_LEAST_STEADY_S: Final = 0.5
_STEADY_RAMP_S: Final = 0.25
_LEAST_RIDE_DB: Final = 1.5  # phrases this near to each other need no curve
_RAMP_SAMPLES: Final = 3 * RATE_HZ
_EDGE_HOPS: Final = 5
_EDGE_SAMPLES: Final = _EDGE_HOPS * HOP_SAMPLES


EVENLY: Final = Spread(KEPT_SHARE, MOST_RIDE_DB, MOST_RIDE_DB, KEPT_SHARE)
"""Of the ride: a share of every difference stays, however large."""


@dataclass(frozen=True)
class RideLimits:
    """Limits of a ride."""

    spread: Spread = EVENLY
    most_db: float = MOST_RIDE_DB
    """Either way from the gain of the whole group."""


@dataclass(frozen=True)
class PhraseGain:
    """Gain that a phrase gets, in dB, and whether noise held it back."""

    gain_db: float
    is_held: bool
    recorded_db: float
    """Gain of its recording level: with it the phrase stands out as it was recorded."""
    pause_db: float | None = None
    """Gain that the pauses beside it keep near, so that the noise in them stays even; None where none is heard."""


@dataclass(frozen=True)
class Held:
    """A stretch over which the gain stands still, in hops of 10 ms."""

    first_hop: int
    last_hop: int
    """The first behind it."""
    gain_db: float


def group_gain_db(phrases: Sequence[Phrase], aim_lufs: float) -> float:
    """Gain in dB that brings the middle of a speaker's phrases to an aim, by their length; 0 without any.

    Args:
        phrases: of one speaker on one track.
        aim_lufs: level that their weighted median is brought to, as far as a fader goes.
    """
    if not phrases:
        return 0.0
    level = weighted_median([p.level_lufs for p in phrases], [p.n_hops for p in phrases])
    return float(np.clip(aim_lufs - level, LEAST_GAIN_DB, MOST_GAIN_DB))


def phrase_gains(
    phrases: Sequence[Phrase],
    group: Sequence[Phrase],
    aim_lufs: float,
    limits: RideLimits,
    recorded_lufs: Sequence[float] | None = None,
    masks_lufs: Sequence[float | None] | None = None,
) -> list[PhraseGain]:
    """Gain of each phrase.

    Args:
        phrases: of one clip.
        group: all phrases of the same speaker, these among them: what they have in common is moved all the way.
        aim_lufs: of the middle of the group.
        recorded_lufs: recording level of each phrase, see performance.recorded_levels; None for one of all.
        masks_lufs: of each phrase, noise under which something else covers it; None for nothing.
    """
    together = group_gain_db(group, aim_lufs)
    usual_noise = _usual_noise_lufs(group, together)
    spread = limits.spread
    found = []
    for index, phrase in enumerate(phrases):
        recorded = aim_lufs - together if recorded_lufs is None else recorded_lufs[index]
        recorded_away = recorded + together - aim_lufs
        own_away = phrase.level_lufs - recorded
        recorded_by = recorded_away * (spread.kept_of_recorded - 1.0)
        by = float(np.clip(recorded_by + spread.kept_lu(own_away) - own_away, -limits.most_db, limits.most_db))
        mask = None if masks_lufs is None else masks_lufs[index]
        most = _most_for_noise(phrase, together, usual_noise, aim_lufs, mask)
        gain = together + min(by, max(0.0, most))
        floor = None if phrase.noise_lufs is None else phrase.noise_lufs + max(gain, together + recorded_by)
        is_heard = floor is not None and floor > max(aim_lufs - UNHEARD_NOISE_LU, -np.inf if mask is None else mask)
        pause = together + _kept_even(recorded_by, phrase, together, usual_noise) if is_heard else None
        found.append(PhraseGain(gain, max(0.0, most) < by - 0.1, together + recorded_by, pause))
    return _run_on(phrases, found)


def _kept_even(recorded_by: float, phrase: Phrase, together: float, usual_noise: float) -> float:
    # The gain of a recording level in its pauses, as far as it brings their noise nearer to the usual.
    under = usual_noise - ((phrase.noise_lufs or 0.0) + together)
    return float(np.clip(recorded_by, min(0.0, under - _STEADY_FLOOR_DB), max(0.0, under + _STEADY_FLOOR_DB)))


def _most_for_noise(
    phrase: Phrase, together: float, usual_noise: float, aim_lufs: float, mask_lufs: float | None
) -> float:
    # By how much a phrase may be raised, in dB over the gain of its group, before the noise behind it is too loud.
    if phrase.noise_lufs is None:
        return MOST_GAIN_DB
    # The nearer the noise is to the phrase itself, the less of it may come up under it; its pauses have their own gain.
    distance = phrase.level_lufs - phrase.noise_lufs
    rise_db = float(np.interp(distance, NOISE_DISTANCES_LU, NOISE_RISES_DB))
    allowed = usual_noise + rise_db
    if distance >= LEAST_NOISE_DISTANCE_LU:
        allowed = max(allowed, aim_lufs - UNHEARD_NOISE_LU)
        if mask_lufs is not None:
            allowed = max(allowed, mask_lufs)
    return allowed - (phrase.noise_lufs + together)


def _run_on(phrases: Sequence[Phrase], gains: Sequence[PhraseGain]) -> list[PhraseGain]:
    # Where one phrase runs on into the next, the louder one decides: the other gets as far from it as it can move.
    found = list(gains)
    pairs = [index for index in range(1, len(found)) if phrases[index].is_run_on]
    for index in (*pairs, *reversed(pairs)):
        is_first = phrases[index - 1].level_lufs >= phrases[index].level_lufs
        loud, other = (index - 1, index) if is_first else (index, index - 1)
        most = RUN_ON_DB_PER_S * min(_MOST_RUN_ON_S, phrases[other].n_hops / HOPS_PER_SECOND / 2.0)
        near = found[loud].gain_db
        found[other] = replace(found[other], gain_db=float(np.clip(found[other].gain_db, near - most, near + most)))
    return found


def ride_over(
    phrases: Sequence[Phrase], gains: Sequence[PhraseGain], length_samples: int, others: Sequence[Held] = ()
) -> tuple[float, tuple[CurvePoint, ...]]:
    """The gain of a clip and the curve on top of it that give each phrase its gain.

    Args:
        phrases: in order, on the clip's clock.
        length_samples: of the clip.
        others: sounds between the phrases with gains of their own.

    Returns:
        Gain in dB and points; no points where one gain is enough.
    """
    weights = [p.n_hops for p in phrases]
    gains_db = [gain.gain_db for gain in gains]
    gain_db = round(weighted_median(gains_db, weights), 1)
    if max(abs(g - gain_db) for g in [*gains_db, *(one.gain_db for one in others)]) < _LEAST_RIDE_DB:
        return round(float(np.average(gains_db, weights=weights)), 1), ()
    moved = [
        replace(g, gain_db=g.gain_db - gain_db, pause_db=None if g.pause_db is None else g.pause_db - gain_db)
        for g in gains
    ]
    shifted = [replace(one, gain_db=one.gain_db - gain_db) for one in others]
    return gain_db, curve_over(phrases, moved, length_samples, shifted)


def curve_over(
    phrases: Sequence[Phrase], gains: Sequence[PhraseGain], length_samples: int, others: Sequence[Held] = ()
) -> tuple[CurvePoint, ...]:
    """A curve that gives each phrase its gain and moves between sounds, in straight lines of three seconds or less.

    Args:
        phrases: of one clip, in order.
        gains: of each phrase.
        length_samples: of the clip.
        others: sounds beside the phrases over which the curve stands still too.
    """
    held = _held(phrases, gains, others)
    points: list[CurvePoint] = []
    for index, one in enumerate(held):
        begin, end = one.first_hop * HOP_SAMPLES, min(one.last_hop * HOP_SAMPLES, length_samples)
        if index > 0:
            before = held[index - 1].last_hop * HOP_SAMPLES
            begin = max(begin - _space(begin - before), points[-1].at_sample + 1)
        if index + 1 < len(held):
            end += _space(held[index + 1].first_hop * HOP_SAMPLES - end)
        points.append(CurvePoint(begin, round(one.gain_db, 1) + 0.0))
        points.append(CurvePoint(max(end, begin + 1), round(one.gain_db, 1) + 0.0))
    return _without_needless(points)


def _held(phrases: Sequence[Phrase], gains: Sequence[PhraseGain], others: Sequence[Held]) -> list[Held]:
    # Where the gain stands still, in order: phrases with all that belongs to them, other sounds, noise of long pauses.
    found = [Held(max(0, p.sounds_from), p.sounds_to, g.gain_db) for p, g in zip(phrases, gains, strict=True)]
    for index in range(1, len(found)):
        if phrases[index].is_run_on:
            # The gain moves inside the quieter one, slowly.
            a, b = found[index - 1], found[index]
            # Both keep their gain for an edge's length into the ramp: that is no part of it.
            ramp = round(abs(a.gain_db - b.gain_db) / RUN_ON_DB_PER_S * HOPS_PER_SECOND) + 2 * _EDGE_HOPS
            if phrases[index - 1].level_lufs >= phrases[index].level_lufs:
                found[index] = replace(b, first_hop=min(a.last_hop + ramp, b.last_hop - 1))
            else:
                found[index - 1] = replace(a, last_hop=max(b.first_hop - ramp, a.first_hop + 1))
    laid = sorted([*found, *others], key=lambda one: one.first_hop)
    pauses: list[Held] = []
    for index in range(1, len(found)):
        a, b = found[index - 1], found[index]
        is_free = not any(a.last_hop <= one.first_hop < b.first_hop for one in others)
        if is_free and not phrases[index].is_run_on:
            pauses += _steady(a, gains[index - 1].pause_db, b, gains[index].pause_db)
    return sorted([*laid, *pauses], key=lambda one: one.first_hop)


def _steady(a: Held, a_pause_db: float | None, b: Held, b_pause_db: float | None) -> list[Held]:
    # In a pause in which noise is heard the gain goes back near that of the recording level: the noise does not move.
    length = b.first_hop - a.last_hop
    if length < _LEAST_STEADY_S * HOPS_PER_SECOND:
        return []
    ramp = min(round(_STEADY_RAMP_S * HOPS_PER_SECOND), length // 4)
    first = _near(a.gain_db, a_pause_db)
    last = _near(b.gain_db, b_pause_db)
    if first == a.gain_db and last == b.gain_db:
        return []
    middle = (a.last_hop + b.first_hop) // 2
    begin, end = a.last_hop + ramp, b.first_hop - ramp
    return [Held(begin, max(begin + 1, middle - ramp // 2), first), Held(min(end - 1, middle + ramp // 2), end, last)]


def _near(gain_db: float, pause_db: float | None) -> float:
    if pause_db is None:
        return gain_db
    return min(max(gain_db, pause_db - _STEADY_FLOOR_DB / 2.0), pause_db + _STEADY_FLOOR_DB / 2.0)


def weighted_median(values: Sequence[float], weights: Sequence[float]) -> float:
    """The value at which half of all weight is reached.

    >>> weighted_median([1.0, 2.0, 9.0], [1.0, 1.0, 5.0])
    9.0
    """
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
