"""What looks after jobs, every few seconds."""

from celery import shared_task

from recitant_web.jobs.actions import pick_up_lost_jobs


@shared_task(name="jobs.look_after")
def look_after() -> None:
    """Send jobs again whose worker died or whose message was lost."""
    pick_up_lost_jobs()
