"""Ducking that follows: from a plan, the energies of its recordings and their speech to the curves of its ducks.

Held to: tests/core/test_ducking_update.py
"""

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Final

import numpy as np

from recitant_core.gain.duck_rule import DuckAim, DuckKind, DuckRule, Room, asked_of_rule_lu
from recitant_core.gain.ducking import Points, curve_points, laid_around_pinned, levels_in_passage, passages
from recitant_core.measure.clearance import (
    BoolArray,
    clearance_of_words_lu,
    close_passages,
    momentary_power,
    speech_mask,
)
from recitant_core.render.ducked_stem import Band
from recitant_core.render.estimate import duck_gains_db
from recitant_core.render.scene import BandEnergies, LoudnessScene, in_band
from recitant_core.render.two_levels import with_two_levels
from recitant_core.timeline.model import Duck, Plan
from recitant_core.timeline.speech import (
    SpeechOfSources,
    Spoken,
    narrated_over,
    speech_of_tracks,
    spoken,
)
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, SampleSpan
from recitant_core.units.level import ratio_from_lu
from recitant_core.units.roles import Role

MARGIN_LU: Final = 0.3  # what an estimate may be off by
SHARE: Final = 0.15  # of the rest: who makes less of it is not asked to give way further
_ROUNDS: Final = 4
_USELESS_SHARE: Final = 0.12
_LEAST_S: Final = 0.45  # shorter close passages do not deepen a dip
_NOTABLE_DB: Final = 0.05
_SILENT_HOP: Final = 1e-6  # energy of 10 ms under some -85 LUFS


def follow(scene: LoudnessScene, speech: SpeechOfSources, asked_lu: float, bands: BandEnergies | None = None) -> Plan:
    """The plan with every curve remade that is not frozen; pinned points stay.

    Args:
        scene: of the plan.
        asked_lu: clearance that the programme asks for.
        bands: for ducks that make room in the spectrum.
    """
    plan = scene.plan
    mine = _speech_of_ducks(plan, speech)
    made = {duck.duck_id: duck for duck in plan.ducks}
    for duck in plan.ducks:
        if _is_remade(duck) and duck.rule.aim is DuckAim.DEPTH:
            made[duck.duck_id] = replace(duck, points=_fixed_points(duck, scene, mine[duck.duck_id]))
    plan = _to_levels(replace(plan, ducks=tuple(made.values())), scene, mine, asked_lu, bands)
    asking = [duck for duck in plan.ducks if _is_remade(duck) and duck.rule.aim is DuckAim.CLEARANCE]
    if asking:
        plan = _to_clearance(plan, scene, asking, mine, asked_lu)
    if bands is not None and any(duck.rule.room.is_on and not duck.rule.is_frozen for duck in plan.ducks):
        plan = _with_room(plan, scene, mine, asked_lu, bands)
    ducks = tuple(duck if duck.rule.room.is_on else replace(duck, room_points=()) for duck in plan.ducks)
    return replace(plan, ducks=ducks)


def _speech_of_ducks(plan: Plan, speech: SpeechOfSources) -> dict[str, tuple[SampleSpan, ...]]:
    """Speech that counts for each duck, by its id."""
    known: dict[tuple[tuple[str, ...], bool, float], tuple[SampleSpan, ...]] = {}
    found = {}
    for duck in plan.ducks:
        tracks = plan.key_tracks(duck)
        # What is measured finds dialogue too deep only where narration runs over it; a fixed depth is somebody's word.
        is_over_only = plan.role_of(duck).kind is Role.DIALOGUE and duck.rule.aim is not DuckAim.DEPTH
        key = (tuple(track.track_id for track in tracks), is_over_only, duck.rule.least_confidence)
        if key not in known:
            sure = {source: _sure(spoken(spans), duck.rule.least_confidence) for source, spans in speech.items()}
            spans = speech_of_tracks(plan, sure, tracks)
            over = narrated_over(plan, speech) if is_over_only else ()
            known[key] = _inside(spans, over) if is_over_only else spans
        found[duck.duck_id] = known[key]
    return found


def _inside(spans: Sequence[SampleSpan], runs: Sequence[SampleSpan]) -> tuple[SampleSpan, ...]:
    return tuple(part for span in spans for run in runs if (part := span.intersect(run)) is not None)


@lru_cache(maxsize=256)
def _sure(spans: Spoken, least_confidence: float) -> Spoken:
    return Spoken(span for span in spans if span.confidence >= least_confidence)


def _to_levels(
    plan: Plan,
    scene: LoudnessScene,
    mine: dict[str, tuple[SampleSpan, ...]],
    asked_lu: float,
    bands: BandEnergies | None,
) -> Plan:
    asking = [duck for duck in plan.ducks if _is_remade(duck) and duck.rule.aim is DuckAim.LEVELS]
    if not asking:
        return plan
    free = replace(plan, ducks=tuple(replace(d, points=()) if d in asking else d for d in plan.ducks))
    targets = {duck.duck_id: scene.target(duck) for duck in asking}
    # What two ducks lower at once counts with the first of them.
    others = np.maximum(scene.rest(duck_gains_db(free, scene.tracks), free) - sum(targets.values()), 0.0)
    return with_two_levels(
        plan,
        asking,
        targets,
        others,
        scene.words,
        scene.window_words,
        mine,
        scene.is_speech,
        asked_lu,
        _bands_of_rooms(free, asking, scene, bands),
    )


