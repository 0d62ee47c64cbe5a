"""The first balance: a whole mix prepared in steps, each with what was measured, what changed and why.

Every step is a plan of its own, so that it can be kept, left out or taken back alone.
Held to: tests/io/test_first_balance.py
"""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, Final

import numpy as np

from recitant_core.balance.anchor import anchor_lufs, with_stems_moved
from recitant_core.balance.closeness import diagnoses
from recitant_core.balance.first_balance_values import STEPS, Choices, FirstBalance, Material, Step
from recitant_core.balance.stem_meter import exact_energies
from recitant_core.delivery.spec import Anchor
from recitant_core.errors import PlanError
from recitant_core.gain.duck_rule import STARTING_POINTS, DuckKind, DuckRule
from recitant_core.gain.ducking import MOST_RISES, RUN_OF_TALK_S, comfort, dips
from recitant_core.intake.findings import Severity
from recitant_core.intake.mending import mended
from recitant_core.measure.clearance import close_passages
from recitant_core.measure.loudness import gating_block_powers, integrated_lufs
from recitant_core.ports import Progress, no_progress
from recitant_core.render.clip_levels import level_of_clip
from recitant_core.render.estimate import stem_energies
from recitant_core.render.following import Scene, follow, rendered_clearance_lu, scene_of
from recitant_core.timeline.edits import levelled, set_clips
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Clip, Duck, Plan, Role
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan

AROUND_AIM_LU: Final = {"soft": -4.0, "medium": 0.0, "forward": 4.0}
"""Added to a stem's aim. Common practice: music and effects are chosen by ear around their aims."""
DUCKING: Final = {"gentle": ("documentary", 0.0), "clear": ("talk-over-bed", 2.0), "strong": ("talk-over-bed", 5.0)}
"""Starting point of the rule, and what is asked for over the programme's clearance, in LU."""
KEPT_SHARE: Final = 0.2  # of a clip's distance to its aim stays, so that a whisper is not a shout
KEPT_LU: Final = 0.6
MOST_SHIFT_LU: Final = 0.8  # the fit moves dialogue by this much at the most; with KEPT_LU under 1.5 LU
MOST_OTHERS_LU: Final = 3.0  # and the others by this much more; what is left the gain at hand-over makes up
_FIT_TRIALS: Final = 9
_NEAR_LU: Final = 0.02
_LEAST_GAIN_STEP_DB: Final = 0.01
_NEW_DUCK: Final = "new "
_LONGER: Final = 1.6


class _Run:
    """The material of one run, its choices, and the stems of the plan that was rendered last."""

    def __init__(self, material: Material, choices: Choices) -> None:
        self.material = material
        self.choices = choices
        self._rendered: tuple[Plan, dict[Role, FloatArray]] | None = None

    def exact(self, plan: Plan) -> dict[Role, FloatArray]:
        if self._rendered is None or self._rendered[0] is not plan:
            self._rendered = (plan, exact_energies(plan, self.material.sources))
        return self._rendered[1]

    def scene(self, plan: Plan) -> Scene:
        return scene_of(plan, self.material.energies, self.material.speech)

    def follow(self, scene: Scene) -> Plan:
        return follow(scene, self.material.speech, self.material.asked_lu, self.material.bands)


def first_balance(material: Material, choices: Choices, progress: Progress = no_progress) -> FirstBalance:
    """Prepare a mix.

    Args:
        progress: told the share done; may raise Cancelled.

    Raises:
        PlanError: an unknown choice, or nothing to balance.
    """
    _require(choices)
    if material.plan.span.length_samples == 0:
        raise PlanError("nothing_to_mix", field="tracks")
    plan = material.plan
    run = _Run(material, choices)
    steps: list[Step] = []
    for index, code in enumerate(STEPS):
        progress(index / len(STEPS))
        if code not in choices.steps or (choices.part is not None and code in ("stems", "fit")):
            continue
        step = _DO[code](run, plan)
        plan = step.plan
        steps.append(step)
    left = diagnoses(
        run.scene(plan), plan, material.energies, material.speech, material.spec, material.asked_lu, material.least_s
    )
    stems = run.exact(plan)
    progress(1.0)
    return FirstBalance(plan, tuple(steps), tuple(left), stems)


