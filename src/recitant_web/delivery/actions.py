"""Handing over: a job that fits, writes, measures and reports."""

import uuid
from pathlib import Path

from django.conf import settings
from django.db import transaction

from recitant_core.delivery.catalogue import spec_by_id
from recitant_core.errors import PlanError
from recitant_core.interchange.plan_json import plan_from_data, plan_to_data
from recitant_core.ports import Progress
from recitant_core.timeline.model import Master
from recitant_io.conform import require_room
from recitant_io.delivery import deliver
from recitant_io.kept_mix import BYTES_A_FRAME as BYTES_A_KEPT_FRAME
from recitant_web.delivery.models import Delivery
from recitant_web.delivery.report import report_part
from recitant_web.desk.bridge.plans import plan_of, sources_of_plan
from recitant_web.jobs.actions import start_job
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme, Source
from recitant_web.programme.queries import stored_source
from recitant_words.notices import notice
from recitant_words.report import report_data, report_files

DELIVER = "delivery.deliver"
_BYTES_A_FRAME = 2 * 3


def hand_over(programme: Programme, spec_ids: list[str]) -> Delivery:
    """A delivery of the programme as it is now, in the background.

    Raises:
        UnknownSpec: no such specification. PlanError: none chosen, or nothing to mix. StorageFull: no room.
    """
    specs = [spec_by_id(spec_id) for spec_id in dict.fromkeys(spec_ids)]
    if not specs:
        raise PlanError("no_spec_chosen")
    plan = plan_of(programme)
    if plan.span.length_samples == 0:
        raise PlanError("nothing_to_mix", field="tracks")
    root = Path(settings.MEDIA_ROOT)
    root.mkdir(parents=True, exist_ok=True)
    n_files = len(specs) * (1 + len(plan.roles))
    bytes_a_frame = _BYTES_A_FRAME * n_files + BYTES_A_KEPT_FRAME
    require_room(root, notice("the_delivery"), plan.span.length_samples * bytes_a_frame)
    keys = {key: key for key in sources_of_plan(programme)}
    with transaction.atomic():
        delivery = Delivery.objects.create(
            programme=programme,
            revision=programme.revision,
            spec_ids=[spec.spec_id for spec in specs],
            plan=plan_to_data(plan, keys),
            folder=f"deliveries/{programme.pk}/{uuid.uuid4().hex}",
        )
        delivery.job = start_job(programme.workspace, DELIVER, {"delivery_id": delivery.pk})
        delivery.save(update_fields=["job"])
    return delivery


def make_delivery(delivery_id: int, progress: Progress) -> str:
    """Write the files of a delivery; done twice it writes the same files again."""
    delivery = Delivery.objects.select_related("programme").get(pk=delivery_id)
    specs = [spec_by_id(spec_id) for spec_id in delivery.spec_ids]
    rows = Source.objects.filter(programme=delivery.programme).exclude(sha256="").values_list("sha256", "n_channels")
    sources = {sha256: stored_source(sha256, n_channels) for sha256, n_channels in rows}
    plan = plan_from_data(delivery.plan, sources)
    more = report_part(delivery.programme, plan, sources)
    folder = Path(settings.MEDIA_ROOT) / delivery.folder
    # What the exact fit of this very mix found before is tried first.
    fits = Snapshot(delivery.programme, plan).fits
    starts = {spec_id: Master(fit.gain_db, fit.ceiling_dbtp) for spec_id, fit in fits.items()}
    done = deliver(plan, sources, specs, folder, progress, lambda ready: report_files(plan, ready, more), starts)
    delivery.report = report_data(plan, done) | more
    delivery.save(update_fields=["report"])
    passed = sum(delivered.verdict.is_passed for delivered in done)
    return f"{passed} of {len(done)} pass."
