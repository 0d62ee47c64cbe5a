"""Speech brought to its aim: a gain a clip, and inside recordings a curve that moves in pauses only.

Held to: tests/io/test_first_balance.py, tests/io/test_first_balance_material.py
"""

from collections import defaultdict
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np

from recitant_core.balance.first_balance_values import Step
from recitant_core.balance.phrase_ride import RideLimits, phrase_gains, ride_over
from recitant_core.balance.steps.run import Run, base_db, by_hand, kept
from recitant_core.gain.envelope import CurvePoint
from recitant_core.measure.phrases import Phrase
from recitant_core.render.clip_levels import level_of_clip, phrases_of_clip
from recitant_core.timeline.curve_edits import curve_level_db
from recitant_core.timeline.edits import set_clips
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Balanced, Clip, Plan, Role, Track
from recitant_core.timeline.speech import SILENT_DB
from recitant_core.units.clock import HOP_SAMPLES, SampleSpan

KEPT_SHARE: Final = 0.2  # of a clip without phrases: of its distance to the aim
KEPT_LU: Final = 0.6
_SILENT_LUFS: Final = -70.0
_LIMITS: Final = RideLimits()


@dataclass(frozen=True)
class _Speaking:
    """A clip of speech, at the gain it came with and without a curve that a first balance made."""

    track: Track
    clip: Clip
    base: Clip
    level_lufs: float
    phrases: list[Phrase]

    @property
    def speaker(self) -> str:
        """Whose phrases are moved alike: the person, or where nobody said, the track."""
        return self.clip.speaker or f"track {self.track.track_id}"


def even_out(run: Run, plan: Plan) -> Step:
    """Bring phrases and clips of narration and dialogue towards their aim."""
    aim = run.material.spec.aim_lufs(Role.DIALOGUE)
    found, changes = _speaking(run, plan)
    for role in (one for one in plan.roles if one.is_speech):
        fader_db, record = plan.stem_gain_db(role), plan.stem_balanced.get(role)
        if by_hand(record, fader_db):
            changes.append(kept(role.label.lower(), "fader"))
        if record is None and any(one.track.role is role for one in found):
            # What its fader is moved by from here on is somebody's choice, and no clip makes up for it.
            plan = replace(plan, stem_balanced=plan.stem_balanced | {role: Balanced(fader_db, fader_db)})
    groups: dict[str, list[Phrase]] = defaultdict(list)
    for one in found:
        groups[one.speaker] += one.phrases
    after: dict[str, Clip] = {}
    n_held = 0
    for one in found:
        if not run.is_in(one.clip):
            continue
        if one.phrases and not one.base.curve:
            gains = phrase_gains(one.phrases, groups[one.speaker], aim, _LIMITS)
            n_held += sum(gain.is_held for gain in gains)
            clip = _ridden(run, one, [one.base.gain_db + gain.gain_db for gain in gains])
        else:
            away = one.level_lufs - aim
            by = float(np.clip(away * KEPT_SHARE, -KEPT_LU, KEPT_LU)) - away
            clip = _with(one, one.base.gain_db + by, one.base.curve, is_curve_made=False)
        if clip != one.clip:
            after[clip.clip_id] = clip
            level = level_of_clip(
                clip,
                one.track,
                one.track.gain_db + plan.stem_gain_db(one.track.role),
                run.material.energies[clip.sound_key],
                run.material.speech,
            ).level_lufs
            changes.append(_change(one, clip, level))
    if after:
        plan = set_clips(plan, list(after), lambda clip: after[clip.clip_id])
    levels = [one.level_lufs for one in found if run.is_in(one.clip)]
    measured = {
        "aim_lufs": aim,
        "clips": len(levels),
        "phrases": sum(len(one.phrases) for one in found if run.is_in(one.clip)),
        "loudest_lufs": round(max(levels), 1) if levels else None,
        "quietest_lufs": round(min(levels), 1) if levels else None,
        "held_by_noise": n_held,
    }
    return Step("even-out", measured, tuple(changes), plan)


