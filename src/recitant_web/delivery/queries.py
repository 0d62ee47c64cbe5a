"""Reads of deliveries and of what a delivery would come to."""

from pathlib import Path
from typing import Any

from django.conf import settings

from recitant_web.delivery.models import Delivery
from recitant_web.listening.figures import prediction_text
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import specs


def choices(programme: Programme) -> list[dict[str, Any]]:
    """Every specification with what its fit will probably do to this programme."""
    found = []
    snapshot = Snapshot(programme)
    for spec in specs():
        words, is_likely, is_exact = prediction_text(snapshot, spec)
        found.append({"spec": spec, "words": words, "is_likely": is_likely, "is_exact": is_exact})
    return found


def deliveries_of(programme: Programme) -> list[Delivery]:
    """The newest deliveries, with their jobs."""
    return list(programme.deliveries.select_related("job")[:12])


def delivered_file(delivery: Delivery, name: str) -> Path | None:
    """A file of a delivery; None for any name its report does not list."""
    if delivery.report is None:
        return None
    listed = {file["file"] for one in delivery.report["deliveries"] for file in one["files"]}
    if name not in listed | {"report.json", "report.html"}:
        return None
    path = Path(settings.MEDIA_ROOT) / delivery.folder / name
    return path if path.is_file() else None
