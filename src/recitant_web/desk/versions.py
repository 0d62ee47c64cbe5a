"""Named versions of a whole programme: its rows kept as they were, and the way back as one step of the log."""

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from recitant_core.errors import NotThere
from recitant_core.timeline.changes import Change
from recitant_text.steps import label
from recitant_web.desk.log import TABLES, lock, record
from recitant_web.desk.models import Clip, Duck, Edit, Marker, Stem, Track, Version
from recitant_web.programme.models import Programme
from recitant_web.transcript.models import Caption

_PROGRAMME_FIELDS = (
    "spec_id",
    "is_picture_locked",
    "clearance_lu",
    "least_passage_s",
    "master_chain",
    "programme_gain_db",
    "meter_zones",
    "frame_rate",
    "picture_offset_samples",
    "new_fades",
)


def save_version(programme: Programme, user: User | None, name: str, revision: int) -> Version:
    """Keep the programme as it is now under a name.

    Raises:
        StaleRevision: someone else was faster.
    """
    with transaction.atomic():
        locked = lock(programme, revision)
        return Version.objects.create(
            programme=locked, name=name, revision=locked.revision, rows=_rows(locked), user=user
        )


def return_to_version(programme: Programme, user: User | None, version_id: int, revision: int) -> Edit | None:
    """Make the programme what it was, as one step that can be undone; None where it is that already.

    Raises:
        NotThere: no such version, or a recording of it is gone. StaleRevision: someone else was faster.
    """
    with transaction.atomic():
        locked = lock(programme, revision)
        version = locked.versions.filter(pk=version_id).first()
        if version is None:
            raise NotThere()
        changes = _changes(_rows(locked), version.rows)
        if not changes:
            return None
        # The curves are those of the version too.
        return record(locked, user, label("returned", name=version.name), changes, is_followed=False)


def _rows(programme: Programme) -> dict[str, Any]:
    found = {
        "stem": Stem.objects.filter(programme=programme),
        "marker": Marker.objects.filter(programme=programme),
        "track": Track.objects.filter(programme=programme),
        "duck": Duck.objects.filter(programme=programme),
        "clip": Clip.objects.filter(track__programme=programme),
        "caption": Caption.objects.filter(programme=programme),
    }
    rows = {
        table: {str(row.pk): {f.attname: getattr(row, f.attname) for f in row._meta.concrete_fields} for row in query}
        for table, query in found.items()
    }
    rows["programme"] = {str(programme.pk): {name: getattr(programme, name) for name in _PROGRAMME_FIELDS}}
    return rows


def _changes(now: dict[str, Any], then: dict[str, Any]) -> list[Change]:
    changes: list[Change] = []
    for table in TABLES:
        if table not in then:
            continue  # a version older than a table leaves it as it is
        current, wanted = now[table], then[table]
        plain = {name: field for field in TABLES[table]._meta.fields for name in (field.name, field.attname)}
        for pk, values in wanted.items():
            if pk not in current:
                changes.append({"table": table, "id": int(pk), "insert": values})
                continue
            # A version older than a column holds nothing for it: it had what every row begins with.
            older = {n: plain[n].get_default() for n in current[pk] if n not in values}
            differing = {n: [current[pk][n], v] for n, v in (values | older).items() if current[pk].get(n) != v}
            if differing:
                changes.append({"table": table, "id": int(pk), "set": differing})
        changes += [{"table": table, "id": int(pk), "delete": row} for pk, row in current.items() if pk not in wanted]
    return changes
