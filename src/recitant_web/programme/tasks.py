"""Jobs of this app."""

from celery import shared_task

from recitant_web.jobs.actions import run_job
from recitant_web.jobs.models import JobState
from recitant_web.programme.actions import refuse_source
from recitant_web.programme.ingesting import INGEST, LIGHTEN, LISTEN, ingest, lighten, listen


@shared_task(name=INGEST)
def ingest_source(job_id: int) -> None:
    """Take one source through intake."""
    job = run_job(job_id, lambda job, progress: ingest(job.payload["source_id"], progress))
    if job is not None and job.state in (JobState.REFUSED, JobState.CRASHED, JobState.CANCELLED):
        refuse_source(job.payload["source_id"], job.message)


@shared_task(name=LISTEN)
def listen_to_source(job_id: int) -> None:
    """Hear one source for speech."""
    run_job(job_id, lambda job, progress: listen(job.payload["source_id"], progress))


@shared_task(name=LIGHTEN)
def lighten_picture(job_id: int) -> None:
    """Make the light copy of one picture."""
    run_job(job_id, lambda job, progress: lighten(job.payload["picture_id"], progress))
