"""Close passages with what makes them close, and the remedies that would cure it.

Held to: tests/core/test_ducking_update.py
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from recitant_core.balance.phrase_ride import MOST_RIDE_DB
from recitant_core.delivery.specification.model import Spec
from recitant_core.gain.duck_rule import DuckKind
from recitant_core.measure.clearance import LEAST_PASSAGE_S, ClosePassage, close_passages
from recitant_core.render.clip_levels import level_of_clip
from recitant_core.render.ducking_update import MARGIN_LU
from recitant_core.render.estimate import clip_energy, duck_gains_db, given_way_db
from recitant_core.render.scene import LoudnessScene
from recitant_core.timeline.model import MOST_GAIN_DB, Clip, Duck, Plan, Track
from recitant_core.timeline.speech import SpeechOfSources, speech_of_clip
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, RATE_HZ, SampleSpan
from recitant_core.units.level import lufs_from_power
from recitant_core.units.roles import Role

UNDER_AIM_LU: Final = 1.5
PHRASE_APART_LU: Final = 3.0  # a phrase so much further under the aim than its clip is what is to be raised
LOST_MORE_LU: Final = 3.0
SHORT_EFFECT_S: Final = 15.0
MOST_SCENE_DB: Final = 9.0  # a scene is not lowered further by one cure


@dataclass(frozen=True)
class Cure:
    """One remedy of a close passage: what to change, and what it will probably come to."""

    code: str
    """raise-clip, raise-phrase, deepen, make-room, trim-scene, add-duck or lower-clip."""
    by_db: float
    target_id: str
    """Of a clip or a duck; a role for add-duck."""
    name: str
    role: Role
    cures: bool
    """Whether it will probably be enough by itself."""


@dataclass(frozen=True)
class Diagnosis:
    """A close passage, explained."""

    passage: ClosePassage
    asked_lu: float
    cause: str
    """phrase-under-aim, clip-under-aim, dialogue, music, effects, atmosphere or silent-speech."""
    cause_name: str
    cause_share: float
    """How much of all that speech is to stand clear of the cause makes, 0 to 1; of a clip, LU under its aim."""
    cures: tuple[Cure, ...]
    stands_in_the_way: str
    """Why no single cure is enough; empty where one is."""

    @property
    def short_lu(self) -> float:
        """Clearance in LU that is missing at the closest moment."""
        return self.asked_lu - self.passage.least_lu


def diagnoses(
    scene: LoudnessScene,
    plan: Plan,
    energies: Mapping[str, FloatArray],
    speech: SpeechOfSources,
    spec: Spec,
    asked_lu: float,
    least_s: float = LEAST_PASSAGE_S,
) -> list[Diagnosis]:
    """Every close passage of a plan, in order, with its cause and cures.

    Args:
        scene: of the plan, its ducks apart.
        energies: 10 ms energies of every recording by its key, float64 (hops,) each.
        asked_lu: clearance that is asked for.
        least_s: shortest passage that counts.
    """
    found = close_passages(scene.clearance(plan), asked_lu, least_s)
    if not found:
        return []
    gains = duck_gains_db(plan, scene.tracks)
    return [_diagnosis(p, scene, plan, gains, energies, speech, spec, asked_lu) for p in found]


def diagnoses_of_lost(
    spans: Sequence[SampleSpan],
    scene: LoudnessScene,
    plan: Plan,
    energies: Mapping[str, FloatArray],
    speech: SpeechOfSources,
    spec: Spec,
    asked_lu: float,
) -> list[Diagnosis]:
    """Stretches where words are lost, as close passages: one a stretch, with its cause and cures.

    Where speech stands as clear as is asked for, and words are lost all the same, LOST_MORE_LU more are asked for.

    Args:
        spans: of the lost words, in the programme.
        energies: 10 ms energies of every recording by its key, float64 (hops,) each.
    """
    clear, gains = scene.clearance(plan), duck_gains_db(plan, scene.tracks)
    found = []
    for span in spans:
        values = np.clip(clear[span.start_sample // HOP_SAMPLES : -(-span.end_sample // HOP_SAMPLES)], -99.0, 99.0)
        least = float(values.min()) if values.size else 99.0
        passage = ClosePassage(span, least, float(values.mean()) if values.size else 99.0)
        asked = max(asked_lu, least + LOST_MORE_LU)
        found.append(_diagnosis(passage, scene, plan, gains, energies, speech, spec, asked))
    return found


def _diagnosis(
    passage: ClosePassage,
    scene: LoudnessScene,
    plan: Plan,
    gains: Mapping[str, FloatArray],
    energies: Mapping[str, FloatArray],
    speech: SpeechOfSources,
    spec: Spec,
    asked_lu: float,
) -> Diagnosis:
    hops = slice(passage.span.start_sample // HOP_SAMPLES, passage.span.end_sample // HOP_SAMPLES)
    short = asked_lu - passage.least_lu + MARGIN_LU
    parts: dict[str, float] = {}
    is_over = bool(scene.is_over[hops].any())
    for track in plan.tracks:
        if not track.role.is_speech or (is_over and track.role.kind is Role.DIALOGUE):
            lowered = given_way_db(plan, track, gains)
            energy = scene.tracks[track.track_id][hops]
            parts[track.track_id] = float(
                energy.sum() if lowered is None else (energy * 10.0 ** (lowered[hops] / 10.0)).sum()
            )
    total = sum(parts.values()) or 1e-12
    voices = (Role.NARRATION,) if is_over else (Role.NARRATION, Role.DIALOGUE)
    speaker = _speaker([track for track in plan.tracks if track.role.kind in voices], passage.span, speech)
    cures: list[Cure] = []
    under, is_phrase = 0.0, False
    if speaker is not None:
        track, clip = speaker
        gain_db = track.gain_db + plan.stem_gain_db(track.role) + plan.programme_gain_db
        level = level_of_clip(clip, track, gain_db, energies[clip.sound_key], speech).level_lufs
        aim = spec.aim_lufs(Role.DIALOGUE)
        under = aim - level if level is not None else 0.0
        phrase_under = aim - plan.programme_gain_db - _words_lufs(scene, hops)
        if len(speech_of_clip(clip, speech)) > 1 and phrase_under > max(UNDER_AIM_LU, under + PHRASE_APART_LU):
            is_phrase, under = True, phrase_under
            by = round(min(phrase_under, MOST_RIDE_DB), 1)
            cures.append(Cure("raise-phrase", by, clip.clip_id, clip.name, track.role, by >= short - MARGIN_LU))
        elif under > UNDER_AIM_LU:
            by = round(min(under, MOST_GAIN_DB - clip.gain_db), 1)
            cures.append(Cure("raise-clip", by, clip.clip_id, clip.name, track.role, by >= short - MARGIN_LU))
    worst_id = max(parts, key=parts.__getitem__) if parts else ""
    worst = next((t for t in plan.tracks if t.track_id == worst_id), None)
    way = ""
    if worst is not None:
        cures += _against(worst, parts[worst_id] / total, short, passage, plan, gains, energies)
        way = _in_the_way(cures, worst, plan, gains, hops)
    if speaker is not None and under <= UNDER_AIM_LU:
        track, clip = speaker
        by = round(min(short, MOST_GAIN_DB - clip.gain_db), 1)
        if by > 0.0:
            cures.append(Cure("raise-phrase", by, clip.clip_id, clip.name, track.role, by >= short - MARGIN_LU))
    if passage.least_lu <= -90.0:
        cause, name, share = "silent-speech", speaker[1].name if speaker else "", 1.0
    elif under > UNDER_AIM_LU and speaker is not None:
        cause, name, share = "phrase-under-aim" if is_phrase else "clip-under-aim", speaker[1].name, under
    else:
        cause, name = (worst.role.kind.value, worst.name) if worst is not None else ("music", "")
        share = parts.get(worst_id, 0.0) / total
    return Diagnosis(passage, asked_lu, cause, name, share, tuple(cures), way)


def _words_lufs(scene: LoudnessScene, hops: slice) -> float:
    heard = scene.words[hops][scene.words[hops] > 0.0]
    return lufs_from_power(float(heard.mean())) if len(heard) else 0.0


def _speaker(voices: Sequence[Track], span: SampleSpan, speech: SpeechOfSources) -> tuple[Track, Clip] | None:
    best: tuple[int, Track, Clip] | None = None
    for track in voices:
        for clip in track.in_mix:
            if clip.span.intersect(span) is None:
                continue
            parts = [part.span.intersect(span) for part in speech_of_clip(clip, speech)]
            spoken = sum(part.length_samples for part in parts if part is not None)
            if best is None or spoken > best[0]:
                best = (spoken, track, clip)
    return None if best is None else (best[1], best[2])


def _against(
    worst: Track,
    share: float,
    short: float,
    passage: ClosePassage,
    plan: Plan,
    gains: Mapping[str, FloatArray],
    energies: Mapping[str, FloatArray],
) -> list[Cure]:
    # Lowering what makes a share of the rest can win this much at the most.
    most_won = -10.0 * math.log10(max(1.0 - share, 1e-6))
    wanted = _lowering(share, short)
    hops = slice(passage.span.start_sample // HOP_SAMPLES, passage.span.end_sample // HOP_SAMPLES)
    cures: list[Cure] = []
    duck = plan.duck_of_track(worst.track_id) or plan.duck_of_stem(worst.role)
    if duck is None:
        cures.append(
            Cure("add-duck", 0.0, worst.role.value, worst.role.label.lower(), worst.role, most_won >= short - MARGIN_LU)
        )
    elif duck.rule.kind is DuckKind.CURVE and duck.rule.uses_level:
        left = float(gains[duck.duck_id][hops].min()) - duck.rule.floor_db
        by = round(min(wanted, left), 1)
        if by >= 0.1:
            enough = wanted <= left and most_won >= short - MARGIN_LU
            cures.append(Cure("deepen", by, duck.duck_id, _duck_name(duck, worst), worst.role, enough))
        if not duck.rule.room.is_on:
            name = _duck_name(duck, worst)
            cures.append(Cure("make-room", duck.rule.room.most_db, duck.duck_id, name, worst.role, False))
    clip = _loudest_clip(worst, passage.span, plan, energies)
    if clip is not None and worst.role.kind is Role.EFFECTS and clip.length_samples <= SHORT_EFFECT_S * RATE_HZ:
        by = round(wanted, 1)
        cures.append(Cure("lower-clip", by, clip.clip_id, clip.name, worst.role, most_won >= short - MARGIN_LU))
    by = round(min(wanted, MOST_SCENE_DB), 1)
    is_enough = wanted <= MOST_SCENE_DB and most_won >= short - MARGIN_LU
    cures.append(Cure("trim-scene", by, worst.role.value, worst.role.label.lower(), worst.role, is_enough))
    return cures


def _lowering(share: float, short: float) -> float:
    # What a part that makes `share` of the rest must lose so that the rest loses `short`.
    left = 10.0 ** (-short / 10.0) - (1.0 - share)
    return min(60.0, -10.0 * math.log10(max(left, 1e-6) / share)) if share > 0.0 else 60.0


def _in_the_way(cures: list[Cure], worst: Track, plan: Plan, gains: Mapping[str, FloatArray], hops: slice) -> str:
    if any(cure.cures for cure in cures):
        return ""
    duck = plan.duck_of_track(worst.track_id) or plan.duck_of_stem(worst.role)
    if duck is None:
        return "several"
    if duck.rule.kind is DuckKind.LIVE:
        return "live-key"
    if duck.rule.is_frozen:
        return "frozen"
    if float(gains[duck.duck_id][hops].min()) <= duck.rule.floor_db + 0.1:
        return "floor"
    return "several"


def _loudest_clip(track: Track, span: SampleSpan, plan: Plan, energies: Mapping[str, FloatArray]) -> Clip | None:
    best: tuple[float, Clip] | None = None
    for clip in track.in_mix:
        if clip.span.intersect(span) is None:
            continue
        first, energy = clip_energy(
            clip, track, track.gain_db + plan.stem_gain_db(track.role), energies[clip.sound_key]
        )
        begin = max(0, span.start_sample // HOP_SAMPLES - first)
        power = float(energy[begin : max(begin, span.end_sample // HOP_SAMPLES - first)].sum())
        if best is None or power > best[0]:
            best = (power, clip)
    return None if best is None else best[1]


def _duck_name(duck: Duck, track: Track) -> str:
    return duck.stem.value if duck.stem is not None else track.name
