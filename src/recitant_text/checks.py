"""Names of the figures of a verdict."""

from typing import Any, Final

from recitant_core.delivery.judging.figures import verdict_data
from recitant_core.delivery.judging.judge import CLEARANCE_KEY, LimitCheck, State, Verdict

_NAMES: Final = {
    "integrated_lufs": "integrated",
    "dialogue_lufs": "dialogue loudness",
    "dialogue_stem_lufs": "while the dialogue stem sounds",
    "true_peak_dbtp": "true peak",
    "max_short_term_lufs": "loudest 3 s",
    "max_momentary_lufs": "loudest 0.4 s",
    "range_lu": "range",
    "sample_peak_dbfs": "sample peak",
    CLEARANCE_KEY: "least clearance",
}


def check_name(check: LimitCheck) -> str:
    """Name of a figure; dialogue loudness has another where it is reported beside the one that counts."""
    if check.key == "dialogue_lufs" and check.state is State.REPORTED:
        return "in dialogue"
    return _NAMES[check.key]


def verdict_shown(verdict: Verdict) -> list[dict[str, Any]]:
    """Every check of a verdict as JSON data, with its name."""
    data = zip(verdict.checks, verdict_data(verdict), strict=True)
    return [{"key": check.key, "name": check_name(check)} | one for check, one in data]