def _require(choices: Choices) -> None:
    for name, value, known in (
        ("music", choices.music, AROUND_AIM_LU),
        ("effects", choices.effects, AROUND_AIM_LU),
        ("ducking", choices.ducking, DUCKING),
    ):
        if value not in known:
            raise PlanError("unknown_choice", field=name, found=value, known=list(known))
    for code in choices.steps:
        if code not in STEPS:
            raise PlanError("unknown_choice", field="steps", found=code, known=list(STEPS))


def _is_in(clip: Clip, choices: Choices) -> bool:
    return choices.part is None or clip.span.intersect(choices.part) is not None


def _mend(run: _Run, plan: Plan) -> Step:
    material, choices = run.material, run.choices
    changes = []
    n_findings = 0
    for key, findings in material.findings.items():
        for finding in findings:
            n_findings += 1
            if finding.severity is Severity.NOTE:
                continue
            # Levels are the next step's work.
            safe = [r for r in finding.remedies if r.is_safe and r.gain_change_db is None]
            ids = [
                c.clip_id
                for t in plan.tracks
                for c in t.clips
                if c.source_key == key and _is_in(c, choices) and safe and safe[0].code not in c.mended
            ]
            if safe and ids:
                remedy = safe[0]
                names = {c.name for t in plan.tracks for c in t.clips if c.clip_id in ids}
                plan = set_clips(plan, ids, lambda clip, remedy=remedy: mended(clip, remedy))  # type: ignore[misc]
                changes.append(
                    {"what": "clip", "name": ", ".join(sorted(names)), "finding": finding.code, "remedy": remedy.code}
                )
    return Step("mend", {"findings": n_findings}, tuple(changes), plan)


def _even_out(run: _Run, plan: Plan) -> Step:
    material, choices = run.material, run.choices
    aim = material.spec.aim_lufs(Role.DIALOGUE)
    changes = []
    gains: dict[str, float] = {}
    before = []
    for track in plan.tracks:
        gain_db = track.gain_db + plan.stem_gain_db(track.role)
        for clip in track.clips if track.role is Role.DIALOGUE else ():
            energy = material.energies[clip.sound_key]
            level = level_of_clip(clip, track, gain_db, energy, material.speech).level_lufs
            if level is None or level < -70.0 or clip.is_room_tone or not _is_in(clip, choices):
                continue
            before.append(level)
            away = level - aim
            kept = float(np.clip(away * KEPT_SHARE, -KEPT_LU, KEPT_LU))
            now = clip.gain_db
            by = round(min(max(kept - away, LEAST_GAIN_DB - now), MOST_GAIN_DB - now), 1)
            if abs(by) >= 0.1:
                gains[clip.clip_id] = by
                changes.append(
                    {
                        "what": "clip",
                        "name": clip.name,
                        "by_db": by,
                        "from_lufs": round(level, 1),
                        "to_lufs": round(level + by, 1),
                    }
                )
    for clip_id, by in gains.items():
        plan = set_clips(plan, [clip_id], lambda clip, by=by: levelled(clip, by))  # type: ignore[misc]
    measured = {
        "aim_lufs": aim,
        "clips": len(before),
        "loudest_lufs": round(max(before), 1) if before else None,
        "quietest_lufs": round(min(before), 1) if before else None,
    }
    return Step("even-out", measured, tuple(changes), plan)


