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
_SILENT_SPEECH_LU: Final = -90.0  # clearance from which on the speech is silent
_CLEARANCE_LU: Final = (-99.0, 99.0)  # where nothing sounds, or nothing stands against the speech
_LEAST_ENERGY: Final = 1e-12


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


@dataclass(frozen=True)
class _Programme:
    """A programme as far as its passages are explained from it."""

    scene: LoudnessScene
    plan: Plan
    gains_db: Mapping[str, FloatArray]
    """Of each duck by its id, float64 (hops,)."""
    energies: Mapping[str, FloatArray]
    speech: SpeechOfSources
    spec: Spec


@dataclass(frozen=True)
class _Evidence:
    """Measurements of one passage that its cause and its cures follow from."""

    passage: ClosePassage
    asked_lu: float
    parts: Mapping[str, float]
    """Energy of each track that stands against the speech, by its id."""
    speaker: tuple[Track, Clip] | None
    """Who speaks most of it, on which track."""
    clip_under_lu: float
    """Level of the speaker's clip under its aim; 0 where it cannot be measured."""
    phrase_under_lu: float | None
    """Level of these words under the aim, where they lie far under the rest of their clip; else None."""

    @property
    def hops(self) -> slice:
        """Hops of 10 ms of the passage."""
        return _hops_of(self.passage.span)

    @property
    def missing_lu(self) -> float:
        """Clearance that a cure has to win, with some room."""
        return self.asked_lu - self.passage.least_lu + MARGIN_LU

    @property
    def under_lu(self) -> float:
        """Level of the words, or of their clip, under the aim."""
        return self.clip_under_lu if self.phrase_under_lu is None else self.phrase_under_lu

    @property
    def is_low(self) -> bool:
        """Whether who speaks is too low."""
        return self.speaker is not None and self.under_lu > UNDER_AIM_LU

    @property
    def worst_id(self) -> str:
        """Id of the track that makes most of what stands against the speech; empty where nothing does."""
        return max(self.parts, key=self.parts.__getitem__) if self.parts else ""

    @property
    def worst_share(self) -> float:
        """Share of that track, 0 to 1."""
        return self.parts.get(self.worst_id, 0.0) / (sum(self.parts.values()) or _LEAST_ENERGY)

    def is_enough(self, by_db: float) -> bool:
        """Whether so much more of the speech alone gives the clearance that is asked for."""
        return by_db >= self.missing_lu - MARGIN_LU


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
    programme = _Programme(scene, plan, duck_gains_db(plan, scene.tracks), energies, speech, spec)
    return [_diagnosis(programme, _evidence(programme, passage, asked_lu)) for passage in found]


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
    clear = scene.clearance(plan)
    programme = _Programme(scene, plan, duck_gains_db(plan, scene.tracks), energies, speech, spec)
    found = []
    for span in spans:
        values = np.clip(clear[span.start_sample // HOP_SAMPLES : -(-span.end_sample // HOP_SAMPLES)], *_CLEARANCE_LU)
        least, mean = (float(values.min()), float(values.mean())) if values.size else (_CLEARANCE_LU[1],) * 2
        asked = max(asked_lu, least + LOST_MORE_LU)
        found.append(_diagnosis(programme, _evidence(programme, ClosePassage(span, least, mean), asked)))
    return found


def _hops_of(span: SampleSpan) -> slice:
    return slice(span.start_sample // HOP_SAMPLES, span.end_sample // HOP_SAMPLES)


def _evidence(programme: _Programme, passage: ClosePassage, asked_lu: float) -> _Evidence:
    plan, hops = programme.plan, _hops_of(passage.span)
    is_over = bool(programme.scene.is_over[hops].any())
    # Where narration runs over dialogue, the dialogue counts among the rest.
    against = [t for t in plan.tracks if not t.role.is_speech or (is_over and t.role.kind is Role.DIALOGUE)]
    parts = {track.track_id: _energy_left(programme, track, hops) for track in against}
    voices = (Role.NARRATION,) if is_over else (Role.NARRATION, Role.DIALOGUE)
    speaker = _speaker([track for track in plan.tracks if track.role.kind in voices], passage.span, programme.speech)
    if speaker is None:
        return _Evidence(passage, asked_lu, parts, None, 0.0, None)
    track, clip = speaker
    gain_db = track.gain_db + plan.stem_gain_db(track.role) + plan.programme_gain_db
    level = level_of_clip(clip, track, gain_db, programme.energies[clip.sound_key], programme.speech).level_lufs
    aim = programme.spec.aim_lufs(Role.DIALOGUE)
    clip_under = aim - level if level is not None else 0.0
    phrase_under = aim - plan.programme_gain_db - _words_lufs(programme.scene, hops)
    # A phrase under a clip that is under too says nothing of its own.
    stands_out = phrase_under > max(UNDER_AIM_LU, clip_under + PHRASE_APART_LU)
    is_phrase = stands_out and len(speech_of_clip(clip, programme.speech)) > 1
    return _Evidence(passage, asked_lu, parts, speaker, clip_under, phrase_under if is_phrase else None)


def _energy_left(programme: _Programme, track: Track, hops: slice) -> float:
    """Energy of a track in a passage after its ducking."""
    energy = programme.scene.tracks[track.track_id][hops]
    lowered_db = given_way_db(programme.plan, track, programme.gains_db)
    return float(energy.sum() if lowered_db is None else (energy * 10.0 ** (lowered_db[hops] / 10.0)).sum())


def _diagnosis(programme: _Programme, found: _Evidence) -> Diagnosis:
    worst = next((track for track in programme.plan.tracks if track.track_id == found.worst_id), None)
    cures, way = _raised_to_aim(found), ""
    if worst is not None:
        cures += _against(programme, found, worst)
        way = _in_the_way(cures, worst, programme.plan, programme.gains_db, found.hops)
    cures += _raised_over_rest(found)
    cause, name, share = _cause(found, worst)
    return Diagnosis(found.passage, found.asked_lu, cause, name, share, tuple(cures), way)


def _cause(found: _Evidence, worst: Track | None) -> tuple[str, str, float]:
    """Code of the cause, name of the clip or track, and how much it makes; see Diagnosis."""
    speaker = "" if found.speaker is None else found.speaker[1].name
    if found.passage.least_lu <= _SILENT_SPEECH_LU:
        return "silent-speech", speaker, 1.0
    if found.is_low:
        return "clip-under-aim" if found.phrase_under_lu is None else "phrase-under-aim", speaker, found.under_lu
    if worst is None:
        return "music", "", found.worst_share
    return worst.role.kind.value, worst.name, found.worst_share


def _raised_to_aim(found: _Evidence) -> list[Cure]:
    """The words, or their clip, raised to their aim where they lie under it."""
    if found.speaker is None or not found.is_low:
        return []
    track, clip = found.speaker
    if found.phrase_under_lu is not None:
        by = round(min(found.under_lu, MOST_RIDE_DB), 1)
        return [Cure("raise-phrase", by, clip.clip_id, clip.name, track.role, found.is_enough(by))]
    by = round(min(found.under_lu, MOST_GAIN_DB - clip.gain_db), 1)
    return [Cure("raise-clip", by, clip.clip_id, clip.name, track.role, found.is_enough(by))]


def _raised_over_rest(found: _Evidence) -> list[Cure]:
    """The words raised as far as they are missing, where they are at their aim."""
    if found.speaker is None or found.is_low:
        return []
    track, clip = found.speaker
    by = round(min(found.missing_lu, MOST_GAIN_DB - clip.gain_db), 1)
    return [Cure("raise-phrase", by, clip.clip_id, clip.name, track.role, found.is_enough(by))] if by > 0.0 else []


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


def _against(programme: _Programme, found: _Evidence, worst: Track) -> list[Cure]:
    """Cures on what makes most of the rest."""
    plan, share, short = programme.plan, found.worst_share, found.missing_lu
    # Lowering what makes a share of the rest can win this much at the most.
    most_won = -10.0 * math.log10(max(1.0 - share, 1e-6))
    wanted = _lowering(share, short)
    cures: list[Cure] = []
    duck = plan.duck_of_track(worst.track_id) or plan.duck_of_stem(worst.role)
    if duck is None:
        cures.append(
            Cure("add-duck", 0.0, worst.role.value, worst.role.label.lower(), worst.role, most_won >= short - MARGIN_LU)
        )
    elif duck.rule.kind is DuckKind.CURVE and duck.rule.uses_level:
        left = float(programme.gains_db[duck.duck_id][found.hops].min()) - duck.rule.floor_db
        by = round(min(wanted, left), 1)
        if by >= 0.1:
            enough = wanted <= left and most_won >= short - MARGIN_LU
            cures.append(Cure("deepen", by, duck.duck_id, _duck_name(duck, worst), worst.role, enough))
        if not duck.rule.room.is_on:
            name = _duck_name(duck, worst)
            cures.append(Cure("make-room", duck.rule.room.most_db, duck.duck_id, name, worst.role, False))
    clip = _loudest_clip(worst, found.passage.span, plan, programme.energies)
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
