"""Stems placed: their level in the open by the fader, scenes that lie apart by a slow trim."""

from dataclasses import replace
from typing import Any, Final

import numpy as np

from recitant_core.balance.first_balance_values import NEARER_LU, Choices, Step
from recitant_core.balance.placing import (
    Lines,
    Placement,
    Voices,
    level_in_the_open,
    music_leads,
    placed,
    placed_as_it_leads,
    with_kept,
)
from recitant_core.balance.steps.duck import rule_of_choice
from recitant_core.balance.steps.run import Run, as_came, base_db, by_hand, kept
from recitant_core.gain.duck_rule import DuckAim, DuckRule
from recitant_core.measure.clearance import speech_mask
from recitant_core.measure.loudness import gating_block_powers, integrated_lufs
from recitant_core.render.scene import LoudnessScene
from recitant_core.render.two_levels import counted_hops, distance_of_rule_lu
from recitant_core.speech.corrections import merged
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Balanced, Plan
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role

RUN_OF_TALK_S: Final = 4.0
_NOTABLE_DB: Final = 0.05


def set_stems(run: Run, plan: Plan) -> Step:
    """Place every stem that nobody speaks on."""
    measured: dict[str, Any] = {}
    changes: list[dict[str, Any]] = []
    if not any(role.is_speech for role in plan.roles):
        # Nothing to place them against: they keep their levels against each other.
        return Step("stems", {"leads": "nothing"}, (), plan)
    if "even-out" not in run.choices.steps:
        for role in plan.roles:
            if role.is_speech:
                plan = _speech_to_its_aim(run, plan, role, measured, changes)
    scene = run.scene(as_came(plan))
    voices = _voices_of(scene)
    stems = scene.stems
    leads = _leading(run.choices, scene, voices)
    measured["leads"] = leads
    own_db = 0.0
    if leads == "music":
        level = level_in_the_open(_music_of(scene), voices)
        own_db = 0.0 if level is None else run.material.spec.aim_lufs(Role.DIALOGUE) - level
    for role in plan.roles:
        if role.is_speech:
            continue
        rule = _lines_rule(run.choices, plan, role, leads)
        lines = _lines_of(rule, run)
        if leads == "music":
            found = placed_as_it_leads(stems[role], role, voices, own_db, lines)
        else:
            # Levels that somebody set are where they are, however near the choice is.
            nearer_lu = NEARER_LU.get(run.choices.nearness(role), 0.0) if rule.is_made else 0.0
            found = placed(stems[role], role, lines, voices, nearer_lu)
        plan = _with(plan, role, found, lines, measured, changes)
    return Step("stems", measured, tuple(changes), plan)


def leads_of(run: Run, plan: Plan) -> str:
    """Anchor of the programme, "speech" or "music": as chosen, or as its material says."""
    scene = run.scene(as_came(plan))
    return _leading(run.choices, scene, _voices_of(scene))


def _leading(choices: Choices, scene: LoudnessScene, voices: Voices) -> str:
    if choices.leads == "speech" or not any(role.kind is Role.MUSIC for role in scene.stems):
        return "speech"
    if choices.leads == "music":
        return "music"
    return "music" if music_leads(_music_of(scene), scene.voices, voices, scene.is_speech) else "speech"


def _music_of(scene: LoudnessScene) -> FloatArray:
    """Energy of all music together, float64 (hops,)."""
    return sum((energy for role, energy in scene.stems.items() if role.kind is Role.MUSIC), np.zeros(1))


def _lines_rule(choices: Choices, plan: Plan, role: Role, leads: str) -> DuckRule:
    """The rule whose two levels a stem is placed at: its own where somebody set it, else that of the choices."""
    duck = plan.duck_of_stem(role)
    if duck is not None and not duck.rule.is_made and duck.rule.aim is DuckAim.LEVELS:
        return duck.rule
    return rule_of_choice(choices, role, leads)


