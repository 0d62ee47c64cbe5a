"""How a balance stands, as data and as lines of words."""

from typing import Any, Final

from recitant_core.balance.judgement import Judgement
from recitant_text.sentences import percent, signed

GOOD_PHRASE_SD_LU: Final = 2.5  # a performance keeps part of its differences
GOOD_PHRASE_WORST_LU: Final = 8.0
GOOD_CLEAR_SHARE: Final = 0.85
_SEEN: Final = 0.05


def judgement_data(found: Judgement) -> dict[str, Any]:
    """Figures of a balance as JSON data: levels in LU, gains in dB, shares 0 to 1."""
    return {
        "phrases": found.n_phrases,
        "phrase_sd_lu": _rounded(found.phrase_sd_lu),
        "phrase_worst_lu": _rounded(found.phrase_worst_lu),
        "clear_share": _rounded(found.clear_share, 4),
        "least_clear_share": _rounded(found.least_clear_share, 4),
        "stems": {
            role.value: {
                "depth_db": _rounded(stem.depth_db),
                "travel_db_per_min": _rounded(stem.travel_db),
                "lift_db": _rounded(stem.lift_db),
                "spread_lu": _rounded(stem.spread_lu),
                "feel": stem.feel,
            }
            for role, stem in found.stems.items()
        },
    }


def judgement_shown(found: Judgement) -> list[dict[str, Any]]:
    """Lines on a balance: name, value in words, whether it is as it should be, and a remark."""
    lines = []
    if found.phrase_sd_lu is not None and found.phrase_worst_lu is not None:
        remark = f"the furthest {signed(found.phrase_worst_lu)} LU away"
        is_good = found.phrase_sd_lu <= GOOD_PHRASE_SD_LU and found.phrase_worst_lu <= GOOD_PHRASE_WORST_LU
        lines.append(_line("phrases lie within", f"{signed(found.phrase_sd_lu)} LU", remark, is_good=is_good))
    for role, stem in found.stems.items():
        dips = stem.depth_db >= _SEEN
        own = role.label.lower()
        name, words = (f"{own} dips by", f"{signed(stem.depth_db)} dB") if dips else (own, "even")
        moves = [f"moves {signed(stem.travel_db)} dB a minute"] if stem.travel_db >= _SEEN else []
        lifts = [f"raised by up to {signed(stem.lift_db)} dB"] if stem.lift_db >= _SEEN else []
        lines.append(_line(name, words, ", ".join([*moves, *lifts, stem.feel]), is_good=stem.feel == "calm"))
    if found.clear_share is not None and found.least_clear_share is not None:
        remark = f"4 LU for {percent(found.least_clear_share)}"
        is_good = found.clear_share >= GOOD_CLEAR_SHARE
        lines.append(_line("speech 7 LU clear", percent(found.clear_share), remark, is_good=is_good))
    return lines


def _line(name: str, value: str, remark: str, *, is_good: bool) -> dict[str, Any]:
    return {"name": name, "value": value, "remark": remark, "is_good": is_good}


def _rounded(value: float | None, digits: int = 2) -> float | None:
    return None if value is None else round(value, digits) + 0.0
