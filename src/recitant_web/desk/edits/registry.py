"""What an edit is: its fields as they come in, and one way to carry it out.

An edit is a struct of one of the classes below, told apart by its ``kind``. It registers by being a subclass.
"""

from typing import Any, ClassVar

from django.contrib.auth.models import User
from django.db import transaction
from msgspec import Struct

from recitant_core.errors import EditRefused
from recitant_core.timeline.changes import Change
from recitant_core.timeline.edits import clips_by_id
from recitant_core.timeline.model import Plan
from recitant_core.timeline.sync import put_off
from recitant_text.steps import Label
from recitant_web.desk import models
from recitant_web.desk.log import lock, record
from recitant_web.desk.mapping.changes import changes_between
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.programme.models import Programme

RowChanges = tuple[Label, list[Change], list[Change]]
"""Label, changes to carry out, changes carried out already (rows that had to exist to have a number)."""


class Edit(Struct, frozen=True, kw_only=True, tag_field="kind"):
    """One edit that a page posts."""

    is_silent: ClassVar[bool] = False
    """Whether it changes nothing that is heard."""
    revision: int
    """That the page saw."""

    def carry_out(self, programme: Programme, user: User | None) -> list[models.Edit]:
        """The steps of the log that it became; empty where it changes nothing.

        Raises:
            EditRefused: it cannot be. StaleRevision: someone else was faster.
        """
        raise NotImplementedError


class PlanEdit(Edit, frozen=True, kw_only=True):
    """An edit of the plan: an old one in, a new one out."""

    breaks_sync: bool = False
    """Whether it may move what is tied to the picture and in sync: somebody was asked."""

    def planned(self, programme: Programme, plan: Plan) -> tuple[Plan, Label]:
        """The plan after it, and its label.

        Args:
            programme: locked.
        """
        raise NotImplementedError

    def beside(self, programme: Programme, before: Plan) -> list[Change]:
        """Changes of rows that are not part of the plan and belong to the same step.

        Args:
            programme: locked.
        """
        return []

    def carry_out(self, programme: Programme, user: User | None) -> list[models.Edit]:
        """See Edit."""
        with transaction.atomic():
            locked = lock(programme, self.revision)
            before = plan_of(locked)
            after, label = self.planned(locked, before)
            if locked.is_picture_locked:
                _require_in_place(before, after)
            beside = self.beside(locked, before)
            if not self.breaks_sync:
                _require_in_sync(locked, before, after, beside)
            changes, made, final = changes_between(locked, before, after)
            changes += beside
            if not changes and not made:
                return []
            return [record(locked, user, label, changes, made, final if _is_known(before, final) else None)]


class RowEdit(Edit, frozen=True, kw_only=True):
    """An edit of rows that are not part of the plan, or that are simpler changed directly."""

    def changed(self, programme: Programme) -> RowChanges:
        """Label, changes to carry out, and changes carried out already.

        Args:
            programme: locked.
        """
        raise NotImplementedError

    def carry_out(self, programme: Programme, user: User | None) -> list[models.Edit]:
        """See Edit."""
        with transaction.atomic():
            locked = lock(programme, self.revision)
            label, changes, made = self.changed(locked)
            return [record(locked, user, label, changes, made)] if changes or made else []


def row_change(table: str, row: Any, wanted: dict[str, Any]) -> list[Change]:
    """The change of a row that gives it the wanted values; empty where it has them."""
    changed = {name: [getattr(row, name), value] for name, value in wanted.items() if getattr(row, name) != value}
    return [{"table": table, "id": row.pk, "set": changed}] if changed else []


def edit_classes(base: type[Edit] = Edit) -> list[type[Edit]]:
    """Every edit that has a kind."""
    found = [] if base.__subclasses__() else [base]
    for one in base.__subclasses__():
        found += edit_classes(one)
    return found


def _is_known(before: Plan, final: Plan) -> bool:
    # A new recording or track is read anew from rows; everything else is known already.
    if {t.track_id for t in before.tracks} != {t.track_id for t in final.tracks}:
        return False
    known = {clip.source_key for track in before.tracks for clip in track.clips}
    return all(clip.source_key in known for track in final.tracks for clip in track.clips)


def _require_in_sync(programme: Programme, before: Plan, after: Plan, beside: list[Change]) -> None:
    first = programme.picture_offset_samples
    moved = [c["set"]["picture_offset_samples"][1] for c in beside if "picture_offset_samples" in c.get("set", {})]
    off = put_off(before, after, first, moved[0] if moved else first)
    if off:
        raise EditRefused("tied_to_picture", clip=off[0].name, n=len(off))


def _require_in_place(before: Plan, after: Plan) -> None:
    was = {clip_id: clip for clip_id, (_, clip) in clips_by_id(before).items()}
    for clip_id, (_, clip) in clips_by_id(after).items():
        old = was.get(clip_id)
        # Trimming moves an edge, not the sound: what is compared is where the recording's first sample lies. Another
        # take is another recording, at the place of the one before it.
        if old is None or old.source_key != clip.source_key:
            continue
        if old.start_sample - old.in_sample != clip.start_sample - clip.in_sample:
            raise EditRefused("picture_locked")
