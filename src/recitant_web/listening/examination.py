"""Exact figures of a revision and its fit, in the background; kept under the hash of its plan."""

from functools import partial
from pathlib import Path

from django.conf import settings
from django.db import transaction

from recitant_core.balance.stem_meter import StemMeter
from recitant_core.delivery.figures import readings_data
from recitant_core.delivery.fit import FitState, fit
from recitant_core.delivery.trial import Rendered, render_once
from recitant_core.errors import Cancelled, PlanError
from recitant_core.ports import Progress
from recitant_core.units.level import finite
from recitant_io.chained import Budget, tidy
from recitant_io.kept_mix import kept_mix
from recitant_io.stem_levels import keep_stem_levels
from recitant_web.desk.bridge.plans import sources_of_plan
from recitant_web.desk.energies import known_energies, missing_chains
from recitant_web.desk.log import EXAMINE
from recitant_web.desk.models import FitResult, Verdict
from recitant_web.jobs.actions import start_job
from recitant_web.jobs.queries import is_under_way
from recitant_web.listening.snapshot import Snapshot
from recitant_web.listening.stored import stem_levels_folder
from recitant_web.programme.models import Programme
from recitant_words.fits import fit_sentence
from recitant_words.notices import notice

_CHAINS_SHARE = 0.4  # of the work, where there are chains to render


def measure_again(programme: Programme) -> None:
    """Send a programme to be measured whose exact stems are not known, as after their store was thrown away."""
    snapshot = Snapshot(programme)
    payload = {"programme_id": programme.pk, "revision": programme.revision}
    if snapshot.plan.span.length_samples == 0 or snapshot.stems is not None:
        return
    with transaction.atomic():
        if not is_under_way(programme.workspace, EXAMINE, payload):
            start_job(programme.workspace, EXAMINE, payload)


def examine(programme_id: int, revision: int, progress: Progress) -> str:
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
        known_energies(snapshot.plan, Budget(None, partial(still, 0.0, begin), missing))
    tidy(Path(settings.MEDIA_ROOT) / "chained")
    needs_figures = snapshot.verdict is None or snapshot.stems is None
    if not needs_figures and snapshot.spec.spec_id in snapshot.fits:
        return notice("measured")
    middle = begin + (1.0 - begin) * 0.5
    meter = StemMeter(snapshot.plan)
    with kept_mix(Path(settings.MEDIA_ROOT) / "kept-mixes", snapshot.plan.layout) as store:
        sources = sources_of_plan(programme)
        hear = (lambda segment: meter.feed(segment.stems)) if needs_figures else None
        known = render_once(snapshot.plan, sources, store, partial(still, begin, middle), hear)
        if needs_figures:
            _keep_figures(snapshot, known, meter)
        if snapshot.spec.spec_id not in snapshot.fits:
            _fit(snapshot, known, partial(still, middle, 1.0))
    return notice("measured")


def _keep_figures(snapshot: Snapshot, known: Rendered, meter: StemMeter) -> None:
    keep_stem_levels(stem_levels_folder(), snapshot.key, meter.energies())
    trial = known.untouched
    figures = readings_data(trial.readings) | {"dialogue_lufs": finite(trial.dialogue_lufs)}
    Verdict.objects.get_or_create(programme=snapshot.programme, plan_key=snapshot.key, defaults={"figures": figures})


def _fit(snapshot: Snapshot, known: Rendered, progress: Progress) -> None:
    found = fit(snapshot.plan, known, snapshot.spec, progress)
    FitResult.objects.get_or_create(
        programme=snapshot.programme,
        plan_key=snapshot.key,
        spec_id=snapshot.spec.spec_id,
        defaults={
            "gain_db": found.trial.master.gain_db,
            "ceiling_dbtp": found.trial.master.ceiling_dbtp,
            "is_reached": found.state is FitState.REACHED,
            "sentence": fit_sentence(found),
        },
    )
