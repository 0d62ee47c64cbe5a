"""What compressed files of a programme say of it: artist, album, year, comment, a cover."""

from collections.abc import Mapping
from hashlib import sha256
from typing import Any, Final

from django.core.files.uploadedfile import UploadedFile

from recitant_io.media.confined_pictures import cover_from_bytes
from recitant_io.media.labels import MOST_COVER_BYTES, Labels
from recitant_web.delivery.models import Delivery, ProgrammeLabels
from recitant_web.programme.models import Programme
from recitant_web.shared.media import fetched, keep, media_path
from recitant_web.shared.shapes import Text

FIELDS: Final = ("artist", "album", "year", "comment")
_TAGS: Final = {"year": "date"}
_COVER: Final = "cover"  # in the folder of a delivery


def labels_of(programme: Programme) -> ProgrammeLabels:
    """Labels of a programme's files; empty where nobody wrote any."""
    return ProgrammeLabels.objects.filter(programme=programme).first() or ProgrammeLabels(programme=programme)


def labels_data(programme: Programme) -> dict[str, Any]:
    """Labels as a delivery keeps them: tags as containers name them, and a hash of the cover; empty for nothing."""
    row = labels_of(programme)
    tags = {_TAGS.get(name, name): getattr(row, name) for name in FIELDS if getattr(row, name)}
    cover = sha256(row.cover).hexdigest() if row.cover else ""
    return {"tags": tags, "cover": cover} if tags or cover else {}


def keep_labels(programme: Programme, given: Mapping[str, str], file: "UploadedFile[bytes] | None") -> None:
    """Keep what was typed, and a cover where one came.

    Args:
        given: the fields as text; ``no_cover`` takes the cover away.

    Raises:
        PlanError: a cover that is none.
    """
    row = labels_of(programme)
    for name in FIELDS:
        setattr(row, name, Text.read(given.get(name, "")))
    if file is not None:
        data = file.read(MOST_COVER_BYTES + 1)
        cover_from_bytes(data, file.name or "")
        row.cover = data
    elif given.get("no_cover"):
        row.cover = b""
    row.save()


def keep_cover(delivery: Delivery) -> None:
    """The cover as it is now, beside the files that will hold it."""
    row = labels_of(delivery.programme)
    if row.cover:
        folder = media_path(delivery.folder)
        folder.mkdir(parents=True, exist_ok=True)
        (folder / _COVER).write_bytes(row.cover)
        keep(f"{delivery.folder}/{_COVER}")


def labels_of_delivery(delivery: Delivery) -> Labels:
    """Labels of a delivery's files."""
    path = fetched(f"{delivery.folder}/{_COVER}")
    cover = cover_from_bytes(path.read_bytes(), _COVER) if delivery.labels.get("cover") else None
    return Labels(delivery.labels.get("tags", {}), cover)