def _set_stems(run: _Run, plan: Plan) -> Step:
    material, choices = run.material, run.choices
    stems = stem_energies(replace(plan, ducks=()), material.energies)
    shift = {Role.MUSIC: AROUND_AIM_LU[choices.music], Role.EFFECTS: AROUND_AIM_LU[choices.effects]}
    gains = dict(plan.stem_gains_db)
    changes = []
    measured: dict[str, Any] = {}
    for role in plan.roles:
        if role is Role.DIALOGUE and "even-out" in choices.steps:
            continue  # its clips are at their aim already, one by one
        level = integrated_lufs(gating_block_powers(stems[role]))
        measured[f"{role.value}_lufs"] = None if level is None or not np.isfinite(level) else round(level, 1)
        if level is None or not np.isfinite(level):
            continue
        wanted = material.spec.aim_lufs(role) + shift.get(role, 0.0)
        now = plan.stem_gain_db(role)
        gain_db = round(min(max(now + wanted - level, LEAST_GAIN_DB), MOST_GAIN_DB), 1)
        if abs(gain_db - now) >= 0.1:
            gains[role] = gain_db
            changes.append(
                {
                    "what": "stem",
                    "name": role.value,
                    "from_db": now,
                    "to_db": gain_db,
                    "from_lufs": round(level, 1),
                    "aim_lufs": round(wanted, 1),
                }
            )
    return Step("stems", measured, tuple(changes), replace(plan, stem_gains_db=gains))


def duck_rule(choices: Choices) -> DuckRule:
    """The rule that a choice of ducking stands for."""
    start, over_lu = DUCKING[choices.ducking]
    return replace(STARTING_POINTS[start], over_lu=over_lu)


def _duck(run: _Run, plan: Plan) -> Step:
    material, choices = run.material, run.choices
    scene = run.scene(plan)
    before = close_passages(scene.clearance(plan), material.asked_lu, material.least_s)
    rule = duck_rule(choices)
    ducks = [replace(duck, rule=rule) if _is_of_a_choice(duck.rule) else duck for duck in plan.ducks]
    if scene.speech:
        for role in plan.roles:
            tracks = [track for track in plan.tracks if track.role is role]
            has_own = any(duck.stem is None and duck.acts_on(track) for duck in ducks for track in tracks)
            if role is not Role.DIALOGUE and plan.duck_of_stem(role) is None and not has_own:
                ducks.append(Duck(f"{_NEW_DUCK}{role.value}", role, "", rule))
    after = run.follow(replace(scene, plan=replace(plan, ducks=tuple(ducks))))
    while True:
        restless = {d.duck_id for d in after.ducks if _pumps(d, scene.speech)}
        if not restless:
            break
        # A longer bridge is the cure; at five seconds nothing comes up inside a run of talk any more.
        calmer = tuple(
            replace(d, rule=replace(d.rule, bridge_s=_next_bridge_s(d.rule))) if d.duck_id in restless else d
            for d in after.ducks
        )
        after = run.follow(replace(scene, plan=replace(after, ducks=calmer)))
    return Step("duck", {"close_before": len(before)}, tuple(_duck_changes(after, scene.speech)), after)


def _pumps(duck: Duck, speech: Sequence[SampleSpan]) -> bool:
    rule = duck.rule
    if rule.kind is not DuckKind.CURVE or rule.bridge_s >= RUN_OF_TALK_S or not _is_of_a_choice(rule):
        return False
    return comfort(duck.points, speech, rule.least_change_db).rises_per_minute >= MOST_RISES


def _next_bridge_s(rule: DuckRule) -> float:
    return round(min(RUN_OF_TALK_S, rule.bridge_s * _LONGER), 2)


def _is_of_a_choice(rule: DuckRule) -> bool:
    # Made by a first balance before and not touched since: another choice takes its place.
    for start in {start for start, _ in DUCKING.values()}:
        made = STARTING_POINTS[start]
        while made.bridge_s < RUN_OF_TALK_S and made.bridge_s != rule.bridge_s:
            made = replace(made, bridge_s=_next_bridge_s(made))
        if replace(rule, over_lu=0.0) == made:
            return True
    return False


def _duck_changes(plan: Plan, speech: Sequence[SampleSpan]) -> list[dict[str, Any]]:
    changes = []
    for duck in plan.ducks:
        found = dips(duck.points)
        calm = comfort(duck.points, speech, duck.rule.least_change_db)
        name = duck.stem.value if duck.stem is not None else duck.track_id
        change: dict[str, Any] = {"what": "duck", "name": name, "dips": len(found)}
        if duck.rule.kind is DuckKind.CURVE and found:
            change |= {
                "deepest_db": min(dip.depth_db for dip in found),
                "rises_per_minute": round(calm.rises_per_minute, 1),
                "comfort": calm.judgement,
                "bridge_s": duck.rule.bridge_s,
            }
        changes.append(change)
    return changes


