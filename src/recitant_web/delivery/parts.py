"""What of a programme is handed over: all of it as it is now, a stretch, some clips, a version that was kept."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from recitant_core.delivery.orders.chapters import Chapter, chapters_in
from recitant_core.errors import NotThere
from recitant_core.timeline.excerpt import excerpt, talk_in
from recitant_core.timeline.model import Plan
from recitant_core.timeline.speech import Talk
from recitant_core.units.clock import SampleSpan
from recitant_web.delivery.sheet import chapters_of
from recitant_web.desk.mapping.plans import plan_key, plan_of, plan_of_rows
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme


@dataclass(frozen=True)
class Part:
    """One part of a delivery."""

    plan: Plan
    talk: Talk
    chapters: Sequence[Chapter]
    key: str
    """A hash of all that makes its sound."""
    span: SampleSpan | None = None
    """The stretch of the programme; None for all of it."""
    clip_names: tuple[str, ...] = ()
    """Of the clips that are handed over alone; none for all."""
    name: str = ""
    """Of the delivery, until somebody gives it another."""
    language: str = ""
    """Of its sound, three letters after ISO 639-2; empty for that of each specification."""


def whole_of(programme: Programme) -> Part:
    """The programme as it is now."""
    snapshot = Snapshot(programme)
    return Part(plan_of(programme), snapshot.talk, chapters_of(programme), snapshot.key)


def part_in(part: Part, span: SampleSpan) -> Part:
    """A stretch of a part.

    Raises:
        PlanError: nothing sounds in it.
    """
    plan = excerpt(part.plan, span)
    chapters = chapters_in(part.chapters, span)
    return replace(part, plan=plan, talk=talk_in(part.talk, span), chapters=chapters, key=plan_key(plan), span=span)


def version_of(programme: Programme, version_id: str) -> Part:
    """A version that was kept, with the picture and the chapters that the programme has now.

    Raises:
        NotThere: no such version.
    """
    version = programme.versions.filter(pk=version_id).first() if version_id.isdecimal() else None
    if version is None:
        raise NotThere()
    plan = plan_of_rows(programme, version.rows)
    return Part(plan, Snapshot(programme, plan).talk, chapters_of(programme), plan_key(plan), name=version.name[:80])
