"""The Hand over page, its jobs and its files."""

from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods

from recitant_web.delivery.actions import hand_over
from recitant_web.delivery.queries import choices, delivered_file, deliveries_of
from recitant_web.jobs.actions import pick_up_lost_jobs
from recitant_web.programme.queries import programmes_of
from recitant_words.notices import notice


@login_required
@require_http_methods(["GET", "POST"])
def page(request: HttpRequest, programme_id: int) -> HttpResponse:
    """Choose specifications, see what the fit will do, start, and find what was made."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    message = ""
    if request.method == "POST":
        chosen = request.POST.getlist("spec")
        if chosen:
            hand_over(programme, chosen)
            return redirect("hand-over", programme_id=programme.pk)
        message = notice("no_spec")
    pick_up_lost_jobs()
    context = {
        "programme": programme,
        "choices": choices(programme),
        "deliveries": deliveries_of(programme),
        "message": message,
        "step": "hand-over",
    }
    return render(request, "delivery/hand_over.html", context, status=422 if message else 200)


@login_required
@require_GET
def file(request: HttpRequest, programme_id: int, delivery_id: int, name: str) -> HttpResponse:
    """A file of a delivery."""
    programme = get_object_or_404(programmes_of(request.user), pk=programme_id)
    delivery = get_object_or_404(programme.deliveries, pk=delivery_id)
    path = delivered_file(delivery, name)
    if path is None:
        raise Http404
    return FileResponse(path.open("rb"), as_attachment=not name.endswith(".html"), filename=name)
