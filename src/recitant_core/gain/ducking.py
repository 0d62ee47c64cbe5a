"""Ducking: the rule by which a stem gives way to speech, and the curve of few points that the rule makes.

Works on arrays of 10 ms hops and on spans of the programme; which stem and which speech, render.following decides.
Held to: tests/core/test_ducking.py
"""

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np
from scipy.ndimage import maximum_filter1d, minimum_filter1d

from recitant_core.gain.duck_rule import DuckRule
from recitant_core.speech.corrections import merged
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, RATE_HZ, SampleSpan
from recitant_core.units.remembered import Remembered

DEEPEST_DB: Final = -60.0
BLOCK_S: Final = 4.0  # inside a passage the depth is looked at again about this often
SHALLOWER_LASTS_S: Final = 8.0  # and the sound comes up inside talk only for this long
SHALLOWER_DB: Final = 3.0  # and by this much
PERSISTS_HOPS: Final = 43  # what is over in less than half a second sets no depth
AHEAD_S: Final = 0.1  # a dip is whole this long before the first word: momentary loudness still holds what was before
_NOTHING_DB: Final = 0.05
TOP_STAY_S: Final = 0.5  # a rise that could not stay up this long is not made
PHRASE_SEARCH_S: Final = 2.0
PHRASE_RISE_DB: Final = 4.0
_PHRASE_HOPS: Final = 60


@dataclass(frozen=True, order=True)
class DuckPoint:
    """A point of a ducking curve, in programme time; pinned where somebody touched it."""

    at_sample: int
    gain_db: float
    is_pinned: bool = False


Points = tuple[DuckPoint, ...]


@dataclass(frozen=True)
class Dip:
    """A stretch in which a curve lies under its top."""

    span: SampleSpan
    depth_db: float
    is_pinned: bool


def points_db(points: Points, places: FloatArray) -> FloatArray:
    """Gain in dB at each place, float64 (places,): straight between points, 0 without any.

    Args:
        points: in order; before the first and behind the last their gain stands.
        places: float64 (places,), samples of the programme.

    >>> points_db((DuckPoint(0, 0.0), DuckPoint(100, -8.0)), np.array([-5.0, 25.0, 200.0])).tolist()
    [0.0, -2.0, -8.0]
    """
    if not points:
        return np.zeros(len(places))
    at = np.array([point.at_sample for point in points], dtype=np.float64)
    gains_db: FloatArray = np.interp(places, at, np.array([point.gain_db for point in points]))
    return gains_db


