"""A delivery whose mix all workers render in parts: who renders what, and what is there already.

Parts are files of the shared media. Whatever is lost on the way is rendered again: by the next part
sent, or by the worker that writes the files.
"""

import logging
from datetime import datetime, timedelta
from functools import partial
from pathlib import PurePath
from typing import Final

from django.conf import settings
from django.utils import timezone

from recitant_core.timeline.model import Plan
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_io.delivery.delivery import Mixed
from recitant_io.delivery.spread import joined, part_bytes, parts_of, write_part
from recitant_web.delivery.models import Delivery
from recitant_web.delivery.queries import plan_and_sources
from recitant_web.jobs.models import Job, JobState
from recitant_web.shared.media import drop, fetched, is_there, keep, media_path

_FOLDER: Final = "spread"
_KEPT: Final = timedelta(hours=12)
_log = logging.getLogger(__name__)


def missing_parts(job_id: int) -> list[int]:
    """Numbers of the parts that the delivery of a waiting job still lacks; none where one worker makes it alone."""
    job = Job.objects.filter(pk=job_id, state=JobState.WAITING).first() if settings.SPREAD_S else None
    if job is None:
        return []
    delivery = Delivery.objects.select_related("programme").get(pk=job.payload["delivery_id"])
    return _missing(delivery, _parts(plan_and_sources(delivery)[0]))


def render_part(job_id: int, number: int) -> None:
    """Render a part of the delivery of a job that waits for its parts, unless it is there or nobody waits any more.

    What goes wrong is left to whoever writes the files: there it has a sentence and a row.
    """
    job = Job.objects.filter(pk=job_id, state=JobState.WAITING).first()
    if job is None:
        return
    delivery = Delivery.objects.select_related("programme").get(pk=job.payload["delivery_id"])
    name = _name(delivery, number)
    if is_there(name):
        return
    _tidy(timezone.now())

    def progress(_share: float) -> None:
        # Says that the job lives, or learns that it was stopped.
        if not Job.objects.filter(pk=job_id, state=JobState.WAITING).update(heartbeat_at=timezone.now()):
            raise _NobodyWaits

    try:
        plan, sources = plan_and_sources(delivery)
        write_part(plan, sources, _parts(plan)[number], media_path(name), progress)
        keep(name)
    except _NobodyWaits:
        _log.info("job %s does not wait for its parts any more", job_id)
    except Exception:  # a part that fails would keep the end of the chord from coming
        _log.exception("part %s of job %s was not rendered", number, job_id)


def mixed_of_parts(delivery: Delivery, plan: Plan) -> Mixed | None:
    """The segments of a delivery out of its parts; None where they are not all there, and whole.

    Raises:
        StorageFull: no room to bring them here.
    """
    spans = _parts(plan)
    if len(spans) < 2 or _missing(delivery, spans):
        return None
    paths = [fetched(_name(delivery, number)) for number in range(len(spans))]
    sizes = [path.stat().st_size if path.exists() else 0 for path in paths]
    return partial(joined, plan, spans, paths) if sizes == [part_bytes(plan, span) for span in spans] else None


def drop_parts(delivery: Delivery) -> None:
    """Remove the parts, once the files are written."""
    drop(_folder(delivery))


class _NobodyWaits(Exception):
    pass


def _missing(delivery: Delivery, spans: list[SampleSpan]) -> list[int]:
    return [number for number in range(len(spans)) if len(spans) > 1 and not is_there(_name(delivery, number))]


def _parts(plan: Plan) -> list[SampleSpan]:
    return parts_of(plan, round(settings.SPREAD_S * RATE_HZ)) if settings.SPREAD_S else [plan.span]


def _folder(delivery: Delivery) -> str:
    # By the name of its own folder: numbers of rows come again after a backup was restored.
    return f"{_FOLDER}/{PurePath(delivery.folder).name}"


def _name(delivery: Delivery, number: int) -> str:
    return f"{_folder(delivery)}/{number}.f32"


def _tidy(now: datetime) -> None:
    """Remove what this machine rendered of deliveries that others finished long ago."""
    over_s = (now - _KEPT).timestamp()
    for path in media_path(_FOLDER).glob("*/*"):
        if path.stat().st_mtime < over_s:
            path.unlink(missing_ok=True)