def _check(run: _Run, plan: Plan) -> Step:
    """Clearance from the rendered stems; where it is short, the rule asks for that much more."""
    material, choices = run.material, run.choices
    scene = run.scene(plan)
    changes: list[dict[str, Any]] = []
    found = []
    for _ in range(3):
        exact = rendered_clearance_lu(run.exact(plan), scene.is_speech)
        found = close_passages(exact, material.asked_lu, material.least_s)
        remade = [d for d in plan.ducks if d.rule.kind is DuckKind.CURVE and not d.rule.is_frozen]
        foretold = close_passages(scene.clearance(plan), material.asked_lu, material.least_s)
        # What the estimate knows of already was tried as far as it goes.
        if len(found) <= len(foretold) or not remade or "duck" not in choices.steps:
            break
        short = max(material.asked_lu - passage.least_lu for passage in found)
        more = round(min(max(short, 0.2), 2.0), 1)
        ducks = tuple(replace(d, rule=_asking_more(d.rule, more)) if d in remade else d for d in plan.ducks)
        plan = run.follow(replace(scene, plan=replace(plan, ducks=ducks)))
        changes.append({"what": "rule", "name": "clearance", "by_lu": more})
    measured = {
        "asked_lu": material.asked_lu,
        "close": len(found),
        "least_lu": round(min((p.least_lu for p in found), default=material.asked_lu), 1),
    }
    return Step("check", measured, tuple(changes), plan)


def _asking_more(rule: DuckRule, more_lu: float) -> DuckRule:
    if rule.clearance_lu is None:
        return replace(rule, over_lu=round(rule.over_lu + more_lu, 1))
    return replace(rule, clearance_lu=round(rule.clearance_lu + more_lu, 1))


def _fit(run: _Run, plan: Plan) -> Step:
    """Towards the target by gains of the stems: dialogue a little, the others a little more, the rest at hand-over."""
    material = run.material
    spec = material.spec
    target = spec.target_for(plan.layout.n_channels)
    before = anchor_lufs(run.exact(plan), spec)
    if before is None:
        return Step("fit", {"before_lufs": None, "target_lufs": target}, (), plan)
    away = target - before
    if Role.DIALOGUE not in plan.roles:
        fitted = with_stems_moved(plan, away, away)
    else:
        together = float(np.clip(away, -MOST_SHIFT_LU, MOST_SHIFT_LU))
        fitted = with_stems_moved(plan, together, together)
        if abs(away) > MOST_SHIFT_LU and len(plan.roles) > 1 and spec.anchor is not Anchor.DIALOGUE:
            fitted = _with_others(run, plan, together, target)
    reached = anchor_lufs(run.exact(fitted), spec)
    changes = [
        {"what": "stem", "name": role.value, "from_db": plan.stem_gain_db(role), "to_db": fitted.stem_gain_db(role)}
        for role in plan.roles
        if abs(fitted.stem_gain_db(role) - plan.stem_gain_db(role)) >= _LEAST_GAIN_STEP_DB
    ]
    measured = {
        "before_lufs": round(before, 2),
        "target_lufs": target,
        "reached_lufs": None if reached is None else round(reached, 2),
    }
    return Step("fit", measured, tuple(changes), fitted)


def _with_others(run: _Run, plan: Plan, together: float, target: float) -> Plan:
    # Halving the range of what the others may move by; their curves are made anew for every level that is tried.
    low, high = together - MOST_OTHERS_LU, together + MOST_OTHERS_LU
    best = plan
    for _ in range(_FIT_TRIALS):
        others = (low + high) / 2.0
        shifted = with_stems_moved(plan, together, others)
        scene = run.scene(shifted)
        best = run.follow(scene)
        now = anchor_lufs(stem_energies(best, run.material.energies), run.material.spec)
        if now is None or abs(now - target) <= _NEAR_LU:
            break
        low, high = (others, high) if now < target else (low, others)
    return best


_DO = {"mend": _mend, "even-out": _even_out, "stems": _set_stems, "duck": _duck, "check": _check, "fit": _fit}
