"""Jobs of this app."""

from celery import shared_task

from recitant_web.arrange.time_stretch import VARY, vary_clip
from recitant_web.jobs.actions import run_job


@shared_task(name=VARY)
def vary_one_clip(job_id: int) -> None:
    """One clip at another speed or pitch."""
    run_job(job_id, lambda job, progress: vary_clip(job.payload, progress))
