"""The fit: the gain and the limiting with which a mix reaches a specification, or why it cannot.

Every trial is what would be written: limited, dithered, rounded to the bit depth of the file, and measured.
Held to: tests/core/test_fit.py
"""

from dataclasses import dataclass, replace
from enum import StrEnum

from recitant_core.delivery.fitting.search import REACH_LU, Attempt, search
from recitant_core.delivery.fitting.trial import Rendered, Trial, tried
from recitant_core.delivery.judging.judge import CLEARANCE_KEY, State, Verdict, judge
from recitant_core.delivery.specification.model import Spec
from recitant_core.measure.meter import Readings
from recitant_core.ports import Progress, no_progress
from recitant_core.timeline.model import Master, Plan
from recitant_core.units.channels import STEREO, ChannelLayout
from recitant_core.units.level import SILENCE


class FitState(StrEnum):
    """Outcome of a fit."""

    REACHED = "reached"
    SILENT = "silent"
    TOO_MUCH_LIMITING = "too_much_limiting"
    SHORT_TERM_OVER = "short_term_over"
    MOMENTARY_OVER = "momentary_over"
    RANGE_OVER = "range_over"
    CLEARANCE_UNDER = "clearance_under"
    TOO_SHORT = "too_short"


@dataclass(frozen=True)
class Fit:
    """The best master setting for a specification, and how good it is."""

    spec: Spec
    state: FitState
    trial: Trial
    untouched: Trial
    needed_gain_db: float | None
    needed_reduction_db: float | None
    layout: ChannelLayout = STEREO
    """Of the bus."""
    clearance_lu: float | None = None
    """Under which speech never falls, where that is known."""

    @property
    def range_lost_lu(self) -> float | None:
        """Loudness range before less loudness range after, in LU."""
        before, after = self.untouched.readings.range_lu, self.trial.readings.range_lu
        return None if before is None or after is None else before - after

    @property
    def verdict(self) -> Verdict:
        """The trial under the specification."""
        return self.judged(self.trial.readings)

    def judged(self, readings: Readings) -> Verdict:
        """Other readings of the same trial under the specification."""
        trial = self.trial
        return judge(
            readings,
            self.spec,
            self.layout.n_channels,
            trial.dialogue_lufs,
            dialogue_stem_lufs=trial.dialogue_stem_lufs,
            clearance_lu=self.clearance_lu,
        )


def fit(plan: Plan, known: Rendered, spec: Spec, progress: Progress = no_progress, start: Master | None = None) -> Fit:
    """The gain and ceiling that bring a mix to a specification.

    Args:
        plan: its master is replaced; a gain set there counts as zero.
        known: the plan rendered; every trial reads the mix kept there.
        spec: target, tolerance, ceiling, bit depth.
        progress: told the share of the work done, counted in trials; may raise Cancelled.
        start: the setting to try first, as an earlier fit of the same mix found it.

    Returns:
        A fit in state REACHED lies within 0.1 LU of the target and under the ceiling after rounding. Otherwise the
        trial nearest to the target that keeps the ceiling and the limiting allowed, and the state that says why.
    """

    untouched = known.untouched
    now_lufs = untouched.anchor_lufs(spec)
    if now_lufs is None:
        return Fit(spec, FitState.TOO_SHORT, untouched, untouched, None, None, plan.layout)
    if now_lufs == SILENCE:
        return Fit(spec, FitState.SILENT, untouched, untouched, None, None, plan.layout)

    def run(master: Master, index: int) -> Attempt[Trial]:
        def tell(share: float) -> None:
            # Nobody knows how many trials it takes: each counts half of what is left.
            progress(1.0 - (1.0 - 0.5 * share) * 0.5 ** (index - 1))

        trial = tried(replace(plan, master=master), known, spec.bit_depth, tell)
        is_limited = master.ceiling_dbtp is not None
        return Attempt(trial, trial.anchor_lufs(spec), trial.readings.true_peak_dbtp, is_limited)

    target = spec.target_for(plan.layout.n_channels)
    done = search(run, spec, target, now_lufs, untouched.readings.true_peak_dbtp, start)
    trial = done.best if done.best is not None else untouched
    found = Fit(
        spec,
        _state_of(trial, spec, target),
        trial,
        untouched,
        done.needed_gain_db,
        done.needed_reduction_db,
        plan.layout,
        known.clearance_lu,
    )
    failing = {check.key for check in found.verdict.checks if check.state is State.FAIL}
    if found.state is FitState.REACHED and failing == {CLEARANCE_KEY}:
        return replace(found, state=FitState.CLEARANCE_UNDER)
    return found


def _state_of(trial: Trial, spec: Spec, target_lufs: float) -> FitState:
    reached = trial.anchor_lufs(spec)
    if reached is None or abs(reached - target_lufs) > REACH_LU:
        return FitState.TOO_MUCH_LIMITING
    return _limit_over(spec, trial.readings)


def _limit_over(spec: Spec, readings: Readings) -> FitState:
    limits = (
        (readings.max_short_term_lufs, spec.max_short_term_lufs, FitState.SHORT_TERM_OVER),
        (readings.max_momentary_lufs, spec.max_momentary_lufs, FitState.MOMENTARY_OVER),
        (readings.range_lu, spec.max_range_lu, FitState.RANGE_OVER),
    )
    for measured, limit, state in limits:
        if measured is not None and limit is not None and measured > limit:
            return state
    return FitState.REACHED
