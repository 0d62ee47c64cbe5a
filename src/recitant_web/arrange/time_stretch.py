"""A clip at another speed or pitch: its recording is rendered once in the background, and the clip points to that."""

from dataclasses import replace
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from recitant_core.delivery.judging.figures import readings_data
from recitant_core.errors import NotThere
from recitant_core.ports import Progress
from recitant_core.timeline import edits
from recitant_core.timeline.model import Clip, Plan
from recitant_io.plan.vary import Variation, vary
from recitant_text.messages import Message, notice_message
from recitant_text.steps import label
from recitant_web.desk.edits.variation import Vary
from recitant_web.desk.log import record
from recitant_web.desk.mapping.changes import changes_between
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.jobs.actions import start_job
from recitant_web.jobs.models import Job
from recitant_web.programme.models import Programme, Source, SourceKind, SourceState
from recitant_web.programme.queries import conformed_folder, conformed_name, stored_source
from recitant_web.shared.media import keep

VARY = "desk.vary"


def ask_variation(programme: Programme, user: User, asked: Vary) -> Job:
    """Send a clip's change of speed or pitch to the background.

    Raises:
        NotThere: no such clip. EditRefused: out of range.
    """
    Variation(float(asked.speed), asked.keeps_pitch, float(asked.semitones))
    if asked.id not in edits.clips_by_id(plan_of(programme)):
        raise NotThere()
    payload: dict[str, object] = {"programme_id": programme.pk, "user_id": user.pk}
    payload |= {"id": str(asked.id), "speed": float(asked.speed), "keeps_pitch": asked.keeps_pitch}
    payload["semitones"] = float(asked.semitones)
    with transaction.atomic():
        return start_job(programme.workspace, VARY, payload, about=programme.title, programme_number=programme.pk)


def vary_clip(payload: dict[str, Any], progress: Progress) -> Message:
    """Render the varied recording, unless it is there, and let the clip use it.

    Raises:
        NotThere: the clip is gone meanwhile.
    """
    programme = Programme.objects.get(pk=payload["programme_id"])
    variation = Variation(payload["speed"], payload["keeps_pitch"], payload["semitones"])
    clip = _clip(plan_of(programme), payload["id"])
    used = Source.objects.get(programme=programme, sha256=clip.source_key)
    origin = used.varied_from if used.kind == SourceKind.VARIED and used.varied_from else used
    before = Variation(**used.variation) if used.variation else Variation(1.0, True, 0.0)
    varied = origin if variation.is_none else _varied_source(programme, origin, variation, progress)
    with transaction.atomic():
        locked = Programme.objects.select_for_update().get(pk=programme.pk)
        plan = plan_of(locked)
        clip = _clip(plan, payload["id"])
        if clip.source_key != used.sha256:
            raise NotThere()
        after = edits.set_clips(plan, [clip.clip_id], lambda c: _fitted(c, varied, before, variation))
        changes, made, _ = changes_between(locked, plan, after)
        # The row of the clip tells its recording by number, which the core does not know.
        changes = [change for change in changes if change["id"] != int(clip.clip_id)] + [
            _with_source(change, used.pk, varied.pk) for change in changes if change["id"] == int(clip.clip_id)
        ]
        if not changes:
            changes = [{"table": "clip", "id": int(clip.clip_id), "set": {"source_id": [used.pk, varied.pk]}}]
        user = User.objects.filter(pk=payload["user_id"]).first()
        step = label("varied", name=clip.name, speed=variation.speed, semitones=variation.semitones)
        record(locked, user, step, changes, made)
    return notice_message("done")


def _with_source(change: dict[str, Any], old: int, new: int) -> dict[str, Any]:
    return change | {"set": change["set"] | {"source_id": [old, new]}}


def _clip(plan: Plan, clip_id: str) -> Clip:
    known = edits.clips_by_id(plan)
    if clip_id not in known:
        raise NotThere()
    return known[clip_id][1]


def _fitted(clip: Clip, varied: Source, before: Variation, after: Variation) -> Clip:
    factor = before.speed / after.speed
    in_sample = min(round(clip.in_sample * factor), varied.ready_length_samples - edits.LEAST_CLIP_SAMPLES)
    length = min(round(clip.length_samples * factor), varied.ready_length_samples - in_sample)
    return replace(
        clip,
        in_sample=in_sample,
        length_samples=length,
        fade_in_samples=min(clip.fade_in_samples, length // 2),
        fade_out_samples=min(clip.fade_out_samples, length // 2),
        curve=tuple(replace(point, at_sample=round(point.at_sample * factor)) for point in clip.curve),
    )


def _varied_source(programme: Programme, origin: Source, variation: Variation, progress: Progress) -> Source:
    key = variation.key(origin.sha256)
    found = Source.objects.filter(programme=programme, sha256=key).first()
    if found is not None:
        return found
    recording = stored_source(origin.sha256, origin.ready_n_channels)
    length, readings = vary(recording, variation, conformed_folder(key), progress)
    keep(conformed_name(key))
    return Source.objects.create(
        programme=programme,
        name=origin.name,
        role=origin.role,
        kind=SourceKind.VARIED,
        state=SourceState.READY,
        varied_from=origin,
        variation={
            "speed": variation.speed,
            "keeps_pitch": variation.keeps_pitch,
            "semitones": variation.semitones,
        },
        original_file=origin.original_file,
        sha256=key,
        n_channels=origin.n_channels,
        rate_hz=origin.rate_hz,
        coding=origin.coding,
        length_samples=length,
        readings=readings_data(readings),
        speech=[[variation.at(s), variation.at(n), c] for s, n, c in origin.speech],
        is_listened=True,
    )
