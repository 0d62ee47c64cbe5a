"""The log of edits: each is one transaction that locks the programme, checks the revision, and can be taken back."""

from collections.abc import Sequence
from itertools import groupby
from typing import Any

from django.contrib.auth.models import User
from django.db import models as db
from django.db import transaction
from django.dispatch import Signal
from django.utils import timezone

from recitant_core.errors import EditRefused, NotThere, StaleRevision
from recitant_core.timeline.changes import Change
from recitant_text.steps import Label, label_text
from recitant_web.desk.models import Clip, Duck, Edit, EditState, Marker, Stem, Track
from recitant_web.jobs.actions import start_job
from recitant_web.programme.models import Programme, Source
from recitant_web.transcript.models import Caption, Speaker, WordMark

EXAMINE = "desk.examine"
_AT_ONCE = 500  # rows
TABLES: dict[str, type[db.Model]] = {
    "programme": Programme,
    "source": Source,
    "stem": Stem,
    "marker": Marker,
    "track": Track,
    "duck": Duck,
    "clip": Clip,
    "speaker": Speaker,
    "word_mark": WordMark,
    "caption": Caption,
}


def undo(programme: Programme, revision: int) -> Edit:
    """Take the newest edit back; itself a new revision.

    Raises:
        EditRefused: nothing to undo. StaleRevision: someone else was faster.
    """
    with transaction.atomic():
        locked = lock(programme, revision)
        edit = locked.edits.filter(state=EditState.DONE).order_by("-pk").first()
        if edit is None:
            raise EditRefused("nothing_to_undo")
        _apply_all(edit.changes, is_forward=False)
        _finish(locked, edit, EditState.UNDONE)
    return edit


def redo(programme: Programme, revision: int) -> Edit:
    """Put the edit back that was undone last.

    Raises:
        EditRefused: nothing to redo. StaleRevision: someone else was faster.
    """
    with transaction.atomic():
        locked = lock(programme, revision)
        edit = locked.edits.filter(state=EditState.UNDONE).order_by("pk").first()
        if edit is None:
            raise EditRefused("nothing_to_redo")
        _apply_all(edit.changes, is_forward=True)
        _finish(locked, edit, EditState.DONE)
    return edit


def go_to(programme: Programme, edit_id: int, revision: int) -> list[Edit]:
    """Undo or redo until an edit is the newest in force; 0 for the very beginning. Every step stays in the log.

    Raises:
        NotThere: no such edit that can be reached. StaleRevision: someone else was faster.
    """
    with transaction.atomic():
        locked = lock(programme, revision)
        steps: list[Edit] = []
        if edit_id and not locked.edits.filter(pk=edit_id).exclude(state=EditState.DROPPED).exists():
            raise NotThere()
        later = list(locked.edits.filter(state=EditState.DONE, pk__gt=edit_id).order_by("-pk"))
        for edit in later:
            _apply_all(edit.changes, is_forward=False)
            _finish(locked, edit, EditState.UNDONE)
            steps.append(edit)
        for edit in locked.edits.filter(state=EditState.UNDONE, pk__lte=edit_id).order_by("pk"):
            _apply_all(edit.changes, is_forward=True)
            _finish(locked, edit, EditState.DONE)
            steps.append(edit)
    return steps


def steps_beside(programme: Programme) -> dict[str, str | None]:
    """Sentences of the steps that undo and redo would go to; None where there is none."""
    done = programme.edits.filter(state=EditState.DONE).order_by("-pk").values_list("label", flat=True).first()
    undone = programme.edits.filter(state=EditState.UNDONE).order_by("pk").values_list("label", flat=True).first()
    return {"undo": done and label_text(done), "redo": undone and label_text(undone)}


def lock(programme: Programme, revision: int) -> Programme:
    """The programme's row, locked until the transaction ends.

    Raises:
        StaleRevision: someone else was faster.
    """
    locked = Programme.objects.select_for_update().get(pk=programme.pk)
    if locked.revision != revision:
        raise StaleRevision("stale_revision", seen=revision, now=locked.revision)
    return locked


recorded = Signal()
"""Sent with ``programme``, ``edit`` and ``after`` inside the transaction of a step, for what follows from it."""


def record(
    programme: Programme,
    user: User | None,
    step: Label,
    changes: list[Change],
    made: Sequence[Change] = (),
    after: object = None,
    *,
    is_followed: bool = True,
) -> Edit:
    """Carry changes out and write them to the log as one step; what was undone is dropped.

    Args:
        programme: locked.
        step: its label, as code and facts.
        made: changes that were carried out already, such as rows that had to exist to have a number.
        after: the plan with these changes, where it is known.
        is_followed: whether ducking is remade with it, in the same step.
    """
    _apply_all(changes, is_forward=True)
    programme.edits.filter(state=EditState.UNDONE).update(state=EditState.DROPPED)
    edit = Edit(programme=programme, user=user, label=step.data, changes=[*made, *changes])
    _finish(programme, edit, EditState.DONE)
    if is_followed:
        recorded.send(sender=Edit, programme=programme, edit=edit, after=after)
    return edit


