"""Progress of a job, stopping it, and the page of all that is under way."""

from django.contrib.auth.decorators import login_required
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST, require_safe

from recitant_web.jobs.actions import ask_cancel, put_first, try_again
from recitant_web.jobs.queries import jobs_of, note_of, work_of
from recitant_web.shared.refusals import words_of_refusal
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
    response = render(request, "jobs/_job.html", {"job": found, "note": note_of(found)})
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
    return render(request, "jobs/_job.html", {"job": found, "note": note_of(found)})


@login_required
@require_safe
def work(request: Request) -> HttpResponse:
    """All work of the user's workspaces: running, waiting, failed, done lately."""
    return _work(request)


@login_required
@require_POST
def change_work(request: Request, job_id: int) -> HttpResponse:
    """Stop a job, try it again, or have it done next."""
    found = get_object_or_404(jobs_of(request.user), pk=job_id)
    what = request.POST.get("what", "")
    words = ""
    if what == "stop":
        ask_cancel(found)
    elif what == "next":
        put_first(found)
    else:
        words = words_of_refusal(lambda: try_again(found))
    if not request.htmx:
        return redirect("work")
    return _work(request, words)


def _work(request: Request, words: str = "") -> HttpResponse:
    part = "jobs/_work.html" if request.htmx else "jobs/work.html"
    context = {"work": work_of(request.user), "words": words}
    return render(request, part, context)