def _bands_of_rooms(
    free: Plan, asking: Sequence[Duck], scene: LoudnessScene, bands: BandEnergies | None
) -> dict[Room, Band]:
    """Powers in the band of every room that the rules of these ducks may make; of a plan without their curves."""
    found: dict[Room, Band] = {}
    for room in dict.fromkeys(duck.rule.room for duck in asking if duck.rule.room.is_on):
        if bands is None:
            break
        voice = in_band(free, scene, room, bands)
        targets = {duck.duck_id: voice.target(duck) for duck in asking}
        rest = voice.rest(duck_gains_db(free, scene.tracks), free)
        fixed = np.maximum(rest - sum(targets.values()), 0.0)
        powers = {duck_id: momentary_power(target) for duck_id, target in targets.items()}
        found[room] = Band(voice.window_words, momentary_power(fixed), powers)
    return found


def needs_db(
    targets: list[FloatArray], fixed: FloatArray, words: FloatArray, asked_lu: list[float]
) -> list[FloatArray]:
    """Gain that each target needs at each hop so that speech stands clear, float64 (hops,) each, 0 or negative.

    The loudest give way first, down to the level of the next: all that still are too loud end at one level.

    Args:
        targets: momentary powers of what gives way.
        fixed: momentary power of the rest that does not.
        words: power of the words around each hop.
        asked_lu: clearance each target is asked for.
    """
    stacked = np.sort(np.stack(targets), axis=0)
    below = np.concatenate([np.zeros((1, stacked.shape[1])), np.cumsum(stacked, axis=0)])
    found = []
    for target, asked in zip(targets, asked_lu, strict=True):
        # Where the others alone are too loud, silence would not help: down to where more would win half an LU.
        allowed = np.maximum(words / ratio_from_lu(asked) - fixed, _USELESS_SHARE * fixed)
        cap = np.full(len(words), np.inf)
        for index in range(len(targets) - 1, -1, -1):
            candidate = np.maximum(allowed - below[index], 0.0) / (len(targets) - index)
            cap = np.where(candidate <= stacked[index], candidate, cap)
        with np.errstate(divide="ignore", invalid="ignore"):
            need = 10.0 * np.log10(np.minimum(1.0, cap / np.maximum(target, 1e-30)))
        found.append(np.where(target > 0.0, np.maximum(need, -99.0), 0.0))
    return found


def _is_remade(duck: Duck) -> bool:
    return duck.rule.kind is DuckKind.CURVE and not duck.rule.is_frozen and duck.rule.uses_level


def _fixed_points(duck: Duck, scene: LoudnessScene, speech: tuple[SampleSpan, ...]) -> Points:
    rule, own = duck.rule, scene.lowered_by(duck)
    depth_db = max(-abs(rule.depth_db), rule.floor_db)
    need = np.where(_sounds(own), depth_db, 0.0)
    levelled = []
    for passage in passages(speech, rule):
        first, last = passage.start_sample // HOP_SAMPLES, -(-passage.end_sample // HOP_SAMPLES)
        level = depth_db if (need[first:last] < 0.0).any() else 0.0
        levelled.append((passage, [(passage.start_sample, level)]))
    return laid_around_pinned(curve_points(levelled, rule, own), duck.points, rule)


def _sounds(energy: FloatArray) -> BoolArray:
    return momentary_power(energy) > _SILENT_HOP / HOP_SAMPLES


class _Asked:
    """One duck that goes as deep as clearance needs, while its curve is being found."""

    def __init__(self, duck: Duck, scene: LoudnessScene, speech: tuple[SampleSpan, ...], wanted_lu: float) -> None:
        self.duck = duck
        self.wanted_lu = wanted_lu
        self.own = scene.target(duck)
        self.need_db = np.zeros(len(scene.is_speech))
        self._speech = speech
        self._talk = passages(speech, duck.rule)
        self._starts = [passage.start_sample for passage in self._talk]
        self._levels: list[list[tuple[int, float]]] = [[] for _ in self._talk]
        self._changed = set(range(len(self._talk)))

    def needs(self, hops: slice, deeper_db: FloatArray) -> bool:
        """Ask for more in a stretch; whether that is more than was asked already."""
        if not (deeper_db < self.need_db[hops] - _NOTABLE_DB).any():
            return False
        self.need_db[hops] = np.minimum(self.need_db[hops], deeper_db)
        last = bisect_right(self._starts, hops.stop * HOP_SAMPLES)
        first = max(0, bisect_right(self._starts, hops.start * HOP_SAMPLES) - 1)
        self._changed.update(range(first, last))
        return True

    def drawn(self) -> Duck:
        """The duck with its curve; only passages whose need changed are looked at again."""
        rule = self.duck.rule
        for index in self._changed:
            self._levels[index] = levels_in_passage(self._talk[index], self.need_db, rule, self._speech)
        self._changed.clear()
        levelled = list(zip(self._talk, self._levels, strict=True))
        points = laid_around_pinned(curve_points(levelled, rule, self.own), self.duck.points, rule)
        return replace(self.duck, points=points)


