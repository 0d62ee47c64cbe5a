"""Figures of a mix: the verdict and the fit, foretold at once and exact once they were measured."""

from typing import Any

import numpy as np

from recitant_core.delivery.figures import verdict_data
from recitant_core.delivery.judge import judge
from recitant_core.delivery.predict import predict
from recitant_core.delivery.spec import Spec
from recitant_core.measure.loudness import short_term_contour_lufs
from recitant_core.timeline.model import Master
from recitant_core.units.arrays import FloatArray
from recitant_web.listening.snapshot import Snapshot
from recitant_web.shared.caches import Cache
from recitant_words.fits import prediction_sentence

HORIZON_POINTS = 600
_FLOOR_TENTHS = -1_000  # what stands for silence in a contour, in tenths of LUFS


def prediction_text(snapshot: Snapshot, spec: Spec) -> tuple[str, bool, bool]:
    """What a fit to a specification will do: the sentence, whether it is likely to pass, whether it is exact."""
    exact = snapshot.fits.get(spec.spec_id)
    if exact is not None:
        return exact.sentence, exact.is_reached, True
    prediction = predict(snapshot.readings[0], spec, snapshot.readings[1])
    return prediction_sentence(prediction), prediction is not None and prediction.is_likely, False


def likely_master(snapshot: Snapshot) -> tuple[Master, bool]:
    """The master setting that hands a mix over, and whether it is exact."""
    exact = snapshot.fits.get(snapshot.spec.spec_id)
    if exact is not None:
        return Master(exact.gain_db, exact.ceiling_dbtp), True
    prediction = predict(snapshot.readings[0], snapshot.spec, snapshot.readings[1])
    # Until the fit is known, always limit at the ceiling.
    ceiling = snapshot.spec.max_true_peak_dbtp
    return (Master(prediction.gain_db, ceiling) if prediction else Master(0.0, ceiling)), False


def figures_of(snapshot: Snapshot) -> dict[str, Any]:
    """Verdict, fit and horizon of a programme, as the pages show them; the revision they are of. Not to be changed."""
    fits = tuple((key, fit.sentence, fit.is_reached) for key, fit in sorted(snapshot.fits.items()))
    exact = None if snapshot.verdict is None else tuple(sorted(snapshot.verdict.figures.items()))
    # Exact figures do not hang on what was estimated; a horizon does.
    key = (snapshot.moment, snapshot.key, snapshot.spec.spec_id, exact, fits)
    return _figures.get_or_make(key, lambda: _figures_of(snapshot))


_figures: Cache[dict[str, Any]] = Cache("figures", 8_000_000, lambda _found: 24_000)


def _figures_of(snapshot: Snapshot) -> dict[str, Any]:
    spec = snapshot.spec
    readings, dialogue_lufs = snapshot.readings
    is_exact = snapshot.verdict is not None
    verdict = judge(readings, spec, dialogue_lufs=dialogue_lufs)
    findings = verdict_data(verdict)
    if not is_exact:
        for finding in findings:
            if finding["key"] in ("true_peak_dbtp", "sample_peak_dbfs"):
                finding["state"] = "pending"
    total = snapshot.mix_energy
    places = np.linspace(0, max(0, len(total) - 1), min(HORIZON_POINTS, max(1, len(total))))
    fit_words, is_reached, is_fit_exact = prediction_text(snapshot, spec)
    return {
        "figures_of": snapshot.programme.revision,
        "is_exact": is_exact,
        "is_passed": verdict.is_passed and is_exact,
        "findings": findings,
        "horizon": tenths_of(short_term_contour_lufs(total, places)) if len(total) else [],
        "fit": {"sentence": fit_words, "is_reached": is_reached, "is_exact": is_fit_exact},
    }


def spec_data(spec: Spec) -> dict[str, Any]:
    """What pages show of a specification beside its figures."""
    return {
        "id": spec.spec_id,
        "name": spec.name,
        "target_lufs": spec.target_for(2),
        "tolerance_lu": spec.tolerance_lu,
        "max_true_peak_dbtp": spec.max_true_peak_dbtp,
    }


def tenths_of(levels: FloatArray) -> list[int]:
    """Levels in tenths, as whole numbers; silence is _FLOOR_TENTHS."""
    return np.round(np.maximum(levels, _FLOOR_TENTHS / 10) * 10).astype(int).tolist()  # type: ignore[no-any-return]
