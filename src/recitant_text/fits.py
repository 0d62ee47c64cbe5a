"""Sentences on what a fit came to, and on what it will come to."""

from collections.abc import Callable, Mapping
from typing import Any, Final

from recitant_core.delivery.fitting.fit import Fit, FitState
from recitant_core.delivery.fitting.forecast import Forecast
from recitant_core.delivery.fitting.peaks import PeakCure
from recitant_core.delivery.fitting.predict import Prediction
from recitant_core.delivery.fitting.search import MOST_LIMITING_DB
from recitant_core.delivery.fitting.squash import SquashCure
from recitant_core.units.level import finite
from recitant_text.sentences import clock_text, gain_text, signed

Facts = Mapping[str, Any]
"""Of a fit, as JSON: its state, and levels in LUFS, dB and LU by name; see fit_facts."""


def fit_facts(fit: Fit) -> dict[str, Any]:
    """Facts of a fit, as JSON, from which fit_text makes its sentence in any language."""
    trial, spec = fit.trial, fit.spec
    readings, is_short_term = trial.readings, fit.state is FitState.SHORT_TERM_OVER
    facts = {
        "gain_db": trial.master.gain_db,
        "ceiling_dbtp": trial.master.ceiling_dbtp,
        "most_reduction_db": trial.most_reduction_db,
        "limited_share": trial.limited_share,
        "needed_reduction_db": fit.needed_reduction_db,
        "reached_lufs": trial.anchor_lufs(spec),
        "target_lufs": spec.target_for(fit.layout.n_channels),
        "range_lost_lu": fit.range_lost_lu,
        "range_lu": readings.range_lu,
        "max_range_lu": spec.max_range_lu,
        "loudest_lufs": readings.max_short_term_lufs if is_short_term else readings.max_momentary_lufs,
        "max_loudest_lufs": spec.max_short_term_lufs if is_short_term else spec.max_momentary_lufs,
        "clearance_lu": fit.clearance_lu,
        "least_clearance_lu": spec.least_clearance_lu,
    }
    return {"state": fit.state.value} | {name: finite(value) for name, value in facts.items()}


def fit_sentence(fit: Fit) -> str:
    """Sentence on a fit, or on why it does not reach its specification and what would."""
    return fit_text(fit_facts(fit))


def fit_text(facts: Facts) -> str:
    """Sentence on a fit, from its facts; that of a release before facts were kept stands in them as it was."""
    return str(facts["text"]) if "text" in facts else _FIT_TEXTS[FitState(facts["state"])](facts)


def _limited(facts: Facts) -> str:
    lost = facts["range_lost_lu"]
    range_text = f", range {signed(lost)} LU smaller" if lost is not None and abs(lost) >= 0.05 else ""
    return (
        f"{gain_text(facts['gain_db'])} dB and limiting of up to {signed(facts['most_reduction_db'])} dB for "
        f"{100 * facts['limited_share']:.1f} % of the time{range_text}"
    )


def _reached(facts: Facts) -> str:
    reached = signed(facts["reached_lufs"])
    if facts["ceiling_dbtp"] is None:
        return f"{gain_text(facts['gain_db'])} dB brings it to {reached} LUFS; no limiting needed."
    return f"{_limited(facts)} bring it to {reached} LUFS."


def _too_much_limiting(facts: Facts) -> str:
    target, needed = signed(facts["target_lufs"]), signed(facts["needed_reduction_db"])
    return (
        f"{target} LUFS would take more than {needed} dB of limiting, past the {MOST_LIMITING_DB:g} dB allowed here; "
        f"with {_limited(facts)} it comes to {signed(facts['reached_lufs'])}. "
        "Lower what peaks far above the rest, or compress it, and it can go higher."
    )


def _range_over(facts: Facts) -> str:
    over = (facts["range_lu"] or 0.0) - (facts["max_range_lu"] or 0.0)
    return (
        f"At {signed(facts['reached_lufs'])} LUFS the range is {signed(facts['range_lu'])} LU, {signed(over)} LU more "
        f"than the {signed(facts['max_range_lu'])} allowed. Raise what is quiet or lower what is loud by about as much."
    )


def _clearance_under(facts: Facts) -> str:
    clear, least = signed(facts["clearance_lu"]), signed(facts["least_clearance_lu"])
    return (
        f"It reaches {signed(facts['reached_lufs'])} LUFS, but speech stands only {clear} LU clear of the rest, "
        f"not {least}. Balance lists the passages and what cures them."
    )


def _loudest_over(facts: Facts) -> str:
    length = "3 s" if facts["state"] == FitState.SHORT_TERM_OVER else "0.4 s"
    loudest, limit = facts["loudest_lufs"], facts["max_loudest_lufs"]
    over = (loudest or 0.0) - (limit or 0.0)
    return (
        f"At {signed(facts['reached_lufs'])} LUFS the loudest {length} lie at {signed(loudest)}, "
        f"{signed(over)} LU over the limit of {signed(limit)}. Lower that passage, or raise the rest by about as much."
    )


_FIT_TEXTS: Final[dict[FitState, Callable[[Facts], str]]] = {
    FitState.SILENT: lambda _facts: "The mix is silent, so no gain can bring it to a loudness.",
    FitState.TOO_SHORT: lambda _facts: "The mix is shorter than 0.4 s, so it has no loudness to fit.",
    FitState.TOO_MUCH_LIMITING: _too_much_limiting,
    FitState.SHORT_TERM_OVER: _loudest_over,
    FitState.MOMENTARY_OVER: _loudest_over,
    FitState.RANGE_OVER: _range_over,
    FitState.CLEARANCE_UNDER: _clearance_under,
    FitState.REACHED: _reached,
}


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


def verdict_facts(state: str, gain_db: float, integrated_lufs: float | None) -> dict[str, Any]:
    """Facts of a verdict in three words, as JSON; see verdict_words.

    Args:
        state: "passes", "squashed" or "fails".
        gain_db: of the fit.
        integrated_lufs: of the mix as balanced; None where it is silent.
    """
    return {"state": state, "gain_db": gain_db, "integrated_lufs": finite(integrated_lufs)}


NO_VERDICT_WORDS: Final = {"none": "empty", "waits": "being measured"}
"""For a programme without sound, and for one whose figures are on their way."""


def verdict_words(facts: Facts) -> str:
    """A verdict in three words, for a list: what the fit does, or how loud a mix is that none brings there."""
    if facts["state"] == "fails":
        return f"{signed(facts['integrated_lufs'])} LUFS"
    by = f" with {gain_text(facts['gain_db'])} dB" if abs(facts["gain_db"]) >= 0.05 else ""
    return f"{facts['state']}{by}"