def carry_out_too(edit: Edit, changes: list[Change]) -> None:
    """Carry more changes out as part of a step that is written already."""
    _apply_all(changes, is_forward=True)
    edit.changes = [*edit.changes, *changes]
    edit.save(update_fields=["changes", "said"])


def changes_back(edit: Edit) -> list[Change]:
    """Changes that take one step back while later ones stay: numbers by their difference, all else as it was.

    Raises:
        EditRefused: something it changed was changed again since, or holds what a later step made.
    """
    changes: list[Change] = []
    for change in edit.changes:
        row = TABLES[change["table"]]._default_manager.filter(pk=change["id"]).first()
        if change["table"] == "stem" and "insert" in change:
            continue  # a stem's row is only its settings: what was set on it since stays
        if "set" not in change:
            if "delete" in change or row is None:
                raise EditRefused("changed_since")
            changes.append(deleted(change["table"], row))
            continue
        if row is None:
            raise EditRefused("changed_since")
        wanted: dict[str, list[Any]] = {}
        for name, (old, new) in change["set"].items():
            now = getattr(row, name)
            if change["table"] == "duck" and name in ("points", "room_points"):
                continue  # remade with this step
            if now == new:
                wanted[name] = [now, old]
            elif name in ("gain_db", "programme_gain_db"):
                wanted[name] = [now, round(now - (new - old), 2)]
            else:
                raise EditRefused("changed_since")
        if wanted:
            changes.append({"table": change["table"], "id": change["id"], "set": wanted})
    if _takes_along(changes):
        raise EditRefused("changed_since")
    return changes


def _takes_along(changes: list[Change]) -> bool:
    """Whether rows would change that these changes do not name: a track takes its clips along, a speaker a name."""
    names = {model: table for table, model in TABLES.items()}
    gone = {(change["table"], change["id"]) for change in changes if "delete" in change}
    for table, row_id in gone:
        for held in TABLES[table]._meta.related_objects:
            kind = names.get(held.related_model)
            if kind is not None:
                rows = held.related_model._default_manager.filter(**{held.field.name: row_id})
                if any((kind, pk) not in gone for pk in rows.values_list("pk", flat=True)):
                    return True
    return False


def _finish(programme: Programme, edit: Edit, state: EditState) -> None:
    edit.state = state
    edit.save()
    if any(change["table"] == "programme" for change in edit.changes):
        programme.refresh_from_db()
    programme.revision += 1
    programme.changed_at = timezone.now()
    programme.save(update_fields=["revision", "changed_at"])
    start_examination(programme)


def start_examination(programme: Programme) -> None:
    """Send a programme to be measured as it stands at its revision."""
    payload: dict[str, object] = {"programme_id": programme.pk, "revision": programme.revision}
    start_job(
        programme.workspace,
        EXAMINE,
        payload,
        subject=subject_of(programme),
        about=programme.title,
        programme_number=programme.pk,
    )


def subject_of(programme: Programme) -> str:
    """The subject of jobs of which one a programme is enough."""
    return f"programme {programme.pk}"


def inserted(table: str, row: db.Model) -> Change:
    """The change that makes this row."""
    values = {field.attname: getattr(row, field.attname) for field in row._meta.concrete_fields}
    return {"table": table, "id": row.pk, "insert": values}


def deleted(table: str, row: db.Model) -> Change:
    """The change that removes this row."""
    change = inserted(table, row)
    change["delete"] = change.pop("insert")
    return change


def _apply_all(changes: list[Change], *, is_forward: bool) -> None:
    # Rows that hold others are made before them and removed after them.
    order = list(TABLES)
    made = [c for c in changes if ("insert" if is_forward else "delete") in c]
    gone = [c for c in changes if ("delete" if is_forward else "insert") in c]
    for table, several in groupby(sorted(made, key=lambda c: order.index(c["table"])), key=lambda c: str(c["table"])):
        rows = [TABLES[table](**change["insert" if is_forward else "delete"]) for change in several]
        TABLES[table]._default_manager.bulk_create(rows, batch_size=_AT_ONCE)
    for change in changes:
        if "set" in change:
            values = {name: pair[1 if is_forward else 0] for name, pair in change["set"].items()}
            TABLES[change["table"]]._default_manager.filter(pk=change["id"]).update(**values)
    for table, several in groupby(sorted(gone, key=lambda c: -order.index(c["table"])), key=lambda c: str(c["table"])):
        ids = [change["id"] for change in several]
        for at in range(0, len(ids), _AT_ONCE):
            TABLES[table]._default_manager.filter(pk__in=ids[at : at + _AT_ONCE]).delete()
