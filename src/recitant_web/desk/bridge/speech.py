"""Speech of recordings and its corrections, as rows keep them."""

from typing import Any

from recitant_core.speech.activity import SpeechSpan
from recitant_core.speech.marking import SpeechMark, corrected
from recitant_web.programme.models import Programme


def speech_of(programme: Programme) -> dict[str, list[SpeechSpan]]:
    """Corrected speech of every recording that has some, by its key."""
    rows = programme.sources.filter(length_samples__isnull=False).exclude(speech=[], speech_marks=[])  # type: ignore[attr-defined]
    found = {}
    for sha256, speech, marks in rows.values_list("sha256", "speech", "speech_marks"):
        spans = [SpeechSpan(start, length, confidence) for start, length, confidence in speech]
        found[sha256] = corrected(spans, marks_from_data(marks))
    return found


def marks_from_data(marks: list[Any]) -> tuple[SpeechMark, ...]:
    """Corrections of speech as they are stored."""
    return tuple(SpeechMark(start, length, bool(is_speech)) for start, length, is_speech in marks)


def marks_to_data(marks: tuple[SpeechMark, ...]) -> list[Any]:
    """Corrections of speech as they are stored."""
    return [[mark.start_sample, mark.length_samples, mark.is_speech] for mark in marks]
