"""What changed between two deliveries to one specification, in words."""

from collections.abc import Mapping, Sequence
from typing import Any, Final

from recitant_text.sentences import signed

_FIGURES: Final = (
    ("integrated_lufs", "loudness", "LU", "higher", "lower"),
    ("range_lu", "range", "LU", "wider", "smaller"),
    ("true_peak_dbtp", "true peak", "dB", "higher", "lower"),
    ("max_short_term_lufs", "loudest 3 s", "LU", "higher", "lower"),
    ("most_limiting_db", "deepest limiting", "dB", "deeper", "less deep"),
)
_LEAST: Final = 0.05
_MOST_EDITS: Final = 5


def compared_sentence(now: Mapping[str, Any], before: Mapping[str, Any], labels: Sequence[str]) -> str:
    """Sentence on the differences from a delivery before.

    Args:
        now: a delivery of a report.
        before: one to the same specification.
        labels: of the edits in between, in order.
    """
    words = []
    for key, name, unit, up, down in _FIGURES:
        new, old = now.get(key), before.get(key)
        if new is not None and old is not None and abs(new - old) >= _LEAST:
            words.append(f"{name} {signed(abs(new - old))} {unit} {up if new > old else down}")
    if now["passes"] != before["passes"]:
        words.append("it passes now" if now["passes"] else "it does not pass any more")
    figures = ", ".join(words) or "the same figures"
    if not labels:
        return f"{figures}."
    shown = "; ".join(labels[-_MOST_EDITS:])
    more = len(labels) - _MOST_EDITS
    return f"{figures}. Edits in between: {f'{more} more, then ' if more > 0 else ''}{shown}."
