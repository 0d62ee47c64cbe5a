"""Exact figures of a revision and its fit, in the background; kept under the hash of its plan."""

from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Final

from django.conf import settings
from django.db import transaction

from recitant_core.balance.stem_meter import StemMeter
from recitant_core.delivery.fitting.fit import FitState, fit
from recitant_core.delivery.fitting.trial import Rendered, render_once
from recitant_core.delivery.judging.figures import readings_data
from recitant_core.delivery.specification.spec_json import spec_key
from recitant_core.errors import Cancelled, PlanError
from recitant_core.ports import Progress
from recitant_core.render.scene import talk_clearance_lu
from recitant_core.units.level import finite
from recitant_io.store.chained import TimeBudget, tidy
from recitant_io.store.premaster import premaster
from recitant_text.fits import fit_facts, verdict_facts
from recitant_text.messages import Message, notice_message
from recitant_web.desk.energies import known_energies, missing_chains
from recitant_web.desk.log import EXAMINE, start_examination
from recitant_web.desk.mapping.plans import sources_of_plan
from recitant_web.desk.models import FitResult, Verdict
from recitant_web.jobs.queries import is_under_way
from recitant_web.listening.figures import fit_view
from recitant_web.listening.snapshot import Snapshot
from recitant_web.listening.stored import keep_rendered
from recitant_web.programme.models import Programme

MOST_KEPT: Final = 100
"""Verdicts, and fits, of a programme that are kept: of states that undo comes back to without measuring again."""
_CHAINS_SHARE = 0.4  # of the work, where there are chains to render


def measure_again(programme: Programme) -> None:
    """Send a programme to be measured whose exact stems are not known, as after their store was thrown away."""
    snapshot = Snapshot(programme)
    payload = {"programme_id": programme.pk, "revision": programme.revision}
    if snapshot.plan.span.length_samples == 0 or snapshot.stems is not None:
        return
    with transaction.atomic():
        if not is_under_way(programme.workspace, EXAMINE, payload):
            start_examination(programme)


def measure_the_unjudged() -> int:
    """Send every programme to be measured that has no verdict for the list yet; how many there were."""
    unjudged = list(
        Programme.objects.filter(judged={}, deleted_at__isnull=True, tracks__clips__isnull=False).distinct()
    )
    with transaction.atomic():
        for programme in unjudged:
            payload = {"programme_id": programme.pk, "revision": programme.revision}
            if not is_under_way(programme.workspace, EXAMINE, payload):
                start_examination(programme)
    return len(unjudged)


def examine(programme_id: int, revision: int, progress: Progress) -> Message:
    """The exact figures of a revision, and its fit to the programme's specification; kept under the plan's hash.

    Raises:
        Cancelled: the programme moved on meanwhile.
    """

    def still(first: float, last: float, share: float) -> None:
        if not Programme.objects.filter(pk=programme_id, revision=revision).exists():
            raise Cancelled("cancelled")
        progress(first + (last - first) * share)

    programme = Programme.objects.get(pk=programme_id)
    snapshot = Snapshot(programme)
    if programme.revision != revision:
        raise Cancelled("cancelled")
    if snapshot.plan.span.length_samples == 0:
        raise PlanError("nothing_to_mix", field="tracks")
    begin = 0.0
    missing = missing_chains(snapshot.plan)
    if missing:
        begin = _CHAINS_SHARE
        known_energies(snapshot.plan, TimeBudget(None, partial(still, 0.0, begin), missing))
    tidy(Path(settings.MEDIA_ROOT) / "chained")
    needs_figures = snapshot.verdict is None or snapshot.stems is None or snapshot.summary is None
    if not needs_figures and snapshot.fit_key(snapshot.spec) in snapshot.fits:
        _note_verdict(programme)
        return notice_message("measured")
    middle = begin + (1.0 - begin) * 0.5
    meter = StemMeter(snapshot.plan)
    with premaster(Path(settings.MEDIA_ROOT) / "kept-mixes", snapshot.plan.layout) as store:
        sources = sources_of_plan(programme)
        hear = (lambda segment: meter.feed(segment.stems)) if needs_figures else None
        speech = snapshot.talk.spans
        known = render_once(snapshot.plan, sources, store, partial(still, begin, middle), hear, speech)
        if needs_figures:
            _keep_figures(snapshot, known, meter)
        if snapshot.spec.least_clearance_lu is not None:
            stems = meter.energies() if needs_figures else snapshot.stems or {}
            known = replace(known, clearance_lu=talk_clearance_lu(stems, snapshot.talk))
        if snapshot.fit_key(snapshot.spec) not in snapshot.fits:
            _fit(snapshot, known, partial(still, middle, 1.0))
    _note_verdict(programme)
    return notice_message("measured")


def _note_verdict(programme: Programme) -> None:
    """The verdict in short, for the list of programmes."""
    snapshot = Snapshot(programme)
    found = fit_view(snapshot, snapshot.spec)
    state = "squashed" if found.is_squashed else "passes" if found.is_reached else "fails"
    fitted = snapshot.fits.get(snapshot.fit_key(snapshot.spec))
    gain_db = 0.0 if fitted is None else fitted.gain_db
    judged = {
        "revision": programme.revision,
        "spec": spec_key(snapshot.spec),
        **verdict_facts(state, gain_db, snapshot.readings[0].integrated_lufs),
    }
    Programme.objects.filter(pk=programme.pk, revision=programme.revision).update(judged=judged)


def _keep_figures(snapshot: Snapshot, known: Rendered, meter: StemMeter) -> None:
    keep_rendered(snapshot.key, meter.energies(), known.summary)
    trial = known.untouched
    figures = readings_data(trial.readings) | {"dialogue_lufs": finite(trial.dialogue_lufs)}
    Verdict.objects.get_or_create(programme=snapshot.programme, plan_key=snapshot.key, defaults={"figures": figures})
    _drop_oldest(Verdict, snapshot.programme)


def _fit(snapshot: Snapshot, known: Rendered, progress: Progress) -> None:
    found = fit(snapshot.plan, known, snapshot.spec, progress)
    FitResult.objects.get_or_create(
        programme=snapshot.programme,
        plan_key=snapshot.key,
        spec_id=snapshot.fit_key(snapshot.spec),
        defaults={
            "gain_db": found.trial.master.gain_db,
            "ceiling_dbtp": found.trial.master.ceiling_dbtp,
            "is_reached": found.state is FitState.REACHED,
            "most_reduction_db": finite(found.trial.most_reduction_db),
            "limited_share": found.trial.limited_share,
            "facts": fit_facts(found),
        },
    )
    _drop_oldest(FitResult, snapshot.programme)


def _drop_oldest(table: type[Verdict] | type[FitResult], programme: Programme) -> None:
    rows = table._default_manager.filter(programme=programme)
    for last in rows.order_by("-pk").values_list("pk", flat=True)[MOST_KEPT : MOST_KEPT + 1]:
        rows.filter(pk__lte=last).delete()
