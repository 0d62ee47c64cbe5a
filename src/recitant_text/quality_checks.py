"""What was looked at in finished files, in words."""

from collections.abc import Mapping, Sequence
from typing import Any, Final

from recitant_core.delivery.judging.quality import LONGEST_SILENCE_S
from recitant_text.balance import beside_rest
from recitant_text.sentences import signed

_FINE: Final = {
    "over": "no sample at full scale",
    "silence": f"no digital silence over {LONGEST_SILENCE_S:g} s inside, the longest {{value}} s",
    "start": "begins softly, its first millisecond at {value} dBFS",
    "end": "ends softly, its last millisecond at {value} dBFS",
    "dc": "no DC offset, {value} dBFS",
    "sides": "both sides go together in mono, correlation {value} at the least",
    "stems": "the stems add up to the mix before its limiter, null at {value} dBFS",
    "same": "on the disk is what was rendered, sample for sample",
    "length": "as long as it must be",
    "dropouts": "nothing is missing of what went in",
}
_NOT_FINE: Final = {
    "over": "{value} samples at full scale",
    "silence": "{value} s of digital silence",
    "start": "begins hard, at {value} dBFS: a click where it starts",
    "end": "ends hard, at {value} dBFS: a click where it stops",
    "dc": "a DC offset of {value} dBFS",
    "sides": "the sides are against each other, correlation {value}: in mono they cancel",
    "stems": "the stems do not add up to the mix, they null only to {value} dBFS",
    "same": "on the disk is not what was rendered: write it again, and look at the disk",
    "length": "{value} samples longer or shorter than it must be",
    "dropouts": "{value} places where sound of the mix is missing",
}
_NAMES: Final = {
    "over": "samples at full scale",
    "silence": "digital silence inside",
    "start": "the start",
    "end": "the end",
    "dc": "DC offset",
    "sides": "the sides in mono",
    "stems": "stems that add up to the mix",
    "same": "samples on the disk against the render",
    "length": "length of what plays back",
    "dropouts": "dropouts",
}
MOST_CLOSE: Final = 5
"""How many close passages are listed; the report has all."""
_DIGITS: Final = {"over": 0, "dropouts": 0, "length": 0, "sides": 2}


def check_sentence(found: Mapping[str, Any]) -> str:
    """Sentence on a quality check, from its JSON data."""
    words = (_FINE if found["state"] == "fine" else _NOT_FINE)[found["check"]]
    value = found["value"]
    return words.format(value="−∞" if value is None else signed(value, _DIGITS.get(found["check"], 1)))


def fine_sentence(checks: Sequence[Mapping[str, Any]], *, is_speech_clear: bool = False) -> str:
    """Sentence on what was looked at and is fine in every file; empty where nothing is.

    Args:
        is_speech_clear: whether no passage of speech is too close to the rest.
    """
    not_fine = {found["check"] for found in checks if found["state"] != "fine"}
    fine = dict.fromkeys(found["check"] for found in checks if found["check"] not in not_fine)
    names = [*(_NAMES[check] for check in fine), *(["speech above the rest"] if is_speech_clear else [])]
    words = ", ".join(names)
    return f"Looked at in what was written, and fine: {words}." if words else ""


def place_text(at_s: float | None) -> str:
    """A place as minutes and seconds; empty for none.

    >>> place_text(61.25)
    '1:01.2'
    """
    if at_s is None:
        return ""
    minutes, seconds = divmod(at_s, 60.0)
    return f"{int(minutes)}:{seconds:04.1f}"


def close_rows(clearance: Mapping[str, Any], file: str) -> list[dict[str, Any]]:
    """Close passages of a mix, closest first, as checks with their words.

    Args:
        clearance: of a report, as balance_report.speech_data has it.
        file: in which it is heard.
    """
    passages = sorted(clearance["close_passages"], key=lambda passage: float(passage[2]))
    rows = [
        {
            "file": file,
            "state": "remark",
            "at_s": start,
            "words": f"speech {beside_rest(least)} for {end - start:.1f} s, {clearance['asked_lu']:g} asked for",
        }
        for start, end, least in passages[:MOST_CLOSE]
    ]
    if len(passages) > MOST_CLOSE:
        more = len(passages) - MOST_CLOSE
        words = f"{more} further {'passage' if more == 1 else 'passages'} too close; the report lists them"
        rows.append({"file": file, "state": "remark", "at_s": None, "words": words})
    return rows
