"""The chapters of a programme on its Hand over page."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from recitant_core.delivery.orders.chapters import (
    Chapter,
    chapters_from_text,
    chapters_text,
    faults_of,
    mended,
    time_from_text,
    time_text,
)
from recitant_core.errors import PlanError
from recitant_core.timeline.model import Plan
from recitant_core.units.clock import RATE_HZ
from recitant_text.chapters import fault_sentence
from recitant_web.delivery.sheet import chapters_of
from recitant_web.desk.edits.markers import ChapterRow, SetChapters
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.programme.models import Picture, Programme
from recitant_web.shared.shapes import Place, Text

_SPARE_S = 30


@dataclass(frozen=True)
class Film:
    """The stretch of a programme that its viewers see."""

    offset_samples: int
    length_samples: int


def film_span(programme: Programme, plan: Plan) -> Film:
    """From the picture's first frame on, where there is one; to the programme's end."""
    has_picture = Picture.objects.filter(programme=programme).exists()
    offset = programme.picture_offset_samples if has_picture else 0
    return Film(offset, max(0, plan.span.length_samples - offset))


def chapters_view(programme: Programme, typed: Sequence[dict[str, str]] | None = None) -> dict[str, Any]:
    """The list as the page shows it, with its faults and the text for online video.

    Args:
        typed: rows that could not be kept; they are shown as they were typed.
    """
    film = film_span(programme, plan_of(programme))
    chapters = _on_film(chapters_of(programme), film)
    faults = faults_of(chapters, film.length_samples)
    rows = typed if typed is not None else [{"at": time_text(one.at_sample), "title": one.title} for one in chapters]
    return {
        "rows": rows,
        "faults": [] if typed is not None else [fault_sentence(fault, chapters) for fault in faults],
        "can_be_mended": bool(faults) and mended(chapters, film.length_samples) != chapters,
        "text": chapters_text(chapters, film.length_samples),
        "next": time_text(_next(chapters, film)),
    }


def keep_chapters(programme: Programme, user: Any, rows: Sequence[dict[str, str]], way: str = "") -> None:
    """Keep the rows that were typed; an empty row is none.

    Args:
        rows: each with at and title as text, on the clock of the film.
        way: "mend" for what online video takes, "cut:N" to move row N to the nearest edge of a clip.

    Raises:
        PlanError: a row that is no time. EditRefused, StaleRevision: as edits do.
    """
    plan = plan_of(programme)
    film = film_span(programme, plan)
    found = [Chapter(_time(row["at"]), Text.read(row["title"])) for row in rows if row["at"].strip()]
    if way == "mend":
        found = mended(found, film.length_samples)
    elif way.startswith("cut:") and way[4:].isdecimal() and len(way) < 9 and int(way[4:]) < len(found):
        index = int(way[4:])
        found[index] = replace(found[index], at_sample=_nearest_edge(plan, film, found[index].at_sample))
    kept = [
        ChapterRow(at_sample=Place.read(max(0, one.at_sample + film.offset_samples)), text=Text.read(one.title))
        for one in found
    ]
    SetChapters(revision=programme.revision, chapters=kept).carry_out(programme, user)


def read_chapters(programme: Programme, user: Any, text: str) -> None:
    """All chapters anew, from lines of time and title.

    Raises:
        PlanError: a line that is no chapter.
    """
    rows = [{"at": time_text(one.at_sample), "title": one.title} for one in chapters_from_text(text)]
    keep_chapters(programme, user, rows)


def _time(text: str) -> int:
    at_sample = time_from_text(text)
    if at_sample >= 24 * 3_600 * RATE_HZ:
        raise PlanError("not_a_time", field="chapters", found=text[:20])
    return at_sample


def _on_film(chapters: Sequence[Chapter], film: Film) -> list[Chapter]:
    return [Chapter(max(0, one.at_sample - film.offset_samples), one.title) for one in chapters]


def _next(chapters: Sequence[Chapter], film: Film) -> int:
    """Place at which a further chapter is offered, in samples."""
    if not chapters:
        return 0
    return min(chapters[-1].at_sample + _SPARE_S * RATE_HZ, film.length_samples) // RATE_HZ * RATE_HZ


def _nearest_edge(plan: Plan, film: Film, at_sample: int) -> int:
    spans = [clip.span for track in plan.tracks for clip in track.in_mix]
    edges = {edge - film.offset_samples for span in spans for edge in (span.start_sample, span.end_sample)}
    inside = [edge for edge in edges if 0 <= edge < film.length_samples]
    return min(inside, key=lambda edge: abs(edge - at_sample), default=at_sample)
