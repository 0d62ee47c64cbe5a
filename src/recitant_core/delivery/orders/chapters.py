"""Chapters of a programme: as text for online video, and what is wrong with them there.

Common practice of online video: a line each, the first at 0:00, in order, at least three, each ten seconds or longer.
Held to: tests/core/test_chapters.py
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from recitant_core.errors import PlanError
from recitant_core.units.clock import RATE_HZ, SampleSpan

LEAST_CHAPTERS: Final = 3
LEAST_LENGTH_S: Final = 10
MOST_CHAPTERS: Final = 100
MOST_LETTERS: Final = 100_000
"""Of a list, before it is read."""
# One piece at a time, each of a fixed or an only way to match: the time a line takes grows with its length alone.
_START: Final = re.compile(r"(?:(\d{1,2}):)?(\d{1,3}):(\d{2}(?:[.,]\d{1,3})?)(?=\s)")
_DASH: Final = re.compile(r"[-–—:](?=\s)")
_TIME: Final = re.compile(r"(?:(\d{1,2}):)?(\d{1,3}):(\d{1,2}(?:[.,]\d{1,3})?)")


@dataclass(frozen=True, order=True)
class Chapter:
    """A chapter by its first sample."""

    at_sample: int
    title: str


@dataclass(frozen=True)
class ChapterFault:
    """Something that online video does not take."""

    code: str
    index: int | None = None
    """Of the chapter that is meant, counted from 0; None for all of them."""


def chapters_text(chapters: Sequence[Chapter], length_samples: int) -> str:
    """A line for each, with whole seconds rounded down; hours where the programme has some.

    >>> chapters_text([Chapter(0, "Casting"), Chapter(48_000 * 75, "The bell")], 48_000 * 200)
    '00:00 Casting\\n01:15 The bell\\n'
    """
    has_hours = length_samples >= 3_600 * RATE_HZ
    return "".join(f"{_clock(chapter.at_sample, has_hours=has_hours)} {chapter.title}\n" for chapter in chapters)


def chapters_from_text(text: str) -> list[Chapter]:
    """The chapters that lines of time and title name; empty lines do not count.

    Raises:
        PlanError: a line that is neither, or too much; ``field`` is "chapters".
    """
    if len(text) > MOST_LETTERS:
        raise PlanError("too_long_a_list", field="chapters", most=MOST_LETTERS)
    lines = [(number, line.strip()) for number, line in enumerate(text.splitlines(), 1) if line.strip()]
    if len(lines) > MOST_CHAPTERS:
        raise PlanError("too_many_chapters", field="chapters", most=MOST_CHAPTERS)
    return [_chapter(number, line) for number, line in lines]


def _chapter(number: int, line: str) -> Chapter:
    start = _START.match(line)
    title = line[start.end() :].strip() if start else ""
    if _DASH.match(title):
        title = title[1:].strip()
    if start is None or not title:
        raise PlanError("not_a_chapter", field="chapters", line=number, found=line[:60])
    return Chapter(_samples(*start.groups()), title[:120])


def time_from_text(text: str) -> int:
    """The sample that a time such as 1:02 or 0:41.5 or 1:00:00 names.

    Raises:
        PlanError: it is no time; ``field`` is "chapters".
    """
    match = _TIME.fullmatch(text.strip())
    if match is None:
        raise PlanError("not_a_time", field="chapters", found=text.strip()[:20])
    return _samples(*match.groups())


def time_text(at_sample: int) -> str:
    """A time as time_from_text reads it, to the millisecond where it is no whole second.

    >>> time_text(48_000 * 61 + 24_000)
    '1:01.500'
    """
    minutes, rest = divmod(at_sample, 60 * RATE_HZ)
    hours, minutes = divmod(minutes, 60)
    seconds, rest = divmod(rest, RATE_HZ)
    decimals = f".{rest * 1_000 // RATE_HZ:03d}" if rest else ""
    return (f"{hours}:{minutes:02d}" if hours else f"{minutes}") + f":{seconds:02d}{decimals}"


def faults_of(chapters: Sequence[Chapter], length_samples: int) -> list[ChapterFault]:
    """Faults of the chapters under the rules of online video; none where there are no chapters.

    Args:
        chapters: as they are listed.
        length_samples: of the film.
    """
    if not chapters:
        return []
    found = [] if len(chapters) >= LEAST_CHAPTERS else [ChapterFault("few")]
    if _second(chapters[0]) != 0:
        found.append(ChapterFault("first", 0))
    ends = [*(_second(chapter) for chapter in chapters[1:]), length_samples // RATE_HZ]
    for index, (chapter, end_s) in enumerate(zip(chapters, ends, strict=True)):
        if not chapter.title.strip():
            found.append(ChapterFault("title", index))
        if chapter.at_sample >= length_samples:
            found.append(ChapterFault("late", index))
        elif end_s < _second(chapter):
            found.append(ChapterFault("order", index + 1))
        elif end_s - _second(chapter) < LEAST_LENGTH_S:
            found.append(ChapterFault("short", index))
    return found


def mended(chapters: Sequence[Chapter], length_samples: int) -> list[Chapter]:
    """Chapters that online video takes, as near to these as can be; only "few" can be left.

    They are put in order; what lies behind the end goes; the first begins at 0, or one called Start is put before it;
    one that begins within ten seconds of the one before gives it its title; one within ten seconds of the end goes.
    """
    ordered = sorted(chapter for chapter in chapters if chapter.at_sample < length_samples)
    if not ordered:
        return []
    if _second(ordered[0]) < LEAST_LENGTH_S:
        ordered[0] = Chapter(0, ordered[0].title)
    else:
        ordered.insert(0, Chapter(0, "Start"))
    kept: list[Chapter] = []
    for chapter in ordered:
        if kept and _second(chapter) - _second(kept[-1]) < LEAST_LENGTH_S:
            titles = dict.fromkeys(filter(None, (kept[-1].title.strip(), chapter.title.strip())))
            kept[-1] = Chapter(kept[-1].at_sample, " / ".join(titles))
        else:
            kept.append(chapter)
    if len(kept) > 1 and length_samples // RATE_HZ - _second(kept[-1]) < LEAST_LENGTH_S:
        kept.pop()
    return [Chapter(one.at_sample, one.title.strip() or f"Chapter {index}") for index, one in enumerate(kept, 1)]


def chapters_in(chapters: Sequence[Chapter], span: SampleSpan) -> list[Chapter]:
    """The chapters of a stretch, from its start; the one that it begins in begins with it."""
    before = [one for one in chapters if one.at_sample <= span.start_sample][-1:]
    inside = [one for one in chapters if span.start_sample < one.at_sample < span.end_sample]
    return [Chapter(max(0, one.at_sample - span.start_sample), one.title) for one in before + inside]


def _second(chapter: Chapter) -> int:
    return chapter.at_sample // RATE_HZ


def _clock(at_sample: int, *, has_hours: bool) -> str:
    minutes, seconds = divmod(at_sample // RATE_HZ, 60)
    if not has_hours:
        return f"{minutes:02d}:{seconds:02d}"
    hours, minutes = divmod(minutes, 60)
    return f"{hours}:{minutes:02d}:{seconds:02d}"


def _samples(hours: str | None, minutes: str, seconds: str) -> int:
    thousandths = round(1_000 * float(seconds.replace(",", ".")))
    return ((int(hours or 0) * 60 + int(minutes)) * 60 * RATE_HZ) + thousandths * (RATE_HZ // 1_000)
