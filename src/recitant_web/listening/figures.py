"""Figures of a mix: the verdict and the fit, foretold at once and exact once they were measured."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from recitant_core.delivery.fitting.forecast import Forecast, forecast
from recitant_core.delivery.fitting.peaks import peak_cure
from recitant_core.delivery.fitting.predict import predict
from recitant_core.delivery.fitting.squash import is_squashed, squash_cure
from recitant_core.delivery.judging.judge import judge
from recitant_core.delivery.specification.model import Spec
from recitant_core.measure.loudness import short_term_contour_lufs
from recitant_core.timeline.model import Master
from recitant_core.units.arrays import FloatArray
from recitant_core.units.channels import ChannelLayout
from recitant_text.checks import verdict_shown
from recitant_text.fits import cure_sentence, fit_text, forecast_sentence, peak_words, prediction_sentence
from recitant_web.desk.models import FitResult
from recitant_web.listening.snapshot import Snapshot
from recitant_web.shared.caches import Cache

HORIZON_POINTS = 600
_FLOOR_TENTHS = -1_000  # what stands for silence in a contour, in tenths of LUFS


@dataclass(frozen=True)
class FitView:
    """Figures of a fit to a specification, done or predicted."""

    sentence: str
    is_reached: bool
    is_exact: bool
    """Whether it was tried; else it is foretold."""
    is_squashed: bool = False
    cure: str = ""
    """Of one that is squashed, or needs more limiting than a fit allows: what to do about it."""


def fit_view(snapshot: Snapshot, spec: Spec) -> FitView:
    """Figures of a fit of the mix to a specification; kept by the mix."""
    exact = snapshot.fits.get(snapshot.fit_key(spec))
    key = (snapshot.programme.pk, snapshot.key, snapshot.fit_key(spec), exact is not None, snapshot.verdict is not None)
    if exact is None and snapshot.verdict is None:
        prediction = predict(snapshot.readings[0], spec, snapshot.plan.layout, snapshot.readings[1])
        return FitView(prediction_sentence(prediction), prediction is not None and prediction.is_likely, False)
    return _fits.get_or_make(key, lambda: _fit_view(snapshot, spec, exact))


_fits: Cache[FitView] = Cache("fits and forecasts", 1_000_000)


def _fit_view(snapshot: Snapshot, spec: Spec, exact: FitResult | None) -> FitView:
    readings, dialogue_lufs = snapshot.readings
    summary = snapshot.summary
    found = None if summary is None else forecast(summary, readings, spec, snapshot.plan.layout, dialogue_lufs)
    if exact is not None and exact.limited_share is not None:
        squashed = exact.is_reached and is_squashed(exact.most_reduction_db or 0.0, exact.limited_share)
    else:
        squashed = found is not None and found.is_reached and is_squashed(found.most_reduction_db, found.limited_share)
    cure = _cure_words(snapshot, found) if squashed and found is not None else ""
    is_reached = exact.is_reached if exact is not None else found is None or found.is_reached
    if not is_reached:
        cure = _peak_words(snapshot, spec)
    if exact is not None:
        return FitView(fit_text(exact.facts), exact.is_reached, True, squashed, cure)
    if found is None:
        prediction = predict(readings, spec, snapshot.plan.layout, dialogue_lufs)
        return FitView(prediction_sentence(prediction), prediction is not None and prediction.is_likely, False)
    return FitView(forecast_sentence(found), found.is_reached, False, squashed, cure)


def _peak_words(snapshot: Snapshot, spec: Spec) -> str:
    readings, dialogue_lufs = snapshot.readings
    if snapshot.summary is None:
        return ""
    cure = peak_cure(snapshot.summary, readings, spec, snapshot.plan, snapshot.scene.tracks, dialogue_lufs)
    if cure is None:
        return ""
    clips = (clip for track in snapshot.plan.tracks for clip in track.clips)
    return peak_words(cure, next(clip.name for clip in clips if clip.clip_id == cure.clip_id))


def _cure_words(snapshot: Snapshot, found: Forecast) -> str:
    cure = squash_cure(found.reduction_db, snapshot.scene.tracks)
    if cure is None:
        return ""
    track = next(track for track in snapshot.plan.tracks if track.track_id == cure.target_id)
    return cure_sentence(cure, track.name)


def likely_master(snapshot: Snapshot, spec: Spec) -> tuple[Master, bool]:
    """The master setting that hands a mix over to a specification, and whether it is exact."""
    exact = snapshot.fits.get(snapshot.fit_key(spec))
    if exact is not None:
        return Master(exact.gain_db, exact.ceiling_dbtp), True
    prediction = predict(snapshot.readings[0], spec, snapshot.plan.layout, snapshot.readings[1])
    # Until the fit is known, always limit at the ceiling.
    ceiling = spec.max_true_peak_dbtp
    return (Master(prediction.gain_db, ceiling) if prediction else Master(0.0, ceiling)), False


def figures_of(snapshot: Snapshot) -> dict[str, Any]:
    """Verdict and fit of a programme, as the pages show them; the revision they are of. Not to be changed."""
    fits = tuple((key, fit_text(fit.facts), fit.is_reached) for key, fit in sorted(snapshot.fits.items()))
    exact = None if snapshot.verdict is None else tuple(sorted(snapshot.verdict.figures.items()))
    key = (snapshot.moment, snapshot.key, snapshot.fit_key(snapshot.spec), exact, fits)
    return _figures.get_or_make(key, lambda: _figures_of(snapshot))


_figures: Cache[dict[str, Any]] = Cache("figures", 8_000_000, lambda _found: 24_000)


def _figures_of(snapshot: Snapshot) -> dict[str, Any]:
    spec = snapshot.spec
    readings, dialogue_lufs = snapshot.readings
    is_exact = snapshot.verdict is not None
    clearance_lu = None if spec.least_clearance_lu is None else snapshot.clearance_lu
    verdict = judge(
        readings, spec, snapshot.plan.layout.n_channels, dialogue_lufs=dialogue_lufs, clearance_lu=clearance_lu
    )
    findings = verdict_shown(verdict)
    if not is_exact:
        for finding in findings:
            if finding["key"] in ("true_peak_dbtp", "sample_peak_dbfs"):
                finding["state"] = "pending"
    return {
        "figures_of": snapshot.programme.revision,
        "is_exact": is_exact,
        "findings": findings,
        "fit": vars(fit_view(snapshot, spec)),
    }


def horizon_of(snapshot: Snapshot) -> Sequence[int | None]:
    """Short-term loudness along the whole programme, in tenths of LUFS, at HORIZON_POINTS places at the most."""
    total = snapshot.mix_energy
    places = np.linspace(0, max(0, len(total) - 1), min(HORIZON_POINTS, max(1, len(total))))
    return tenths_of(short_term_contour_lufs(total, places)) if len(total) else []


def spec_data(spec: Spec, layout: ChannelLayout) -> dict[str, Any]:
    """Data of a specification for pages, beside its figures."""
    return {
        "id": spec.spec_id,
        "name": spec.name,
        "target_lufs": spec.target_for(layout.n_channels),
        "tolerance_lu": spec.tolerance_lu,
        "max_true_peak_dbtp": spec.max_true_peak_dbtp,
    }


def tenths_of(levels: FloatArray) -> list[int]:
    """Levels in tenths, as whole numbers; silence is _FLOOR_TENTHS."""
    return np.round(np.maximum(levels, _FLOOR_TENTHS / 10) * 10).astype(int).tolist()  # type: ignore[no-any-return]
