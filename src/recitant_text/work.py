"""Work in the background in words: what a job does, what it waits for, how long it takes."""

from typing import Final

KIND_WORDS: Final = {
    "programme.ingest": "intake",
    "programme.listen": "speech detection",
    "programme.lighten": "light copy of the picture",
    "desk.examine": "exact figures",
    "desk.first_balance": "first balance",
    "desk.vary": "speed and pitch",
    "delivery.deliver": "delivery",
    "transcript.hear": "transcription",
    "listening.words": "words lost in the mix",
}
"""What each kind of job does."""
STATE_WORDS: Final = {
    "waiting": "waiting",
    "working": "running",
    "done": "done",
    "cancelled": "stopped",
    "refused": "failed",
    "crashed": "failed",
}


def work_words(kind: str, about: str) -> str:
    """Words on what a job does and to what, as transcription of Interview."""
    words = KIND_WORDS.get(kind, kind)
    return f"{words} of {about}" if about else words


def minutes_words(minutes: int | None) -> str:
    """Time that is left, as about 2 min; empty where it is not known."""
    if minutes is None:
        return ""
    return "under a minute" if minutes <= 1 else f"about {minutes} min"


def waiting_words(n_ahead: int, behind: str, minutes: int | None) -> str:
    """Sentence on what a job waits for.

    Args:
        n_ahead: jobs that are done before it.
        behind: what runs or comes before it, as work_words says it; empty where nothing does.
        minutes: left of that; None where it is not known.
    """
    if not behind:
        return "Starts in a moment"
    left = f", {minutes_words(minutes)}" if minutes is not None else ""
    more = f"; {n_ahead} jobs ahead" if n_ahead > 1 else ""
    return f"Waiting behind: {behind}{left}{more}"


def paused_words(urgent: str) -> str:
    """Sentence on what a job lets go first."""
    return f"Paused for: {urgent}"
