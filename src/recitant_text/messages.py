"""Messages that rows keep as codes and facts: how work ended, why a file was refused. Sentences are made when shown."""

from collections.abc import Callable, Mapping
from typing import Any, Final

from recitant_core.errors import RecitantError
from recitant_text.first_balance import balanced_text
from recitant_text.notices import notice, recorder_words
from recitant_text.sentences import sentence

Message = dict[str, Any]
"""One kind of message by its name, with its code or facts, as JSON; empty for none."""


def notice_message(code: str, **facts: str | int) -> Message:
    """A notice as a row keeps it."""
    return {"notice": code, "facts": facts}


def refusal_message(error: RecitantError) -> Message:
    """A refusal as a row keeps it."""
    return {"refusal": error.code, "facts": {name: _json(value) for name, value in error.facts.items()}}


def recorder_message(sounding: list[str], silent: list[str]) -> Message:
    """The channels of a recorder file, by name."""
    return {"recorder": {"sounding": sounding, "silent": silent}}


def delivered_message(n_passed: int, n: int, n_missed: int) -> Message:
    """The end of a delivery: how many specifications pass, and how many files could not be made."""
    return {"delivered": {"n_passed": n_passed, "n": n, "n_missed": n_missed}}


def balanced_message(facts: dict[str, Any]) -> Message:
    """The headline of a first balance, from its balanced_facts."""
    return {"balanced": facts}


def message_text(message: Mapping[str, Any]) -> str:
    """Sentence of a message; empty for none."""
    kind = next(iter(message), "")
    return _TEXTS[kind](message) if kind else ""


def _delivered(message: Mapping[str, Any]) -> str:
    n_passed, n, n_missed = (message["delivered"][name] for name in ("n_passed", "n", "n_missed"))
    files = "file" if n_missed == 1 else "files"
    return f"{n_passed} of {n} pass." + (f" {n_missed} {files} could not be made." if n_missed else "")


_TEXTS: Final[dict[str, Callable[[Mapping[str, Any]], str]]] = {
    "notice": lambda message: notice(message["notice"], **message["facts"]),
    "refusal": lambda message: sentence(RecitantError(message["refusal"], **message["facts"])),
    "recorder": lambda message: recorder_words(**message["recorder"]),
    "delivered": _delivered,
    "balanced": lambda message: balanced_text(message["balanced"]),
    # As a release that kept sentences wrote it.
    "text": lambda message: str(message["text"]),
}


def _json(value: object) -> object:
    if isinstance(value, list | tuple):
        return [_json(one) for one in value]
    return value if isinstance(value, str | int | float | bool | None) else str(value)
