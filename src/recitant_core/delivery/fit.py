"""The fit: the gain and the limiting with which a mix reaches a specification, or why it cannot.

Every trial renders what would be written: limited, dithered, rounded to the bit depth of the file, and measured.
Held to: tests/core/test_fit.py
"""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Final

import numpy as np

from recitant_core.delivery.judge import Verdict, judge
from recitant_core.delivery.spec import Anchor, Spec
from recitant_core.dsp.quantise import Integers, audio_from_integers, quantise
from recitant_core.measure.loudness import anchored_lufs, gating_block_powers
from recitant_core.measure.meter import MeterState, Readings, feed_meter, hop_energy, read_meter
from recitant_core.ports import Progress, no_progress
from recitant_core.render.laid import Sources
from recitant_core.render.mix import MasteredSegment, render_segments
from recitant_core.timeline.model import Master, Plan, Role
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import STEREO, ChannelLayout
from recitant_core.units.level import SILENCE, db_from_factor

REACH_LU: Final = 0.1  # the fit counts as reached this near the target
AIM_LU: Final = 0.02  # and stops trying this near
MOST_LIMITING_DB: Final = 12.0  # deeper limiting takes the life out: the fit refuses and says so
CEILING_MARGIN_DB: Final = 0.1  # other meters' oversampling filters read up to this much higher
_MOST_TRIALS: Final = 6


class FitState(StrEnum):
    """How a fit ended."""

    REACHED = "reached"
    SILENT = "silent"
    TOO_MUCH_LIMITING = "too_much_limiting"
    SHORT_TERM_OVER = "short_term_over"
    TOO_SHORT = "too_short"


@dataclass(frozen=True)
class Trial:
    """What a master setting makes of a plan, measured as written."""

    master: Master
    readings: Readings
    dialogue_lufs: float | None
    most_reduction_db: float
    limited_share: float
    stem_peak_dbfs: float
    """Highest sample of any stem, before the last limiter."""

    def anchor_lufs(self, spec: Spec) -> float | None:
        """The loudness a specification's target is about."""
        if spec.anchor is Anchor.DIALOGUE and self.dialogue_lufs is not None:
            return self.dialogue_lufs
        return self.readings.integrated_lufs


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

    @property
    def range_lost_lu(self) -> float | None:
        """How much smaller the loudness range gets."""
        before, after = self.untouched.readings.range_lu, self.trial.readings.range_lu
        return None if before is None or after is None else before - after

    @property
    def verdict(self) -> Verdict:
        """The trial under the specification."""
        return judge(self.trial.readings, self.spec, self.layout.n_channels, self.trial.dialogue_lufs)


@dataclass(frozen=True)
class WrittenSegment:
    """A stretch of a delivery with the whole numbers that go into its file."""

    mastered: MasteredSegment
    values: Integers


class TrialMeter:
    """Measures a delivery while its segments pass by."""

    def __init__(
        self, master: Master, dialogue_blocks: FloatArray | None = None, layout: ChannelLayout = STEREO
    ) -> None:
        self._master = master
        self._meter = MeterState.at_rest(layout)
        self._dialogue = MeterState.at_rest(layout)
        self._known_dialogue_blocks = dialogue_blocks
        self._least_factor = 1.0
        self._stem_peak_factor = 0.0
        self._limited = 0
        self._total = 0

    def feed(self, audio: Audio, segment: MasteredSegment) -> None:
        """Count one more segment: what is heard of it, and how it came about."""
        self._meter = feed_meter(audio, self._meter)
        if self._known_dialogue_blocks is None and Role.DIALOGUE in segment.stems:
            self._dialogue = feed_meter(segment.stems[Role.DIALOGUE], self._dialogue)
        factor = segment.limiter_factor
        self._least_factor = min(self._least_factor, float(factor.min(initial=1.0)))
        self._limited += int(np.count_nonzero(factor < 0.999))
        self._total += len(factor)
        for stem in segment.stems.values():
            self._stem_peak_factor = max(self._stem_peak_factor, float(np.abs(stem).max(initial=0.0)))

    def dialogue_blocks(self) -> FloatArray:
        """Block powers of the dialogue stem."""
        if self._known_dialogue_blocks is not None:
            return self._known_dialogue_blocks
        return gating_block_powers(hop_energy(self._dialogue))

    def trial(self) -> Trial:
        """The figures of all that was fed."""
        blocks = gating_block_powers(hop_energy(self._meter))
        dialogue_blocks = self.dialogue_blocks()
        dialogue_lufs = anchored_lufs(blocks, dialogue_blocks) if len(dialogue_blocks) == len(blocks) else None
        return Trial(
            self._master,
            read_meter(self._meter),
            dialogue_lufs,
            -db_from_factor(self._least_factor),
            self._limited / max(1, self._total),
            db_from_factor(self._stem_peak_factor),
        )


def written_segments(plan: Plan, sources: Sources, bit_depth: int) -> Iterator[WrittenSegment]:
    """The whole delivery of a plan in order, as the whole numbers of its file."""
    for segment in render_segments(plan, sources):
        yield WrittenSegment(segment, quantise(segment.output, bit_depth, segment.span.start_sample))


