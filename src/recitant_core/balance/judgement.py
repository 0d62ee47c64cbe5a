"""How a balance stands, by figures: steadiness of phrases, depth and travel of the gains, lift, share of clear speech.

Definitions of this project, with worked examples: docs/standards/balance.md.
Held to: tests/core/test_judgement.py, tests/io/test_first_balance_material.py
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from recitant_core.gain.envelope import curve_db
from recitant_core.gain.trim import trim_points
from recitant_core.measure.clearance import BoolArray, clear_share, momentary_power
from recitant_core.measure.phrases import phrases
from recitant_core.render.estimate import duck_gains_db, lowered_energy
from recitant_core.render.talk_pauses import DETECTED_RETURN_S
from recitant_core.timeline.model import Plan
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, HOPS_PER_SECOND, SampleSpan
from recitant_core.units.level import LOUDNESS_OFFSET_DB
from recitant_core.units.remembered import Remembered, fingerprint
from recitant_core.units.roles import Role

CLEAR_LU: Final = 7.0
LEAST_CLEAR_LU: Final = 4.0
CALM_DEPTH_DB: Final = 12.5
CALM_TRAVEL_DB: Final = 25.0
CALM_DENSE_TRAVEL_DB: Final = 15.0
RESTLESS_DEPTH_DB: Final = 15.5
RESTLESS_TRAVEL_DB: Final = 40.0
DENSE_SHARE: Final = 0.5
_AUDIBLE_LU: Final = 25.0  # under its own loud moments a stem's gain is not heard
_WINDOW_HOPS: Final = 300
_RETURNED_DB: Final = 1.0


@dataclass(frozen=True)
class StemJudgement:
    """Figures of one stem under its gains."""

    depth_db: float
    """Of its dips, not exceeded for 95 % of the speech that it sounds under; 0 or more."""
    travel_db: float
    """All movement of its gain, up and down, for each minute of the programme, which counts as one at least; without
    what comes up part of the way in a pause of five seconds and more."""
    lift_db: float
    """Highest gain over how it came: fader, trim and dips together."""
    spread_lu: float | None
    """Between the 5th and the 95th percentile of its short-term level under speech; None where it has none."""
    feel: str
    """calm, lively or restless."""


@dataclass(frozen=True)
class Judgement:
    """Figures of a balance."""

    n_phrases: int
    phrase_sd_lu: float | None
    """Standard deviation of the levels of all phrases; None with fewer than two."""
    phrase_worst_lu: float | None
    """Furthest phrase from the mean of all."""
    clear_share: float | None
    """Of the windows of 400 ms in which somebody speaks, with 7 LU of clearance and more; None without speech."""
    least_clear_share: float | None
    """The same with 4 LU."""
    stems: dict[Role, StemJudgement]


def phrase_levels(dialogue: FloatArray, speech: Sequence[SampleSpan]) -> FloatArray:
    """Levels of all phrases in LUFS, float64 (phrases,).

    Args:
        dialogue: energy of the dialogue stem, float64 (hops,).
        speech: spans in order.
    """
    return np.array([phrase.level_lufs for phrase in phrases(dialogue, speech, has_noise=False)])


def judged(
    plan: Plan, tracks: Mapping[str, FloatArray], levels: FloatArray, window_clearance: FloatArray, is_speech: BoolArray
) -> Judgement:
    """The figures of a balance.

    Args:
        tracks: energies of each track with its faders and trims, before it gives way; see estimate.track_energies.
        levels: of all phrases; see phrase_levels.
        window_clearance: LU of every window of speech that counts; see clearance.window_clearance_lu.
        is_speech: bool (hops,).
    """
    gains = duck_gains_db(plan, tracks)
    others = [role for role in plan.roles if not role.is_speech]
    stems: dict[Role, StemJudgement] = {}
    spoken_print = hash(np.packbits(is_speech).tobytes())
    for role in others:
        mine = [track for track in plan.tracks if track.role is role]
        before = sum((tracks[track.track_id] for track in mine), np.zeros(len(is_speech)))
        after = lowered_energy(plan, mine, tracks, gains)
        fader = (plan.stem_trim(role), plan.stem_balanced.get(role), plan.stem_gain_db(role))
        key = (fingerprint(before), fingerprint(after), fader, spoken_print)

        def make(role: Role = role, before: FloatArray = before, after: FloatArray = after) -> StemJudgement:
            return _stem(plan, role, before, after, is_speech)

        stems[role] = _stems.get_or_make(key, make)
    return Judgement(
        len(levels),
        float(levels.std()) if len(levels) > 1 else None,
        float(np.abs(levels - levels.mean()).max()) if len(levels) > 1 else None,
        clear_share(window_clearance, CLEAR_LU),
        clear_share(window_clearance, LEAST_CLEAR_LU),
        stems,
    )


def feel_of(depth_db: float, travel_db: float, *, is_dense: bool) -> str:
    """calm, lively or restless, from depth and travel together.

    Args:
        is_dense: whether people talk half of the time and more, where movement is heard sooner.
    """
    if depth_db <= CALM_DEPTH_DB and travel_db <= (CALM_DENSE_TRAVEL_DB if is_dense else CALM_TRAVEL_DB):
        return "calm"
    return "lively" if depth_db <= RESTLESS_DEPTH_DB and travel_db <= RESTLESS_TRAVEL_DB else "restless"


_stems: Final = Remembered[StemJudgement](1 << 20)


def _stem(plan: Plan, role: Role, before: FloatArray, after: FloatArray, is_speech: BoolArray) -> StemJudgement:
    power = momentary_power(before)
    loud = float(np.quantile(power[power > 0.0], 0.95)) if (power > 0.0).any() else 0.0
    audible = power > max(loud * 10.0 ** (-_AUDIBLE_LU / 10.0), 1e-10)
    if not audible.any():
        return StemJudgement(0.0, 0.0, 0.0, None, "calm")
    with np.errstate(divide="ignore", invalid="ignore"):
        dip_db = 10.0 * np.log10(np.maximum(momentary_power(after), 1e-30) / np.maximum(power, 1e-30))
    moved_db = (dip_db + _trim_db(plan, role, len(before)))[audible]
    under = dip_db[audible & is_speech]
    depth_db = max(0.0, -float(np.quantile(under, 0.05))) if len(under) else 0.0
    minutes = max(1.0, len(is_speech) / (60.0 * HOPS_PER_SECOND))
    counted = ~_in_part_returns(dip_db, is_speech)[audible]
    travel_db = float(np.abs(np.diff(moved_db))[counted[1:]].sum()) / minutes
    balanced = plan.stem_balanced.get(role)
    fader_db = plan.stem_gain_db(role) - balanced.from_db if balanced is not None else 0.0
    is_dense = bool(is_speech.mean() >= DENSE_SHARE)
    return StemJudgement(
        depth_db,
        travel_db,
        fader_db + float(moved_db.max()),
        _spread_lu(after, is_speech & audible),
        feel_of(depth_db, travel_db, is_dense=is_dense),
    )


def _in_part_returns(dip_db: FloatArray, is_speech: BoolArray) -> BoolArray:
    # Pauses of five seconds and more in which the gain comes up and not all of the way.
    found = np.zeros(len(dip_db), bool)
    edges = np.flatnonzero(np.diff(np.concatenate([[True], is_speech[: len(dip_db)], [True]]).astype(np.int8)))
    for first, last in edges.reshape(-1, 2).tolist():
        if last - first >= DETECTED_RETURN_S * HOPS_PER_SECOND and dip_db[first:last].max() < -_RETURNED_DB:
            found[first:last] = True
    return found


def _trim_db(plan: Plan, role: Role, n_hops: int) -> FloatArray | float:
    points = trim_points(plan.stem_trim(role))
    return curve_db(points, (np.arange(n_hops, dtype=np.float64) + 0.5) * HOP_SAMPLES) if points else 0.0


def _spread_lu(energy: FloatArray, inside: BoolArray) -> float | None:
    if not inside.any() or len(energy) < _WINDOW_HOPS:
        return None
    total = np.concatenate([[0.0], np.cumsum(energy)])
    middle = np.flatnonzero(inside)
    first, last = np.maximum(0, middle - _WINDOW_HOPS // 2), np.minimum(len(energy), middle + _WINDOW_HOPS // 2)
    power = (total[last] - total[first]) / ((last - first) * HOP_SAMPLES)
    levels = LOUDNESS_OFFSET_DB + 10.0 * np.log10(np.maximum(power, 1e-12))
    low, high = np.quantile(levels, (0.05, 0.95))
    return float(high - low)