def _to_clearance(
    plan: Plan, scene: LoudnessScene, asking: list[Duck], mine: dict[str, tuple[SampleSpan, ...]], asked_lu: float
) -> Plan:
    free = replace(plan, ducks=tuple(replace(d, points=()) if d in asking else d for d in plan.ducks))
    gains = duck_gains_db(free, scene.tracks)
    asked = [
        _Asked(duck, scene, mine[duck.duck_id], asked_of_rule_lu(duck.rule, asked_lu) + MARGIN_LU) for duck in asking
    ]
    targets = [momentary_power(one.own) for one in asked]
    # What several ducks lower at once is counted with each; the rounds below settle the rest.
    fixed = np.maximum(momentary_power(scene.rest(gains, free)) - sum(targets), 0.0)
    # Only where somebody speaks anything is needed: the rest of the programme is left out of the sums.
    spoken = np.flatnonzero(scene.is_speech)
    wanted = [one.wanted_lu for one in asked]
    found = needs_db([target[spoken] for target in targets], fixed[spoken], scene.words[spoken], wanted)
    for one, some in zip(asked, found, strict=True):
        one.need_db[spoken] = some
        if one.duck.rule.keys:
            one.need_db[~speech_mask(mine[one.duck.duck_id], len(one.need_db))] = 0.0
    made = {duck.duck_id: duck for duck in plan.ducks}
    to_draw = asked
    for _ in range(_ROUNDS):
        made |= {one.duck.duck_id: one.drawn() for one in to_draw}
        plan = replace(plan, ducks=tuple(made.values()))
        to_draw = _deepened(plan, scene, asked)
        if not to_draw:
            break
    return plan


def _deepened(plan: Plan, scene: LoudnessScene, asked: list[_Asked]) -> list[_Asked]:
    # Where speech is still too close, whoever makes much of the rest and can go deeper needs that much more.
    gains = duck_gains_db(plan, scene.tracks)
    rest = scene.rest(gains, plan)
    clear = clearance_of_words_lu(scene.words, rest, scene.is_speech)
    by_wanted = {one.wanted_lu: close_passages(clear, one.wanted_lu - MARGIN_LU, _LEAST_S) for one in asked}
    if not any(by_wanted.values()):
        return []
    rest_power = np.maximum(momentary_power(rest), 1e-30)
    more = []
    for one in asked:
        found = by_wanted[one.wanted_lu]
        if not found:
            continue
        lowered = gains[one.duck.duck_id]
        may = momentary_power(one.own * 10.0 ** (lowered / 10.0)) >= SHARE * rest_power
        may &= lowered > one.duck.rule.floor_db + _NOTABLE_DB
        short = np.minimum(one.wanted_lu - clear, 60.0)
        deeper = np.where(may & (short > 0.0), lowered - np.maximum(short, 0.0), 0.0)
        is_more = False
        for passage in found:
            first = passage.span.start_sample // HOP_SAMPLES
            hops = slice(first, first + passage.span.length_samples // HOP_SAMPLES)
            part = deeper[hops]
            if np.count_nonzero(may[hops]) * 2 > len(part):
                part = np.minimum(part, np.partition(part, len(part) // 2)[len(part) // 2])
            is_more |= one.needs(hops, part)
        if is_more:
            more.append(one)
    return more


def _with_room(
    plan: Plan, scene: LoudnessScene, mine: dict[str, tuple[SampleSpan, ...]], asked_lu: float, bands: BandEnergies
) -> Plan:
    made = []
    for duck in plan.ducks:
        room = duck.rule.room
        if not room.is_on or duck.rule.is_frozen or (_is_remade(duck) and duck.rule.aim is DuckAim.LEVELS):
            made.append(duck)
            continue
        voice = in_band(plan, scene, room, bands)
        gains = duck_gains_db(plan, scene.tracks)
        words = voice.words
        target = voice.target(duck) * 10.0 ** (gains[duck.duck_id] / 10.0)
        rest = voice.rest(gains, plan)
        asked = asked_of_rule_lu(duck.rule, asked_lu) + MARGIN_LU
        fixed = np.maximum(momentary_power(rest - target), 0.0)
        need = needs_db([momentary_power(target)], fixed, words, [asked])[0]
        need = np.where(speech_mask(mine[duck.duck_id], len(need)), need, 0.0)
        made.append(replace(duck, room_points=_room_points(duck.rule, need, mine[duck.duck_id], voice.target(duck))))
    return replace(plan, ducks=tuple(made))


def _room_points(rule: DuckRule, need: FloatArray, speech: tuple[SampleSpan, ...], own: FloatArray) -> Points:
    room_rule = replace(rule, floor_db=-rule.room.most_db)
    levelled = [
        (passage, levels_in_passage(passage, need, room_rule, speech)) for passage in passages(speech, room_rule)
    ]
    return curve_points(levelled, room_rule, own)
