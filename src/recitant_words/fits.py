"""Sentences on what a fit came to, and on what it will come to."""

from recitant_core.delivery.fit import MOST_LIMITING_DB, Fit, FitState
from recitant_core.delivery.predict import Prediction
from recitant_words.sentences import gain_text, signed


def fit_sentence(fit: Fit) -> str:
    """What a fit does to the mix, or why it does not reach its specification and what would."""
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
        case FitState.SILENT:
            return "The mix is silent, so no gain can bring it to a loudness."
        case FitState.TOO_SHORT:
            return "The mix is shorter than 0.4 s, so it has no loudness to fit."
        case FitState.TOO_MUCH_LIMITING:
            needed = signed(fit.needed_reduction_db)
            return (
                f"{signed(spec.target_for(2))} LUFS would take more than {needed} dB of limiting, past the "
                f"{MOST_LIMITING_DB:g} dB allowed here; with {limited} it comes to {reached}. "
                "Lower what peaks far above the rest, or compress it, and it can go higher."
            )
        case FitState.SHORT_TERM_OVER:
            loudest = trial.readings.max_short_term_lufs
            limit = spec.max_short_term_lufs
            over = (loudest or 0.0) - (limit or 0.0)
            return (
                f"At {reached} LUFS the loudest 3 s lie at {signed(loudest)}, {signed(over)} LU over the limit of "
                f"{signed(limit)}. Lower that passage, or raise the rest by about as much."
            )
        case FitState.REACHED:
            if trial.master.ceiling_dbtp is None:
                return f"{gain} brings it to {reached} LUFS; no limiting needed."
            return f"{limited} bring it to {reached} LUFS."


def prediction_sentence(prediction: Prediction | None) -> str:
    """What a fit will probably do."""
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
