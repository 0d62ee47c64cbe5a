"""Jobs of this app."""

from celery import shared_task

from recitant_web.balance.first_balance import FIRST_BALANCE, run_first_balance
from recitant_web.jobs.actions import run_job


@shared_task(name=FIRST_BALANCE)
def balance_programme(job_id: int) -> None:
    """The first balance of one programme."""
    run_job(job_id, lambda job, progress: run_first_balance(job.payload["run_id"], progress))
