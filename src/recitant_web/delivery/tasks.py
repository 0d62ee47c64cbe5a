"""Jobs of this app."""

from celery import shared_task

from recitant_web.delivery.actions import DELIVER, make_delivery
from recitant_web.jobs.actions import run_job


@shared_task(name=DELIVER)
def deliver_programme(job_id: int) -> None:
    """Write one delivery."""
    run_job(job_id, lambda job, progress: make_delivery(job.payload["delivery_id"], progress))
