"""Sentences on what a fit came to, and on what it will come to."""

from typing import Final

from recitant_core.delivery.fitting.fit import Fit, FitState
from recitant_core.delivery.fitting.forecast import Forecast
from recitant_core.delivery.fitting.peaks import PeakCure
from recitant_core.delivery.fitting.predict import Prediction
from recitant_core.delivery.fitting.search import MOST_LIMITING_DB
from recitant_core.delivery.fitting.squash import SquashCure
from recitant_text.sentences import clock_text, gain_text, signed

_NO_LOUDNESS: Final = {
    FitState.SILENT: "The mix is silent, so no gain can bring it to a loudness.",
    FitState.TOO_SHORT: "The mix is shorter than 0.4 s, so it has no loudness to fit.",
}


def fit_sentence(fit: Fit) -> str:
    """Sentence on a fit, or on why it does not reach its specification and what would."""
    trial, spec = fit.trial, fit.spec
    gain = f"{gain_text(trial.master.gain_db)} dB"
    lost = fit.range_lost_lu
    range_text = f", range {signed(lost)} LU smaller" if lost is not None and abs(lost) >= 0.05 else ""
    limited = (
        f"{gain} and limiting of up to {signed(trial.most_reduction_db)} dB for "
        f"{100 * trial.limited_share:.1f} % of the time{range_text}"
    )
    reached = signed(trial.anchor_lufs(spec))
    match fit.state:
        case FitState.SILENT | FitState.TOO_SHORT:
            return _NO_LOUDNESS[fit.state]
        case FitState.TOO_MUCH_LIMITING:
            needed, target = signed(fit.needed_reduction_db), signed(spec.target_for(fit.layout.n_channels))
            return (
                f"{target} LUFS would take more than {needed} dB of limiting, past the "
                f"{MOST_LIMITING_DB:g} dB allowed here; with {limited} it comes to {reached}. "
                "Lower what peaks far above the rest, or compress it, and it can go higher."
            )
        case FitState.SHORT_TERM_OVER | FitState.MOMENTARY_OVER:
            return _loudest_sentence(fit)
        case FitState.RANGE_OVER | FitState.CLEARANCE_UNDER:
            return _balance_sentence(fit, reached)
        case FitState.REACHED:
            if trial.master.ceiling_dbtp is None:
                return f"{gain} brings it to {reached} LUFS; no limiting needed."
            return f"{limited} bring it to {reached} LUFS."


def _balance_sentence(fit: Fit, reached: str) -> str:
    range_lu, spec = fit.trial.readings.range_lu, fit.spec
    if fit.state is FitState.RANGE_OVER:
        over = (range_lu or 0.0) - (spec.max_range_lu or 0.0)
        return (
            f"At {reached} LUFS the range is {signed(range_lu)} LU, {signed(over)} LU more than the "
            f"{signed(spec.max_range_lu)} allowed. Raise what is quiet or lower what is loud by about as much."
        )
    return (
        f"It reaches {reached} LUFS, but speech stands only {signed(fit.clearance_lu)} LU clear of the rest, "
        f"not {signed(spec.least_clearance_lu)}. Balance lists the passages and what cures them."
    )


def _loudest_sentence(fit: Fit) -> str:
    readings, spec = fit.trial.readings, fit.spec
    if fit.state is FitState.SHORT_TERM_OVER:
        length, loudest, limit = "3 s", readings.max_short_term_lufs, spec.max_short_term_lufs
    else:
        length, loudest, limit = "0.4 s", readings.max_momentary_lufs, spec.max_momentary_lufs
    over = (loudest or 0.0) - (limit or 0.0)
    return (
        f"At {signed(fit.trial.anchor_lufs(spec))} LUFS the loudest {length} lie at {signed(loudest)}, "
        f"{signed(over)} LU over the limit of {signed(limit)}. Lower that passage, or raise the rest by about as much."
    )


def forecast_sentence(found: Forecast) -> str:
    """Sentence on the limiter's work on the way to a specification, predicted over the whole programme."""
    gain = f"{gain_text(found.master.gain_db)} dB"
    if found.short_term_over_lu > 0.0:
        return f"{gain}; the loudest 3 s would then lie {signed(found.short_term_over_lu)} LU over their limit."
    if found.master.ceiling_dbtp is None:
        return f"{gain}, no limiting needed."
    work = (
        f"{gain} and limiting of up to about {signed(found.most_reduction_db)} dB for "
        f"{100 * found.limited_share:.0f} % of the time"
    )
    if not found.is_reached:
        return (
            f"{work} come to {signed(found.reached_lufs)} LUFS, not to {signed(found.target_lufs)}: more limiting "
            f"than the {MOST_LIMITING_DB:g} dB allowed here. Lower what peaks far above the rest first."
        )
    return f"{work} bring it to {signed(found.reached_lufs)} LUFS."


def cure_sentence(cure: SquashCure, track: str) -> str:
    """Sentence on the cure of a mix that passes squashed.

    Args:
        track: name of the one that the cure names.
    """
    return (
        f"{track} makes {100 * cure.share:.0f} % of what the limiter works on: compress its peaks by about "
        f"{signed(cure.by_db)} dB before, or choose a lower target."
    )


def peak_words(cure: PeakCure, clip: str) -> str:
    """Sentence on the clip that keeps a mix from its loudness.

    Args:
        clip: name of the one that the cure names.
    """
    highest = f"“{clip}” at {clock_text(cure.at_sample)} peaks highest"
    gain = f"{gain_text(-cure.by_db)} dB"
    if not cure.n_others:
        return f"{highest}: {gain} on it would do."
    others = "One more clip peaks" if cure.n_others == 1 else f"{cure.n_others} more clips peak"
    return f"{highest}; begin with {gain} on it. {others} too high as well."


SQUASHED_WORDS: Final = "passes, but squashed"


def prediction_sentence(prediction: Prediction | None) -> str:
    """Sentence on a predicted fit."""
    if prediction is None:
        return "Nothing to fit yet: the mix is silent or shorter than 0.4 s."
    gain = f"{gain_text(prediction.gain_db)} dB"
    if prediction.short_term_over_lu > 0.0:
        return f"{gain}; the loudest 3 s would then lie {signed(prediction.short_term_over_lu)} LU over their limit."
    if prediction.peak_over_db is None:
        return f"{gain}; the peaks are still being measured."
    if prediction.peak_over_db > MOST_LIMITING_DB:
        return (
            f"{gain} lifts the highest peak {signed(prediction.peak_over_db)} dB over the ceiling: more limiting than "
            f"the {MOST_LIMITING_DB:g} dB allowed here. Lower what peaks far above the rest first."
        )
    if prediction.peak_over_db > 0.0:
        return f"{gain}, limiting of up to about {signed(prediction.peak_over_db)} dB on the highest peaks."
    return f"{gain}, no limiting needed."


def verdict_words(state: str, gain_db: float, integrated_lufs: float | None) -> str:
    """A verdict in three words, for a list: what the fit does, or how loud a mix is that none brings there.

    Args:
        state: "passes", "squashed" or "fails".
        gain_db: of the fit.
        integrated_lufs: of the mix as balanced.
    """
    if state == "fails":
        return f"{signed(integrated_lufs)} LUFS"
    by = f" with {gain_text(gain_db)} dB" if abs(gain_db) >= 0.05 else ""
    return f"{state}{by}"
