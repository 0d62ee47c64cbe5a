"""Jobs of this app."""

from celery import shared_task

from recitant_web.desk.actions import examine
from recitant_web.desk.balancing import FIRST_BALANCE, run_first_balance
from recitant_web.desk.log import EXAMINE
from recitant_web.desk.varying import VARY, vary_clip
from recitant_web.jobs.actions import run_job


@shared_task(name=EXAMINE)
def examine_revision(job_id: int) -> None:
    """Exact figures and fit of one revision."""
    run_job(job_id, lambda job, progress: examine(job.payload["programme_id"], job.payload["revision"], progress))


@shared_task(name=FIRST_BALANCE)
def balance_programme(job_id: int) -> None:
    """The first balance of one programme."""
    run_job(job_id, lambda job, progress: run_first_balance(job.payload["run_id"], progress))


@shared_task(name=VARY)
def vary_one_clip(job_id: int) -> None:
    """One clip at another speed or pitch."""
    run_job(job_id, lambda job, progress: vary_clip(job.payload, progress))
