"""Two levels: how deep stems and tracks go under speech so that each keeps its level there, one depth a run of talk.

Where coming back between two runs would be too much movement, the curve stays down and steps from depth to depth; in a
pause of five seconds and more it then comes up half of the way, so that the music returns.

Dialogue under narration gives way first, music before effects, effects only where speech lacks clearance, atmosphere
last. What the deepest dip that a rule allows does not reach is left: it is a matter for the fader, for a trim of the
scene or for the speech itself. Where a stem still covers the band that carries the consonants, room is made in that
band alone, one depth a run of talk and none in the pauses.
Held to: tests/core/test_two_levels.py
"""

from bisect import bisect_left
from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Final

import numpy as np

from recitant_core.gain.duck_rule import DuckRule, Room
from recitant_core.gain.ducking import AHEAD_S, curve_points, laid_around_pinned, passages
from recitant_core.measure.clearance import BoolArray, momentary_power
from recitant_core.render.ducked_stem import BAND_WINS, Band, DuckedStem, Words
from recitant_core.render.talk_pauses import DETECTED_RETURN_S, in_lists, travel_budget_db
from recitant_core.timeline.model import Duck, Plan
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import ratio_from_lu
from recitant_core.units.remembered import Remembered, fingerprint, prints_of_stretches
from recitant_core.units.roles import Role

QUIET_SPEECH_LU: Final = 10.0  # words further under the middle of all set no depth
STEADY_LU: Final = 3.0  # a level's loud moments lie about this far over it
OFTEN: Final = 0.965
SELDOM: Final = 0.994
CLEAR_WINDOWS: Final = (0.88, 0.965)  # of 400 ms: their quieter ones lie between words, and no dip is made for them
BRIEF_LU: Final = 3.0  # one moment in a hundred may come this much nearer than one in twenty
_STEP_DB: Final = 0.5
_WORTH_LU: Final = 0.5  # a deeper dip that wins less is not made
_ORDER: Final = (Role.DIALOGUE, Role.MUSIC, Role.EFFECTS, Role.ATMOSPHERE)
_MOST_CLOSED: Final = 4.0  # times the bridge: in a gap that is longer the sound always comes back
RETURN_SHARE: Final = 0.5
_BAND_SHARE: Final = 0.15  # of what masks speech in a band: who makes less of it makes no room there
_BAND_OVER_LU: Final = 3.0  # more than on the whole: consonants lie under the vowels whose level is read
_LEAST_ROOM_DB: Final = 1.0
_SILENT_DB: Final = -99.0


def distance_of_rule_lu(rule: DuckRule, asked_lu: float) -> float:
    """Distance in LU under the words at which the loud moments of a stem are meant to stay."""
    return max(-rule.under_lu - STEADY_LU, asked_lu + 1.0)


def lacking_db(distances_db: FloatArray, shares: tuple[float, float] = (OFTEN, SELDOM)) -> float:
    """Excess of a level in dB: that of a share of moments, or of a larger share less 3 LU if that is more; 0 or more.

    By default 96.5 % and 99.4 %, a little more than the 95 % and 99 % wanted, since speech is never found to the hop.

    Args:
        distances_db: of each moment that counts, over what is allowed, float64 (moments,).
        shares: both, 0 to 1.
    """
    if not distances_db.size:
        return 0.0
    last = len(distances_db) - 1
    places = [(int(share * last), min(int(share * last) + 1, last)) for share in shares]
    ranked = np.partition(distances_db, sorted({place for both in places for place in both}))
    # Between two moments as numpy's quantile has it, without its checks: it is asked some hundred times an edit.
    often, seldom = (
        float(ranked[low] + (ranked[high] - ranked[low]) * (share * last - low))
        for share, (low, high) in zip(shares, places, strict=True)
    )
    return max(0.0, often, seldom - BRIEF_LU)


def counted_hops(words: FloatArray, is_speech: BoolArray) -> BoolArray:
    """Hops in speech whose words lie no more than 10 LU under the middle of all words, bool (hops,).

    Args:
        words: power of the words around each hop, float64 (hops,).
    """
    spoken = is_speech & (words > 0.0)
    if not spoken.any():
        return spoken
    found: BoolArray = spoken & (words > np.median(words[spoken]) * ratio_from_lu(-QUIET_SPEECH_LU))
    return found


