"""What became of the last first balance of a programme."""

from typing import Any

from recitant_text.first_balance import step_shown
from recitant_web.desk.models import BalanceRun
from recitant_web.jobs.models import JobState
from recitant_web.programme.models import Programme


def is_run_open(programme: Programme) -> bool:
    """Whether a first balance waits or works."""
    return BalanceRun.objects.filter(programme=programme, job__state__in=(JobState.WAITING, JobState.WORKING)).exists()


def run_data(programme: Programme) -> dict[str, Any] | None:
    """The last first balance: its job, its choices, and its steps with whether they are in force; None without one."""
    run = BalanceRun.objects.filter(programme=programme).select_related("job").order_by("-pk").first()
    if run is None:
        return None
    job = run.job
    in_force = set(
        programme.edits.filter(pk__in=[s["edit_id"] for s in run.steps if s.get("edit_id")], state="done").values_list(
            "pk", flat=True
        )
    )
    edit_ids = [step["edit_id"] for step in run.steps if step.get("edit_id")]
    newest = programme.edits.filter(state="done").order_by("-pk").values_list("pk", flat=True).first()
    undo_to = None
    if edit_ids and newest == edit_ids[-1] and in_force == set(edit_ids):
        before = programme.edits.filter(state="done", pk__lt=edit_ids[0]).order_by("-pk")
        undo_to = before.values_list("pk", flat=True).first() or 0
    return {
        "id": run.pk,
        "undo_to": undo_to,
        "job_id": job.pk if job else None,
        "is_open": bool(job and job.is_open),
        "share": job.share if job else 1.0,
        "sentence": job.sentence if job else "",
        "choices": run.choices,
        "steps": [_shown(step) | {"is_in_force": step.get("edit_id") in in_force} for step in run.steps],
    }


def _shown(step: dict[str, Any]) -> dict[str, Any]:
    # Rows of earlier releases hold their words.
    return step if "title" in step else step_shown(step)
