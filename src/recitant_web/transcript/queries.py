"""Reads of words and speakers."""

import json
from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache
from typing import Any, Final

from django.db.models import TextField
from django.db.models.functions import Cast

from recitant_core.captions.rules import CaptionRules, Cue
from recitant_core.transcript.marks import WordMark, marked, scaled
from recitant_core.transcript.model import Word
from recitant_web.programme.models import Programme
from recitant_web.shared.caches import Cache
from recitant_web.transcript.models import Speaker, Transcript
from recitant_web.transcript.models import WordMark as Row

Words = tuple[Word, ...]
_WORD_BYTES: Final = 160
_heard: Cache[Words] = Cache("words of recordings", 64_000_000, lambda words: 256 + _WORD_BYTES * len(words))


def words_of(programme: Programme) -> dict[str, Words]:
    """Corrected words of every recording that was heard, by its key; of one at another speed those of its original."""
    heard = _stamps(programme)
    marks = _marks(programme)
    same = _same_as(programme)
    found: dict[str, Words] = {}
    sources = programme.sources.filter(length_samples__isnull=False)
    for pk, key, origin, variation in sources.values_list("pk", "sha256", "varied_from", "variation"):
        of, speed = (pk, 1.0) if pk in heard or origin is None else (origin, float(variation.get("speed", 1.0)))
        if of not in heard and of not in marks and pk not in marks:
            continue
        words = _corrected(heard.get(of, (0, 0)), marks.get(of, ()), same)
        if of != pk:
            words = marked(scaled(words, speed), marks.get(pk, ()))
        found[key] = words
    return found


def speakers_of(programme: Programme) -> dict[str, str]:
    """Names of everybody who speaks, by id; who turned out to be somebody else is not among them."""
    rows = Speaker.objects.filter(programme=programme, same_as__isnull=True).order_by("pk")
    return {str(pk): name for pk, name in rows.values_list("pk", "name")}


def rules_of(programme: Programme) -> CaptionRules:
    """The rules that its captions keep."""
    return CaptionRules(**programme.caption_rules)


def cues_of_programme(programme: Programme) -> list[Cue]:
    """Its captions in the order of their start."""
    rows = programme.captions.order_by("start_sample", "pk")
    return [Cue(*values) for values in rows.values_list("start_sample", "end_sample", "text")]


def _stamps(programme: Programme) -> dict[int, tuple[int, int]]:
    rows = Transcript.objects.filter(source__programme=programme).exclude(model="")
    return {source: (pk, stamp) for source, pk, stamp in rows.values_list("source", "pk", "stamp")}


def _marks(programme: Programme) -> dict[int, tuple[WordMark, ...]]:
    found: dict[int, list[WordMark]] = {}
    rows = Row.objects.filter(source__programme=programme).order_by("pk")
    for source, start, end, text, speaker, is_left_out in rows.values_list(
        "source", "start_sample", "end_sample", "text", "speaker", "is_left_out"
    ):
        who = None if speaker is None else str(speaker)
        found.setdefault(source, []).append(WordMark(start, end, text, who, is_left_out))
    return {source: tuple(marks) for source, marks in found.items()}


def _same_as(programme: Programme) -> tuple[tuple[str, str], ...]:
    rows = Speaker.objects.filter(programme=programme, same_as__isnull=False).order_by("pk")
    return tuple((str(pk), str(other)) for pk, other in rows.values_list("pk", "same_as"))


def _read(transcript: int, stamp: int) -> Words:
    def read() -> Words:
        text = (
            Transcript.objects.annotate(text=Cast("words", TextField()))
            .values_list("text", flat=True)
            .get(pk=transcript)
        )
        return words_from_data(json.loads(text))

    return _heard.get_or_make((transcript, stamp), read) if transcript else ()


@lru_cache(maxsize=256)
def _corrected(stamp: tuple[int, int], marks: tuple[WordMark, ...], same: tuple[tuple[str, str], ...]) -> Words:
    # By all that makes them: an edit of one recording leaves the words of the others the same object.
    words = marked(_read(*stamp), marks)
    other = _final(dict(same))
    if not other:
        return words
    return tuple(replace(word, speaker=other.get(word.speaker, word.speaker)) for word in words)


def _final(same: Mapping[str, str]) -> dict[str, str]:
    found = {}
    for one in same:
        seen, at = {one}, same[one]
        while at in same and at not in seen:
            seen.add(at)
            at = same[at]
        found[one] = at
    return found


def words_from_data(rows: list[list[Any]]) -> Words:
    """Words as rows hold them."""
    return tuple(
        Word(text, start, end, confidence, str(speaker) if speaker else "")
        for text, start, end, confidence, speaker in rows
    )
