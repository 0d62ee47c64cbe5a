"""What is swept every hour."""

import logging

from celery import shared_task

from recitant_web.jobs.actions import drop_ended
from recitant_web.programme.actions import drop_left_parts, drop_old_uploads
from recitant_web.programmes.actions import sweep

_log = logging.getLogger(__name__)


@shared_task(name="programmes.sweep")
def sweep_programmes() -> None:
    """Remove what is over: deleted programmes, uploads nobody went on with, ended jobs, files that were only begun."""
    counts = {
        "programmes": sweep(),
        "uploads": drop_old_uploads(),
        "jobs": drop_ended(),
        "files": drop_left_parts(),
    }
    _log.info("swept: %s", counts)