def _lines_of(rule: DuckRule, run: Run) -> Lines:
    """The two levels of a rule in LUFS."""
    aim = run.material.spec.aim_lufs(Role.DIALOGUE)
    most_db = -rule.floor_db if rule.under_lu < rule.open_lu else 0.0
    distance = distance_of_rule_lu(rule, run.material.asked_lu)
    return Lines(aim + rule.open_lu, aim + rule.under_lu, most_db, distance)


def _voices_of(scene: LoudnessScene) -> Voices:
    """Speech of a scene as stems are placed against it."""
    n_hops = len(scene.is_speech)
    talk = speech_mask(merged(scene.speech, round(RUN_OF_TALK_S * RATE_HZ)), n_hops)
    return Voices(scene.words, counted_hops(scene.words, scene.is_speech), talk)


def _with(
    plan: Plan,
    role: Role,
    found: Placement,
    lines: Lines,
    measured: dict[str, Any],
    changes: list[dict[str, Any]],
) -> Plan:
    measured[f"{role.value}_lufs"] = None if found.level_lufs is None else round(found.level_lufs, 1)
    if found.level_lufs is None:
        return plan
    now, balanced = plan.stem_gain_db(role), plan.stem_balanced.get(role)
    if by_hand(balanced, now):
        changes.append(kept(role.label.lower(), "fader"))
        return plan
    came_db = base_db(balanced, now)
    to_db = round(min(max(came_db + found.gain_db, LEAST_GAIN_DB), MOST_GAIN_DB), 1)
    old_trim = plan.stem_trim(role)
    trim = with_kept(found.trim, old_trim, plan.span.end_sample)
    if any(scene.is_kept for scene in old_trim):
        changes.append(kept(role.label.lower(), "scene"))
    gains, trims, record = dict(plan.stem_gains_db), dict(plan.stem_trims), dict(plan.stem_balanced)
    if found.short_db:
        changes.append(
            {
                "what": "short",
                "role": role.value,
                "name": role.label.lower(),
                "short_db": found.short_db,
                "lies_lu": round(lines.open_lufs - found.level_lufs, 1),
                "raised_db": found.gain_db,
            }
        )
    if abs(to_db - now) >= _NOTABLE_DB:
        gains[role] = to_db
        changes.append(
            {
                "what": "stem",
                "name": role.label.lower(),
                "from_db": came_db,
                "to_db": to_db,
                "from_lufs": round(found.level_lufs, 1),
                "aim_lufs": round(lines.open_lufs, 1),
            }
        )
    record[role] = Balanced(came_db, to_db)
    if trim != old_trim:
        trims[role] = trim
        changes += [
            {"what": "trim", "name": role.label.lower(), "at_sample": scene.start_sample, "by_db": scene.gain_db}
            for scene in trim
            if scene.gain_db and scene not in old_trim
        ]
    return replace(plan, stem_gains_db=gains, stem_trims=trims, stem_balanced=record)


def _speech_to_its_aim(
    run: Run, plan: Plan, role: Role, measured: dict[str, Any], changes: list[dict[str, Any]]
) -> Plan:
    now, balanced = plan.stem_gain_db(role), plan.stem_balanced.get(role)
    if by_hand(balanced, now):
        changes.append(kept(role.label.lower(), "fader"))
        return plan
    came_db = base_db(balanced, now)
    came = replace(plan, stem_gains_db=plan.stem_gains_db | {role: came_db}, ducks=())
    level = integrated_lufs(gating_block_powers(run.scene(came).stems[role]))
    if level is None or not np.isfinite(level):
        return plan
    measured[f"{role.value}_lufs"] = round(level, 1)
    aim = run.material.spec.aim_lufs(role)
    to_db = round(min(max(came_db + aim - level, LEAST_GAIN_DB), MOST_GAIN_DB), 1)
    if abs(to_db - now) >= _NOTABLE_DB:
        changes.append(
            {
                "what": "stem",
                "name": role.label.lower(),
                "from_db": now,
                "to_db": to_db,
                "from_lufs": round(level, 1),
                "aim_lufs": aim,
            }
        )
    gains, record = plan.stem_gains_db | {role: to_db}, plan.stem_balanced | {role: Balanced(came_db, to_db)}
    return replace(plan, stem_gains_db=gains, stem_balanced=record)