def measure_mix(
    plan: Plan,
    sources: Sources,
    progress: Progress = no_progress,
    hear: Callable[[MasteredSegment], None] | None = None,
) -> tuple[Trial, FloatArray]:
    """The figures of a mix as balanced, before any master; and its dialogue's block powers, float64 (blocks,).

    Args:
        hear: given every segment in order, for whoever measures more of it in the same pass.
    """
    meter = TrialMeter(Master(), layout=plan.layout)
    for segment in render_segments(replace(plan, master=Master()), sources):
        meter.feed(segment.output, segment)
        if hear is not None:
            hear(segment)
        progress(segment.span.end_sample / plan.span.length_samples)
    return meter.trial(), meter.dialogue_blocks()


def fit(plan: Plan, sources: Sources, spec: Spec, progress: Progress = no_progress) -> Fit:
    """The gain and ceiling that bring a mix to a specification.

    Args:
        plan: its master is replaced; a gain set there counts as zero.
        sources: every source the plan names.
        spec: target, tolerance, ceiling, bit depth.
        progress: told the share of the work done, counted in trials; may raise Cancelled.

    Returns:
        A fit in state REACHED lies within 0.1 LU of the target and under the ceiling after rounding. Otherwise the
        trial nearest to the target that keeps the ceiling and the limiting allowed, and the state that says why.
    """

    def run(master: Master, index: int) -> Trial:
        def tell(share: float) -> None:
            progress(1.0 - (1.0 - 0.35 * share) * 0.65**index)

        meter = TrialMeter(master, untouched_blocks, plan.layout)
        for segment in written_segments(replace(plan, master=master), sources, spec.bit_depth):
            meter.feed(audio_from_integers(segment.values, spec.bit_depth), segment.mastered)
            tell(segment.mastered.span.end_sample / plan.span.length_samples)
        return meter.trial()

    untouched, untouched_blocks = measure_mix(plan, sources, lambda share: progress(0.35 * share))
    now_lufs = untouched.anchor_lufs(spec)
    if now_lufs is None:
        return Fit(spec, FitState.TOO_SHORT, untouched, untouched, None, None, plan.layout)
    if now_lufs == SILENCE:
        return Fit(spec, FitState.SILENT, untouched, untouched, None, None, plan.layout)
    return _search(spec, untouched, now_lufs, run, plan.layout)


def _search(
    spec: Spec, untouched: Trial, now_lufs: float, run: Callable[[Master, int], Trial], layout: ChannelLayout
) -> Fit:
    ceiling_dbtp = spec.max_true_peak_dbtp - CEILING_MARGIN_DB
    target = spec.target_for(layout.n_channels)
    gain_db = needed_gain_db = target - now_lufs
    # Limiting keeps peaks down by about what stands over the ceiling: past the most allowed, there is no use trying.
    most_gain_db = ceiling_dbtp + MOST_LIMITING_DB - untouched.readings.true_peak_dbtp
    needed_reduction_db = max(0.0, untouched.readings.true_peak_dbtp + gain_db - ceiling_dbtp)
    best: Trial | None = None
    for index in range(1, _MOST_TRIALS + 1):
        gain_db = min(gain_db, most_gain_db)
        needs_limiter = untouched.readings.true_peak_dbtp + gain_db > ceiling_dbtp
        trial = run(Master(gain_db, ceiling_dbtp if needs_limiter else None), index)
        over_db = trial.readings.true_peak_dbtp - spec.max_true_peak_dbtp
        if over_db > 0.0:
            ceiling_dbtp -= over_db + 0.02
            continue
        reached = trial.anchor_lufs(spec)
        if reached is None or not math.isfinite(reached):
            break
        miss = target - reached
        if best is None or abs(miss) < abs(target - (best.anchor_lufs(spec) or SILENCE)):
            best = trial
        if abs(miss) <= AIM_LU or (gain_db >= most_gain_db and miss > 0.0):
            break
        # Limited, the loudness follows the gain by less than one for one: a longer step where it lagged.
        gain_db += miss * (1.25 if needs_limiter and miss > 0.0 else 1.0)
        needed_gain_db = max(needed_gain_db, gain_db)
        needed_reduction_db = max(0.0, untouched.readings.true_peak_dbtp + needed_gain_db - ceiling_dbtp)
    trial = best if best is not None else untouched
    reached = trial.anchor_lufs(spec)
    if reached is None or abs(reached - target) > REACH_LU:
        state = FitState.TOO_MUCH_LIMITING
    elif (
        spec.max_short_term_lufs is not None
        and trial.readings.max_short_term_lufs is not None
        and trial.readings.max_short_term_lufs > spec.max_short_term_lufs
    ):
        state = FitState.SHORT_TERM_OVER
    else:
        state = FitState.REACHED
    return Fit(spec, state, trial, untouched, needed_gain_db, needed_reduction_db, layout)
