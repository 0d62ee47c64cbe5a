"""Jobs of this app."""

from celery import shared_task

from recitant_web.jobs.actions import run_job
from recitant_web.transcript.actions import HEAR, hear


@shared_task(name=HEAR)
def hear_recording(job_id: int) -> None:
    """Hear one recording for words."""
    run_job(job_id, lambda job, progress: hear(job.payload["source_id"], progress))
