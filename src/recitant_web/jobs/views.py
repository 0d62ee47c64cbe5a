"""Progress of a job, and stopping it."""

from django.contrib.auth.decorators import login_required
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST, require_safe

from recitant_web.jobs.actions import ask_cancel
from recitant_web.jobs.queries import jobs_of
from recitant_web.shared.requests import Request


@login_required
@require_safe
def job(request: Request, job_id: int) -> HttpResponse:
    """Progress of a job, as a piece of page that asks again while it is open, or as JSON."""
    found = get_object_or_404(jobs_of(request.user), pk=job_id)
    if request.headers.get("Accept", "").startswith("application/json"):
        return JsonResponse(
            {"state": found.state, "share": found.share, "sentence": found.sentence, "is_open": found.is_open}
        )
    response = render(request, "jobs/_job.html", {"job": found})
    if request.htmx and not found.is_open:
        response["HX-Refresh"] = "true"
    return response


@login_required
@require_POST
def cancel(request: Request, job_id: int) -> HttpResponse:
    """Ask it to stop."""
    found = get_object_or_404(jobs_of(request.user), pk=job_id)
    ask_cancel(found)
    found.refresh_from_db()
    return render(request, "jobs/_job.html", {"job": found})
