"""The first balance of a programme: a job whose steps become steps of the log, each undoable alone."""

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from recitant_core.balance.first_balance import first_balance
from recitant_core.balance.first_balance_values import ALL_STEPS, LEADS, Choices, FirstBalance, Material
from recitant_core.balance.plausibility import doubts
from recitant_core.errors import EditRefused, PlanError
from recitant_core.ports import Progress
from recitant_core.timeline.model import Plan
from recitant_core.units.clock import SampleSpan
from recitant_io.store.chained import TimeBudget
from recitant_text.first_balance import balanced_facts, step_facts
from recitant_text.messages import Message, balanced_message, notice_message
from recitant_text.steps import label
from recitant_web.balance.forms import FirstBalanceRequest
from recitant_web.desk.ducking import bands_of
from recitant_web.desk.energies import known_energies
from recitant_web.desk.log import lock, record
from recitant_web.desk.mapping.changes import changes_between
from recitant_web.desk.mapping.ducks import with_duck_names
from recitant_web.desk.mapping.findings import findings_from_data
from recitant_web.desk.mapping.plans import plan_of, sources_of_plan
from recitant_web.desk.mapping.speech import speech_of
from recitant_web.desk.models import BalanceRun
from recitant_web.desk.moments import moments_of
from recitant_web.jobs.actions import start_job
from recitant_web.programme.models import Programme, SourceState
from recitant_web.programme.queries import picture_span, spec_of

FIRST_BALANCE = "desk.first_balance"


def ask_first_balance(programme: Programme, user: User, asked: FirstBalanceRequest) -> BalanceRun:
    """Send a first balance to the background.

    Raises:
        EditRefused: nothing to balance, or one is under way. StaleRevision: someone else was faster.
    """
    with transaction.atomic():
        locked = lock(programme, asked.revision)
        under_way = BalanceRun.objects.filter(programme=locked).select_related("job").order_by("-pk").first()
        if under_way is not None and under_way.job is not None and under_way.job.is_open:
            raise EditRefused("balance_under_way")
        if plan_of(locked).span.length_samples == 0:
            raise PlanError("nothing_to_mix", field="tracks")
        choices = {name: getattr(asked, name) for name in asked.__struct_fields__ if name != "revision"}
        run = BalanceRun.objects.create(programme=locked, user=user, choices=choices)
        run.job = start_job(
            locked.workspace, FIRST_BALANCE, {"run_id": run.pk}, about=locked.title, programme_number=locked.pk
        )
        run.save(update_fields=["job"])
    return run


def run_first_balance(run_id: int, progress: Progress) -> Message:
    """Do it: the steps are worked out on the newest revision and written together.

    Raises:
        StaleRevision: somebody edited meanwhile. PlanError: nothing to balance.
    """
    run = BalanceRun.objects.select_related("programme", "user").get(pk=run_id)
    if run.steps:
        return notice_message("balanced_before")
    programme = run.programme
    material = _material(programme)
    moments = moments_of(programme, material.plan)
    doubt = next(iter(doubts(material.plan, material.speech, picture_span(programme), moments)), None)
    done = first_balance(material, _choices(run.choices), lambda share: progress(0.9 * share))
    with transaction.atomic():
        locked = lock(programme, programme.revision)
        run.steps = _written(locked, run, done)
        run.save(update_fields=["steps"])
    return balanced_message(balanced_facts(done, doubt))


def _material(programme: Programme) -> Material:
    plan = plan_of(programme)
    ready = programme.sources.filter(state=SourceState.READY)
    findings = {sha256: findings_from_data(found) for sha256, found in ready.values_list("sha256", "findings")}
    used = {clip.source_key for track in plan.tracks for clip in track.clips}
    return Material(
        plan,
        sources_of_plan(programme),
        known_energies(plan),
        speech_of(programme),
        {key: found for key, found in findings.items() if key in used},
        spec_of(programme),
        programme.clearance_lu,
        programme.least_passage_s,
        bands_of(programme),
        lambda plan: known_energies(plan, TimeBudget(None)),
    )


def _choices(data: dict[str, Any]) -> Choices:
    part = None
    if data["to_sample"] > data["from_sample"]:
        part = SampleSpan(data["from_sample"], data["to_sample"] - data["from_sample"])
    steps = tuple(step for step in ALL_STEPS if step in data["steps"])
    leads, performance = data.get("leads", LEADS[0]), data.get("performance", Choices().performance)
    return Choices(data["music"], data["effects"], data["ducking"], leads, performance, steps, part)


def _written(programme: Programme, run: BalanceRun, done: FirstBalance) -> list[dict[str, Any]]:
    before = plan_of(programme)
    names: dict[str, str] = {}
    told = []
    for step in done.steps:
        after = with_duck_names(step.plan, names)
        changes, made, final = changes_between(programme, before, after)
        edit_id = None
        if changes or made:
            # The curves of this step are its own; nothing else is to follow from it.
            named = label("first-balance", step=step.code)
            edit = record(programme, run.user, named, changes, made, is_followed=False)
            edit_id = edit.pk
            names |= _new_names(after, final)
        before = with_duck_names(after, names)
        told.append(step_facts(step) | {"edit_id": edit_id})
    return told


def _new_names(after: Plan, final: Plan) -> dict[str, str]:
    pairs = zip(after.ducks, final.ducks, strict=True)
    return {old.duck_id: new.duck_id for old, new in pairs if old.duck_id != new.duck_id}
