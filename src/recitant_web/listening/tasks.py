"""Jobs of this app."""

from celery import shared_task

from recitant_web.desk.log import EXAMINE
from recitant_web.jobs.actions import run_job
from recitant_web.listening.examination import examine
from recitant_web.listening.lost import LISTEN_FOR_WORDS, listen_for_words


@shared_task(name=LISTEN_FOR_WORDS)
def listen_to_mix(job_id: int) -> None:
    """Words of the dialogue that are lost in the mix."""
    run_job(job_id, lambda job, progress: listen_for_words(job.payload["programme_id"], progress))


@shared_task(name=EXAMINE)
def examine_revision(job_id: int) -> None:
    """Exact figures and fit of one revision."""
    run_job(job_id, lambda job, progress: examine(job.payload["programme_id"], job.payload["revision"], progress))
