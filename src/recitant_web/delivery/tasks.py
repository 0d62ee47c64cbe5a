"""Jobs of this app."""

from celery import chord, shared_task

from recitant_web.delivery.actions import make_delivery
from recitant_web.delivery.spreading import missing_parts, render_part
from recitant_web.jobs.actions import DELIVER, run_job

_PART_LASTS_S = 600.0


@shared_task(name=DELIVER)
def deliver_programme(job_id: int) -> None:
    """Write one delivery; where several machines share the work, its mix is rendered in parts first.

    The row of the job waits meanwhile. One that hears nothing of its parts is sent again like any lost job, and then
    only what is missing is rendered.
    """
    missing = missing_parts(job_id)
    if missing:
        parts = [deliver_part.s(job_id, number).set(expires=_PART_LASTS_S) for number in missing]
        chord(parts, finish_delivery.si(job_id)).apply_async()
    else:
        finish_delivery(job_id)


@shared_task(name="delivery.part", ignore_result=False)
def deliver_part(job_id: int, number: int) -> None:
    """Render one part of a delivery."""
    render_part(job_id, number)


@shared_task(name="delivery.finish")
def finish_delivery(job_id: int) -> None:
    """Write the files of a delivery."""
    run_job(job_id, lambda job, progress: make_delivery(job.payload["delivery_id"], progress))
