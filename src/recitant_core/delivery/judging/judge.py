"""Verdicts: every figure of a signal beside its limit, and whether it passes."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from recitant_core.delivery.specification.model import Anchor, Spec
from recitant_core.measure.meter import Readings

CLEARANCE_KEY: Final = "clearance_lu"
_ROUNDING = 1e-6  # figures are compared as measured; this only absorbs the last bits of a float


class State(StrEnum):
    """Outcome of one check."""

    PASS = "pass"
    FAIL = "fail"
    REPORTED = "reported"


@dataclass(frozen=True)
class LimitCheck:
    """One figure: measured, what it must be, and by how much it misses (0 where it passes)."""

    key: str
    unit: str
    measured: float | None
    low: float | None
    high: float | None
    state: State
    miss: float = 0.0


@dataclass(frozen=True)
class Verdict:
    """All checks of one signal under one specification."""

    spec: Spec
    checks: tuple[LimitCheck, ...]
    anchor: Anchor

    @property
    def is_passed(self) -> bool:
        """Whether no check fails."""
        return all(check.state is not State.FAIL for check in self.checks)


def judge(
    readings: Readings,
    spec: Spec,
    n_channels: int = 2,
    dialogue_lufs: float | None = None,
    *,
    dialogue_stem_lufs: float | None = None,
    clearance_lu: float | None = None,
) -> Verdict:
    """Every figure against a specification.

    Args:
        readings: of the whole signal.
        spec: the limits.
        n_channels: of the signal; some targets differ for mono.
        dialogue_lufs: loudness while somebody speaks, where that is known. A specification anchored on dialogue
            is judged on it; without it on the whole programme, and ``anchor`` says so.
        dialogue_stem_lufs: loudness while the stems of dialogue sound.
        clearance_lu: under which speech never falls, where stems are known.
    """
    on_dialogue = spec.anchor is Anchor.DIALOGUE and dialogue_lufs is not None
    target = spec.target_for(n_channels)
    low, high = target - spec.tolerance_lu, target + spec.tolerance_lu
    checks = []
    if on_dialogue:
        checks.append(_judged("dialogue_lufs", "LUFS", dialogue_lufs, low, high))
        checks.append(_reported("integrated_lufs", "LUFS", readings.integrated_lufs))
    else:
        checks.append(_judged("integrated_lufs", "LUFS", readings.integrated_lufs, low, high))
        if dialogue_lufs is not None:
            checks.append(_reported("dialogue_lufs", "LUFS", dialogue_lufs))
    if dialogue_stem_lufs is not None:
        checks.append(_reported("dialogue_stem_lufs", "LUFS", dialogue_stem_lufs))
    checks += [
        _judged("true_peak_dbtp", "dBTP", readings.true_peak_dbtp, None, spec.max_true_peak_dbtp),
        _at_most("max_short_term_lufs", "LUFS", readings.max_short_term_lufs, spec.max_short_term_lufs),
        _at_most("max_momentary_lufs", "LUFS", readings.max_momentary_lufs, spec.max_momentary_lufs),
        _at_most("range_lu", "LU", readings.range_lu, spec.max_range_lu),
        _reported("sample_peak_dbfs", "dBFS", readings.sample_peak_dbfs),
    ]
    if spec.least_clearance_lu is not None or clearance_lu is not None:
        checks.append(_clearance(clearance_lu, spec.least_clearance_lu))
    return Verdict(spec, tuple(checks), Anchor.DIALOGUE if on_dialogue else Anchor.PROGRAMME)


def _clearance(measured: float | None, low: float | None) -> LimitCheck:
    key, unit = CLEARANCE_KEY, "LU"
    if measured is None or low is None:
        # A file alone does not tell what of it is speech.
        return LimitCheck(key, unit, measured, low, None, State.REPORTED)
    return _judged(key, unit, measured, low, None)


def _at_most(key: str, unit: str, measured: float | None, high: float | None) -> LimitCheck:
    return _reported(key, unit, measured) if high is None else _judged(key, unit, measured, None, high)


def _judged(key: str, unit: str, measured: float | None, low: float | None, high: float | None) -> LimitCheck:
    if measured is None:
        # Too short to have the figure: a loudness that must be met is not met, a highest level is not passed.
        state = State.PASS if low is None else State.FAIL
        return LimitCheck(key, unit, None, low, high, state)
    miss = 0.0
    if high is not None and measured > high + _ROUNDING:
        miss = measured - high
    if low is not None and measured < low - _ROUNDING:
        miss = measured - low
    return LimitCheck(key, unit, measured, low, high, State.FAIL if miss else State.PASS, miss)


def _reported(key: str, unit: str, measured: float | None) -> LimitCheck:
    return LimitCheck(key, unit, measured, None, None, State.REPORTED)