def _speaking(run: Run, plan: Plan) -> tuple[list[_Speaking], list[dict[str, Any]]]:
    material = run.material
    found, changes = [], []
    for track in plan.tracks:
        stem = plan.stem_balanced.get(track.role)
        gain_db = track.gain_db + base_db(stem, plan.stem_gain_db(track.role))
        for clip in track.in_mix if track.role.is_speech else ():
            if clip.is_room_tone or clip.gain_db + gain_db <= SILENT_DB:
                continue
            if by_hand(clip.balanced, clip.gain_db):
                if run.is_in(clip):
                    changes.append(kept(clip.name, "gain"))
                continue
            is_made = clip.balanced is not None and clip.balanced.is_curve_made
            if clip.curve and not is_made:
                if run.is_in(clip):
                    changes.append(kept(clip.name, "curve"))
                if clip.balanced is not None:
                    continue  # drawn on what a first balance had set: all of it stays
            base = replace(clip, gain_db=base_db(clip.balanced, clip.gain_db), curve=() if is_made else clip.curve)
            energy = material.energies[clip.sound_key]
            level = level_of_clip(base, track, gain_db, energy, material.speech).level_lufs
            if level is not None and level > _SILENT_LUFS:
                spoken = phrases_of_clip(base, track, gain_db, energy, material.speech)
                found.append(_Speaking(track, clip, base, level, spoken))
    return found, changes


def _ridden(run: Run, one: _Speaking, gains_db: list[float]) -> Clip:
    part = run.choices.part
    if part is None or _covers(part, one.clip):
        gain_db, points = ride_over(one.phrases, gains_db, one.clip.length_samples)
        return _with(one, gain_db, points, is_curve_made=True)
    # Outside of the part everything stays: only the phrases in it move, against the gain that the clip has.
    shifted = SampleSpan(part.start_sample - one.clip.start_sample, part.length_samples)
    now = [
        one.clip.gain_db + curve_level_db(one.clip, (p.first_hop + p.last_hop) // 2 * HOP_SAMPLES) for p in one.phrases
    ]
    mixed = [
        new if SampleSpan(p.first_hop * HOP_SAMPLES, p.n_hops * HOP_SAMPLES).intersect(shifted) is not None else old
        for p, new, old in zip(one.phrases, gains_db, now, strict=True)
    ]
    gain_db, points = ride_over(one.phrases, mixed, one.clip.length_samples)
    return _with(one, gain_db, points, is_curve_made=True)


def _covers(part: SampleSpan, clip: Clip) -> bool:
    return part.start_sample <= clip.start_sample and clip.span.end_sample <= part.end_sample


def _with(one: _Speaking, gain_db: float, points: tuple[CurvePoint, ...], *, is_curve_made: bool) -> Clip:
    to_db = round(min(max(gain_db, LEAST_GAIN_DB), MOST_GAIN_DB), 1)
    if abs(to_db - one.clip.gain_db) < 0.1 and points == one.clip.curve:
        return one.clip
    balanced = Balanced(one.base.gain_db, to_db, is_curve_made and bool(points))
    return replace(one.clip, gain_db=to_db, curve=points, balanced=balanced)


def _change(one: _Speaking, clip: Clip, level_lufs: float | None) -> dict[str, Any]:
    change: dict[str, Any] = {
        "what": "clip",
        "name": clip.name,
        "by_db": round(clip.gain_db - one.base.gain_db, 1),
        "from_lufs": round(one.level_lufs, 1),
        "to_lufs": round(one.level_lufs if level_lufs is None else level_lufs, 1),
    }
    if clip.curve and clip.balanced is not None and clip.balanced.is_curve_made:
        gains = [point.gain_db for point in clip.curve]
        change |= {"phrases": len(one.phrases), "lowest_db": min(gains), "highest_db": max(gains)}
    return change