def hop_gains_db(points: Points, n_hops: int) -> FloatArray:
    """Gain in dB at the middle of each hop of 10 ms, float64 (hops,), read-only and kept.

    Args:
        points: see points_db.
        n_hops: of the programme.
    """

    def make() -> FloatArray:
        return points_db(points, np.arange(n_hops, dtype=np.float64) * HOP_SAMPLES + HOP_SAMPLES // 2)

    return _hop_gains.get_or_make((points, n_hops), make)


_hop_gains: Final = Remembered[FloatArray](48 << 20)


def passages(speech: Sequence[SampleSpan], rule: DuckRule) -> list[SampleSpan]:
    """Stretches of talk that one dip covers, over pauses shorter than the bridge or than a whole rise and fall."""
    whole = rule.hold_s + rule.recovery_s + AHEAD_S + rule.lead_in_s + TOP_STAY_S
    return merged(speech, _samples(max(rule.bridge_s, whole)))


def levels_in_passage(
    passage: SampleSpan, need_db: FloatArray, rule: DuckRule, speech: Sequence[SampleSpan]
) -> list[tuple[int, float]]:
    """Levels of a dip along a passage: [(from sample, level in dB)], the first at the passage's start.

    Args:
        speech: in order; where the sound comes up inside a passage, it does so under words, never into a pause.
        need_db: float64 (hops,) of the whole programme: 0 or negative, the gain each moment needs.
    """
    first, last = passage.start_sample // HOP_SAMPLES, -(-passage.end_sample // HOP_SAMPLES)
    needed = need_db[first:last]
    if not needed.size or needed.min() > -_NOTHING_DB:
        return [(passage.start_sample, 0.0)]
    inside = np.maximum(_persistent(needed), rule.floor_db)
    blocks = _blocks(inside)
    levels: list[tuple[int, float]] = []
    for index, (at, wanted) in enumerate(blocks):
        level = _level_for(wanted, rule)
        if not levels:
            levels.append((at, level))
        elif level < levels[-1][1]:
            # Deeper is never late: the fall ends where the need begins.
            _deepen(levels, at, level, rule)
        elif at > levels[-1][0] and level - levels[-1][1] >= max(SHALLOWER_DB, rule.least_change_db):
            # Shallower only where it stays so for long enough to be worth a move.
            calm_db = _calm_level_db(blocks[index:], levels[-1][1], len(inside))
            if calm_db is not None:
                level = _level_for(calm_db, rule)
                rise = rise_samples(level - levels[-1][1], rule)
                under = _under_words((first + at) * HOP_SAMPLES, rise, passage, speech)
                if under is not None:
                    levels.append((under // HOP_SAMPLES - first, level))
    return [((first + at) * HOP_SAMPLES if at else passage.start_sample, round(level, 2)) for at, level in levels]


def _blocks(inside: FloatArray) -> list[tuple[int, float]]:
    """First hop of each block of a passage, and the deepest gain in dB that it needs."""
    n_blocks = max(1, round(len(inside) / (BLOCK_S * RATE_HZ / HOP_SAMPLES)))
    edges = np.linspace(0, len(inside), n_blocks + 1).astype(int)
    return [(int(a), float(inside[a:b].min())) for a, b in pairwise(edges.tolist()) if b > a]


def _level_for(wanted_db: float, rule: DuckRule) -> float:
    """Level of a dip for a wanted gain: none, or at least the least change."""
    return 0.0 if wanted_db > -_NOTHING_DB else min(wanted_db, -rule.least_change_db)


def _deepen(levels: list[tuple[int, float]], at: int, level: float, rule: DuckRule) -> None:
    if at <= levels[-1][0] and len(levels) > 1:
        levels.pop()  # a rise that was put off to here is not made
    if levels[-1][1] - level >= rule.least_change_db:
        levels.append((at, level))
    else:
        levels[-1] = (levels[-1][0], level)


def _calm_level_db(ahead: Sequence[tuple[int, float]], now_db: float, n_hops: int) -> float | None:
    """Gain in dB to which a dip may come up here and stay; None where it may not come up."""
    at, lasts = ahead[0][0], SHALLOWER_LASTS_S * RATE_HZ / HOP_SAMPLES
    calm = min(wanted for begin, wanted in ahead if begin < at + lasts)
    return calm if n_hops - at >= lasts and calm - now_db >= SHALLOWER_DB else None


def curve_points(
    levelled: Sequence[tuple[SampleSpan, list[tuple[int, float]]]], rule: DuckRule, own_energy: FloatArray
) -> Points:
    """The points of a curve that lies at these levels in these passages and at 0 between them.

    Args:
        levelled: passages in order with their levels, see levels_in_passage.
        own_energy: float64 (hops,), of what is ducked: it rises with a phrase of its own where one begins near by.
    """
    joined: list[tuple[SampleSpan, list[tuple[int, float]]]] = []
    for span, levels in levelled:
        if all(level == 0.0 for _, level in levels):
            continue
        if joined:
            before, before_levels = joined[-1]
            up = rise_samples(before_levels[-1][1], rule)
            down = fall_samples(levels[0][1], rule)
            stay = _samples(rule.hold_s + AHEAD_S + TOP_STAY_S)
            if span.start_sample - down < before.end_sample + up + stay:
                # No time to come up in between: stay down, at the shallower of both.
                whole = SampleSpan(before.start_sample, span.end_sample - before.start_sample)
                joined[-1] = (whole, [*before_levels, *levels])
                continue
        joined.append((span, levels))
    points: list[DuckPoint] = []
    for index, (span, levels) in enumerate(joined):
        next_down = None
        if index + 1 < len(joined):
            following, following_levels = joined[index + 1]
            next_down = following.start_sample - fall_samples(following_levels[0][1], rule) - _samples(AHEAD_S)
        points += _one_dip(span, levels, rule, own_energy, next_down)
    return _tidy(points)


def laid_around_pinned(made: Points, old: Points, rule: DuckRule) -> Points:
    """A new curve that keeps the pinned points of the old one and the lines between them.

    Pinned points that follow each other in the old curve are one stretch; outside of it the new curve holds.
    """
    stretches: list[list[DuckPoint]] = []
    before: DuckPoint | None = None
    for point in old:
        if point.is_pinned:
            if before is not None and before.is_pinned:
                stretches[-1].append(point)
            else:
                stretches.append([point])
        before = point
    points = list(made)
    for stretch in stretches:
        first, last = stretch[0], stretch[-1]
        curve = tuple(points)
        ramp_in = _ramp_samples(float(points_db(curve, np.array([float(first.at_sample)]))[0]) - first.gain_db, rule)
        ramp_out = _ramp_samples(last.gain_db - float(points_db(curve, np.array([float(last.at_sample)]))[0]), rule)
        begin, end = max(0, first.at_sample - ramp_in), last.at_sample + ramp_out
        edges = points_db(curve, np.array([begin, end], dtype=np.float64))
        # Another pinned stretch so near by is not given up: the lines between both are then their own.
        pinned = [p for p in points if p.is_pinned]
        kept = [p for p in points if p.is_pinned or not begin <= p.at_sample <= end]
        if begin < first.at_sample and not any(begin <= p.at_sample for p in pinned):
            kept.append(DuckPoint(begin, round(float(edges[0]), 2)))
        if end > last.at_sample:
            kept.append(DuckPoint(end, round(float(edges[1]), 2)))
        points = sorted([*kept, *stretch], key=lambda p: p.at_sample)
    # A ramp of one stretch may end where another begins.
    places = {p.at_sample for p in points if p.is_pinned}
    return tuple(p for p in points if p.is_pinned or p.at_sample not in places)


def dips(points: Points) -> list[Dip]:
    """Every stretch in which a curve lies under 0 dB, in order.

    >>> found = dips((DuckPoint(0, 0.0), DuckPoint(10, -6.0), DuckPoint(90, -6.0), DuckPoint(99, 0.0)))
    >>> [(dip.span.start_sample, dip.span.end_sample) for dip in found]
    [(0, 99)]
    """
    found: list[Dip] = []
    begun: int | None = None
    for index, point in enumerate(points):
        is_low = point.gain_db < -0.05
        if is_low and begun is None:
            begun = index
        elif not is_low and begun is not None:
            found.append(_dip(points, begun, index))
            begun = None
    if begun is not None:
        found.append(_dip(points, begun, len(points) - 1))
    return found


def travel_db_per_min(points: Points, length_samples: int) -> float:
    """Sum of a curve's moves, up and down, in dB a minute of the programme, which counts as one at least.

    >>> travel_db_per_min((DuckPoint(0, 0.0), DuckPoint(9, -6.0), DuckPoint(99, 0.0)), 2 * 60 * 48_000)
    6.0
    """
    moved = sum(abs(b.gain_db - a.gain_db) for a, b in pairwise(points))
    return moved / max(1.0, length_samples / (60 * RATE_HZ))


@dataclass(frozen=True)
class CurveChange:
    """Numbers of dips by what remaking a curve did to them."""

    n_new: int = 0
    n_moved: int = 0
    n_gone: int = 0
    n_kept: int = 0
    """Dips that hold pinned points."""


def curve_change(old: Points, new: Points) -> CurveChange:
    """Dips of two curves against each other: new, gone, and moved by 20 ms or half a dB and more."""
    before, after = dips(old), dips(new)
    n_moved = n_new = 0
    met = set()
    for dip in after:
        twin = next((i for i, b in enumerate(before) if i not in met and b.span.intersect(dip.span)), None)
        if twin is None:
            n_new += 1
            continue
        met.add(twin)
        was = before[twin]
        shift = max(abs(was.span.start_sample - dip.span.start_sample), abs(was.span.end_sample - dip.span.end_sample))
        if shift > RATE_HZ // 50 or abs(was.depth_db - dip.depth_db) > 0.5:
            n_moved += 1
    return CurveChange(n_new, n_moved, len(before) - len(met), sum(1 for dip in after if dip.is_pinned))


def _samples(time_s: float) -> int:
    return round(time_s * RATE_HZ)


def _dip(points: Points, first: int, last: int) -> Dip:
    begin, end = points[max(0, first - 1)], points[last]
    held = points[max(0, first - 1) : last + 1]
    span = SampleSpan(begin.at_sample, end.at_sample - begin.at_sample)
    return Dip(span, min(p.gain_db for p in held), any(p.is_pinned for p in held))


def _persistent(need_db: FloatArray) -> FloatArray:
    # What every window of half a second around a moment agrees on: shorter needs vanish, longer ones keep their length.
    if len(need_db) <= PERSISTS_HOPS:
        return np.full(len(need_db), float(np.median(need_db))) if len(need_db) else need_db
    highest = maximum_filter1d(need_db, PERSISTS_HOPS, mode="nearest")
    opened: FloatArray = minimum_filter1d(highest, PERSISTS_HOPS, mode="nearest")
    return opened


def fall_samples(depth_db: float, rule: DuckRule) -> int:
    """Length of a fall of this depth under a rule, in samples."""
    return _samples(max(rule.lead_in_s, abs(depth_db) / rule.slope_db_per_s, 0.005))


def rise_samples(depth_db: float, rule: DuckRule) -> int:
    """Length of a rise of this height under a rule, in samples."""
    return _samples(max(rule.recovery_s, abs(depth_db) / rule.slope_db_per_s, 0.005))


def _ramp_samples(step_db: float, rule: DuckRule) -> int:
    if abs(step_db) < 0.05:
        return 0
    return fall_samples(step_db, rule) if step_db > 0 else rise_samples(step_db, rule)


def _one_dip(
    span: SampleSpan, levels: list[tuple[int, float]], rule: DuckRule, own_energy: FloatArray, next_down: int | None
) -> list[DuckPoint]:
    level = levels[0][1]
    points = []
    whole = max(0, span.start_sample - _samples(AHEAD_S))
    begin = whole - fall_samples(level, rule)
    if begin > 0:
        points.append(DuckPoint(begin, 0.0))
    points.append(DuckPoint(whole, level))
    for at, wanted in levels[1:]:
        if abs(wanted - level) < 0.05:
            continue
        last = points[-1].at_sample
        if wanted < level:
            ramp = fall_samples(wanted - level, rule)
            points += [DuckPoint(max(at - ramp, last + 1), level), DuckPoint(max(at, last + 2), wanted)]
        else:
            points += [
                DuckPoint(max(at, last + 1), level),
                DuckPoint(max(at, last + 1) + rise_samples(wanted - level, rule), wanted),
            ]
        level = wanted
    ramp = rise_samples(level, rule)
    leave = max(span.end_sample + _samples(rule.hold_s), points[-1].at_sample + 1)
    if rule.uses_phrases:
        leave = _with_phrase(leave, ramp, own_energy, next_down)
    points += [DuckPoint(leave, level), DuckPoint(leave + ramp, 0.0)]
    return points


def _under_words(at: int, length: int, passage: SampleSpan, speech: Sequence[SampleSpan]) -> int | None:
    # The first place from here on where somebody speaks for so long.
    index = max(0, bisect_right(speech, at, key=lambda span: span.start_sample) - 1)
    for span in speech[index:]:
        if span.start_sample >= passage.end_sample:
            break
        begin = max(at, span.start_sample)
        if span.end_sample - begin >= length:
            return begin
    return None


def _with_phrase(leave: int, ramp: int, own_energy: FloatArray, next_down: int | None) -> int:
    # The strongest onset of what is ducked, shortly after it would be up: the rise ends under it.
    up = (leave + ramp) // HOP_SAMPLES
    until = up + round(PHRASE_SEARCH_S * RATE_HZ / HOP_SAMPLES)
    if next_down is not None:
        until = min(until, (next_down - _samples(TOP_STAY_S)) // HOP_SAMPLES)
    from_hop, to_hop = up - _PHRASE_HOPS, min(until + _PHRASE_HOPS, len(own_energy))
    if until <= up or from_hop < 0 or to_hop - from_hop < 3 * _PHRASE_HOPS:
        return leave
    total = np.concatenate([[0.0], np.cumsum(own_energy[from_hop:to_hop])])
    at = np.arange(_PHRASE_HOPS, to_hop - from_hop - _PHRASE_HOPS)
    after = total[at + _PHRASE_HOPS] - total[at]
    before = total[at] - total[at - _PHRASE_HOPS]
    rise_db = 10.0 * np.log10((after + 1e-9) / (before + 1e-9))
    best = int(np.argmax(rise_db))
    if rise_db[best] < PHRASE_RISE_DB:
        return leave
    return (from_hop + int(at[best])) * HOP_SAMPLES - ramp


def _tidy(points: list[DuckPoint]) -> Points:
    # In order, each place once; of two at one place the deeper.
    tidy: list[DuckPoint] = []
    for point in sorted(points, key=lambda p: (p.at_sample, -p.gain_db)):
        if (tidy and point.at_sample == tidy[-1].at_sample) or (
            len(tidy) >= 2 and tidy[-1].gain_db == tidy[-2].gain_db == point.gain_db
        ):
            tidy[-1] = point
        else:
            tidy.append(point)
    while len(tidy) > 1 and tidy[0].gain_db == tidy[1].gain_db == 0.0:
        tidy.pop(0)
    return tuple(tidy)
