"""Speech of recordings and its corrections, as rows keep them."""

import json
from functools import lru_cache
from typing import Any

from django.db.models import TextField
from django.db.models.functions import Cast

from recitant_core.speech.activity import SpeechSpan
from recitant_core.speech.corrections import SpeechMark, corrected
from recitant_core.timeline.speech import Spoken
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import marks_from_data


def speech_of(programme: Programme) -> dict[str, Spoken]:
    """Corrected speech of every recording that has some, by its key."""
    rows = programme.sources.filter(length_samples__isnull=False)
    texts = rows.values_list("sha256", Cast("speech", TextField()), Cast("speech_marks", TextField()))
    return {sha256: _spoken(*both) for sha256, *both in texts if both != ["[]", "[]"]}


@lru_cache(maxsize=256)
def _spoken(speech: str, marks: str) -> Spoken:
    # By their texts: an hour of speech is read once, not with every request.
    spans = [SpeechSpan(start, length, confidence) for start, length, confidence in json.loads(speech)]
    return Spoken(corrected(spans, marks_from_data(json.loads(marks))))


def marks_to_data(marks: tuple[SpeechMark, ...]) -> list[Any]:
    """Corrections of speech as they are stored."""
    return [[mark.start_sample, mark.length_samples, mark.is_speech] for mark in marks]
