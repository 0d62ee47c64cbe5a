"""Jobs of this app."""

from celery import shared_task

from recitant_web.desk.log import EXAMINE
from recitant_web.jobs.actions import run_job
from recitant_web.listening.examination import examine


@shared_task(name=EXAMINE)
def examine_revision(job_id: int) -> None:
    """Exact figures and fit of one revision."""
    run_job(job_id, lambda job, progress: examine(job.payload["programme_id"], job.payload["revision"], progress))