def over_db(power: FloatArray, words: FloatArray, distance_lu: float) -> FloatArray:
    """Level in dB over what is allowed at a distance under words, float64 (hops,).

    Args:
        power: of the stem around each hop, float64 (hops,).
        words: of speech around each hop, float64 (hops,).
        distance_lu: by which the stem is to stay under them.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        found: FloatArray = np.maximum(10.0 * np.log10(power / words) + distance_lu, _SILENT_DB)
    return found


def with_two_levels(
    plan: Plan,
    ducks: Sequence[Duck],
    targets: Mapping[str, FloatArray],
    others: FloatArray,
    words: FloatArray,
    window_words: FloatArray,
    speech: Mapping[str, Sequence[SampleSpan]],
    is_speech: BoolArray,
    asked_lu: float,
    bands: Mapping[Room, Band],
) -> Plan:
    # over eight parameters: the scene they come from is built on this module's layer, so its parts are handed in
    """The plan with the curves of these ducks remade.

    Args:
        ducks: whose rule keeps two levels.
        targets: energy of what each lowers, before it does, by its id, float64 (hops,).
        others: energy of all else that is not to be understood, float64 (hops,).
        words: power of the words around each hop, float64 (hops,).
        window_words: power of the speech in the 400 ms around each hop, see clearance.window_words_power.
        speech: that counts for each, by its id.
        is_speech: bool (hops,).
        asked_lu: clearance of the programme.
        bands: powers in the band of each room that a rule of these ducks may make.
    """
    key = (fingerprint(words), fingerprint(is_speech))
    counted = _counted.get_or_make(key, lambda: counted_hops(words, is_speech))
    moving = [
        DuckedStem(
            duck,
            plan.role_of(duck),
            momentary_power(targets[duck.duck_id]),
            targets[duck.duck_id],
            distance_of_rule_lu(duck.rule, asked_lu),
            passages(speech[duck.duck_id], duck.rule) if duck.rule.under_lu < duck.rule.open_lu else [],
        )
        for duck in ducks
    ]
    moving.sort(key=lambda one: _ORDER.index(one.role.kind))
    fixed = momentary_power(others)
    # All that moves is looked at together: what one gives, another need not.
    _find_depths(moving, fixed, Words(words, counted, window_words), asked_lu, bands)
    # A curve that moves all the time is heard as pumping: it has so much to spend.
    budget_db = travel_budget_db(is_speech)
    made = {one.duck.duck_id: _drawn_once(one, budget_db) for one in moving}
    return replace(plan, ducks=tuple(made.get(duck.duck_id, duck) for duck in plan.ducks))


def _find_depths(
    moving: list[DuckedStem], fixed: FloatArray, words: Words, asked_lu: float, bands: Mapping[Room, Band]
) -> None:
    for one in moving:
        one.reset()
    # What runs of different stems share a moment hangs together; an edit finds the depths of all others known.
    parts = _parts(moving)
    stretches = [_reach(moving, part) for part in parts]
    signed = np.where(words.counted, words.around, -words.around)
    heard = [signed, words.window, fixed, *(one.power for one in moving)]
    for band in bands.values():
        heard += [band.window, band.fixed, *(band.powers[one.duck.duck_id] for one in moving)]
    prints = zip(*(prints_of_stretches(values, stretches).tolist() for values in heard), strict=True)
    how = tuple((one.duck.rule, one.role, one.distance_lu) for one in moving)
    for part, found in zip(parts, prints, strict=True):
        runs = tuple(tuple(one.runs[mine]) for one, mine in zip(moving, part, strict=True))
        depths = _known.get_or_make(
            (how, asked_lu, runs, found, tuple(bands)),
            lambda part=part: _depths_of_part(moving, part, fixed, words, asked_lu, bands),  # type: ignore[misc]
        )
        for one, mine, (depths_db, rooms_db) in zip(moving, part, depths, strict=True):
            one.depths_db[mine] = depths_db
            one.rooms_db[mine] = rooms_db


_counted: Final = Remembered[BoolArray](8 << 20)
_curves: Final = Remembered[Duck](1 << 16)  # 64 of them: each may hold a thousand points
Depths = tuple[tuple[list[float], list[float]], ...]
"""Of each that moves: depths of its runs in a part, and those of the room that it makes in the spectrum."""
_known: Final = Remembered[Depths](4 << 20)


def _parts(moving: list[DuckedStem]) -> list[list[slice]]:
    """Runs of all that moves, cut where no run reaches over: for each part the runs of each that lie in it."""
    edges = sorted((one.hops(run).start, one.hops(run).stop, at) for at, one in enumerate(moving) for run in one.runs)
    counts = [0] * len(moving)
    parts: list[list[slice]] = []
    end = -1
    for start, stop, at in edges:
        if start >= end:
            parts.append([slice(count, count) for count in counts])
        counts[at] += 1
        parts[-1][at] = slice(parts[-1][at].start, counts[at])
        end = max(end, stop)
    return parts


def _reach(moving: list[DuckedStem], part: list[slice]) -> slice:
    hops = [one.hops(run) for one, mine in zip(moving, part, strict=True) for run in one.runs[mine]]
    return slice(min(one.start for one in hops), max(one.stop for one in hops))


def _depths_of_part(
    moving: list[DuckedStem],
    part: list[slice],
    fixed: FloatArray,
    words: Words,
    asked_lu: float,
    bands: Mapping[Room, Band],
) -> Depths:
    reach = _reach(moving, part)
    for one in moving:
        one.begin(reach)
    for one, mine in zip(moving, part, strict=True):
        for index, run in enumerate(one.runs[mine], mine.start):
            hops = one.hops(run)
            own = over_db(one.power[hops], words.around[hops], one.distance_lu)[words.counted[hops]]
            needed = lacking_db(own)
            if one.role.kind is Role.EFFECTS and needed > 0.0:
                # Effects go down only where they mask.
                rest = _rest(moving, fixed, hops)
                spoken = words.window[hops] > 0.0
                over = over_db(rest[spoken], words.window[hops][spoken], asked_lu)
                if lacking_db(over, CLEAR_WINDOWS) <= 0.0:
                    needed = 0.0
            one.deepen(index, _rounded(needed, one.duck.rule))
    for one, mine in zip(moving, part, strict=True):
        for index, run in enumerate(one.runs[mine], mine.start):
            _deepen(one, index, one.hops(run), moving, fixed, words, asked_lu)
    for one, mine in zip(moving, part, strict=True):
        if one.duck.rule.room in bands:
            for index in range(mine.start, mine.stop):
                one.make_room(index, _room_db(one, index, moving, bands[one.duck.rule.room], asked_lu))
    return tuple((one.depths_db[mine], one.rooms_db[mine]) for one, mine in zip(moving, part, strict=True))


def _room_db(one: DuckedStem, index: int, moving: list[DuckedStem], band: Band, asked_lu: float) -> float:
    # As deep as it takes for the speech, with its consonants, to stand clear in the band.
    hops = one.hops(one.runs[index])
    spoken = band.window[hops] > 0.0
    own = one.lowered_in(band, hops)
    total = band.fixed[hops] + sum(other.lowered_in(band, hops) for other in moving)
    if not spoken.any() or float(own[spoken].sum()) < _BAND_SHARE * float(total[spoken].sum()):
        return 0.0
    lacking = lacking_db(over_db(total[spoken], band.window[hops][spoken], asked_lu + _BAND_OVER_LU), CLEAR_WINDOWS)
    depth_db = float(np.ceil(lacking / BAND_WINS / _STEP_DB - 0.01) * _STEP_DB)
    return min(depth_db, one.duck.rule.room.most_db) if depth_db >= _LEAST_ROOM_DB else 0.0


def _rest(moving: list[DuckedStem], fixed: FloatArray, hops: slice) -> FloatArray:
    return fixed[hops] + sum(one.lowered(hops) for one in moving)


def _deepen(
    one: DuckedStem,
    index: int,
    hops: slice,
    moving: list[DuckedStem],
    fixed: FloatArray,
    words: Words,
    asked_lu: float,
) -> None:
    # The shallowest depth with which speech stands clear for long enough, or from which on no more is won.
    if not words.counted[hops].any():
        return
    now_db = one.depths_db[index]
    beside = np.maximum(_rest(moving, fixed, hops) - one.lowered(hops), 0.0)
    own = one.power[hops]
    # By the words around each moment and, the stricter of both, by windows of 400 ms.
    measures = [
        (own[inside], beside[inside], spoken[hops][inside], shares)
        for spoken, inside, shares in (
            (words.around, words.counted[hops], (OFTEN, SELDOM)),
            (words.window, words.window[hops] > 0.0, CLEAR_WINDOWS),
        )
    ]
    tried = [now_db, *np.arange(np.floor(now_db / _STEP_DB) * _STEP_DB + _STEP_DB, one.most_db + 0.01, _STEP_DB)]
    depths_db = [float(depth) for depth in tried if depth == now_db or depth >= one.duck.rule.least_change_db]

    def lack_at(depth_db: float) -> float:
        left = 10.0 ** (-depth_db / 10.0)
        return max(
            lacking_db(over_db(rest + mine * left, spoken, asked_lu), shares) for mine, rest, spoken, shares in measures
        )

    now, best = lack_at(depths_db[0]), lack_at(depths_db[-1])
    if now <= 0.0 or now - best < _WORTH_LU:
        return
    enough = best + _WORTH_LU / 2 if best > 0.0 else 0.0
    # The deeper, the less is lacking.
    one.deepen(index, depths_db[bisect_left(depths_db, -enough, key=lambda depth_db: -lack_at(depth_db))])


def _rounded(needed_db: float, rule: DuckRule) -> float:
    if needed_db < rule.least_change_db:
        return 0.0
    return min(float(np.ceil(needed_db / _STEP_DB - 0.01) * _STEP_DB), -rule.floor_db)


def _joined(one: DuckedStem, budget_db: float) -> list[tuple[SampleSpan, list[tuple[int, float]]]]:
    """Stretches in which the curve stays down, with the level of each run in them: gaps are closed, the shortest first,
    until it moves no more than is comfortable."""
    depths = one.depths_db
    gaps = [b.start_sample - a.end_sample for a, b in pairwise(one.runs)]
    travel_db = 2.0 * sum(depths)
    closed: set[int] = set()
    for length, index in sorted((length, index) for index, length in enumerate(gaps)):
        if travel_db <= budget_db or length > _MOST_CLOSED * one.duck.rule.bridge_s * RATE_HZ:
            break
        # Staying down saves the rise after this run and the fall before the next, all but their difference.
        travel_db -= 2.0 * min(depths[index], depths[index + 1])
        closed.add(index)
    listed = in_lists(one.runs, gaps)
    found: list[tuple[SampleSpan, list[tuple[int, float]]]] = []
    for index, (run, depth) in enumerate(zip(one.runs, depths, strict=True)):
        if index - 1 not in closed:
            found.append((run, [(run.start_sample, -depth)]))
            continue
        before, levels = found[-1]
        up = -RETURN_SHARE * min(depths[index - 1], depth)
        if gaps[index - 1] >= DETECTED_RETURN_S * RATE_HZ and index - 1 not in listed and levels[-1][1] < up:
            leave = before.end_sample + round(one.duck.rule.hold_s * RATE_HZ)
            levels += [(leave, up), (run.start_sample - round(AHEAD_S * RATE_HZ), -depth)]
            found[-1] = (SampleSpan(before.start_sample, run.end_sample - before.start_sample), levels)
            continue
        # Steps too small to be worth one are taken at the deeper of both.
        if abs(levels[-1][1] + depth) < one.duck.rule.least_change_db:
            levels[-1] = (levels[-1][0], min(levels[-1][1], -depth))
        else:
            levels.append((run.start_sample, -depth))
        found[-1] = (SampleSpan(before.start_sample, run.end_sample - before.start_sample), levels)
    return found


def _drawn_once(one: DuckedStem, budget_db: float) -> Duck:
    # An edit of one stem leaves the curves of the others as they are.
    made_of = (tuple(one.runs), tuple(one.depths_db), tuple(one.rooms_db), budget_db, fingerprint(one.energy))
    return _curves.get_or_make((one.duck, made_of), lambda: _drawn(one, budget_db))


def _drawn(one: DuckedStem, budget_db: float) -> Duck:
    rule = one.duck.rule
    levelled = _joined(one, budget_db)
    rooms = [(run, [(run.start_sample, -room_db)]) for run, room_db in zip(one.runs, one.rooms_db, strict=True)]
    points = laid_around_pinned(curve_points(levelled, rule, one.energy), one.duck.points, rule)
    return replace(one.duck, points=points, room_points=curve_points(rooms, rule, one.energy))
