"""Use cases of the desk: levels, the specification, laying out, and the exact figures in the background."""

import math
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Max

from recitant_core.balance.first_balance import StemMeter
from recitant_core.delivery.catalogue import spec_by_id
from recitant_core.delivery.figures import readings_data
from recitant_core.delivery.fit import FitState, fit, measure_mix
from recitant_core.errors import Cancelled, EditRefused, PlanError
from recitant_core.ports import Progress
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import finite
from recitant_io.chained import Budget, tidy
from recitant_io.stem_levels import keep_stem_levels
from recitant_web.desk.balance_queries import exact_stems, stem_levels_folder
from recitant_web.desk.bridge import plan_key, plan_of, sources_of_plan, spec_of
from recitant_web.desk.log import EXAMINE, Change, inserted, lock, record
from recitant_web.desk.models import Clip, Edit, FitResult, Stem, Track, Verdict
from recitant_web.desk.sounds import known_energies
from recitant_web.jobs.actions import start_job
from recitant_web.jobs.queries import is_under_way
from recitant_web.programme.models import ROLES, Programme, Source, SourceKind
from recitant_words.sentences import fit_sentence, gain_text

EDGE_FADE_SAMPLES = RATE_HZ // 200  # 5 ms: a clip neither starts nor ends with a click


def set_gain(programme: Programme, user: User, target: tuple[str, str], gain_db: float, revision: int) -> Edit | None:
    """The gain of a clip, a track or a stem, as one edit; None where it is that already.

    Args:
        target: "clip", "track" or "stem", and which: a row of this programme, or the role of a stem.
        gain_db: rounded to hundredths.
        revision: that the user saw.

    Raises:
        EditRefused: a gain out of range, or a target that is not there. StaleRevision: someone else was faster.
    """
    if not (math.isfinite(gain_db) and LEAST_GAIN_DB <= gain_db <= MOST_GAIN_DB):
        raise EditRefused("gain_out_of_range", found=f"{gain_db:g}", least_db=LEAST_GAIN_DB, most_db=MOST_GAIN_DB)
    gain_db = round(gain_db, 2)
    with transaction.atomic():
        locked = lock(programme, revision)
        row, name = _target(locked, *target)
        if row.gain_db == gain_db:
            return None
        change = {"table": target[0], "id": row.pk, "set": {"gain_db": [row.gain_db, gain_db]}}
        return record(locked, user, f"{name} to {gain_text(gain_db)} dB", [change])


def choose_spec(programme: Programme, user: User, spec_id: str, revision: int) -> Programme:
    """Another specification to balance for, as one edit.

    Raises:
        UnknownSpec: no such specification. StaleRevision: someone else was faster.
    """
    spec = spec_by_id(spec_id)
    with transaction.atomic():
        locked = lock(programme, revision)
        if locked.spec_id == spec_id:
            return locked
        change = {"table": "programme", "id": locked.pk, "set": {"spec_id": [locked.spec_id, spec_id]}}
        record(locked, user, f"deliver to {spec.name}", [change])
    return locked


def lay_out(programme: Programme, tracks: list[dict[str, Any]]) -> None:
    """Tracks with their clips, as the first edit of a programme.

    Args:
        tracks: name, role, gain_db, pan, and clips: the fields of a clip row each, with a ready source.
    """
    with transaction.atomic():
        locked = Programme.objects.select_for_update().get(pk=programme.pk)
        changes = []
        for position, data in enumerate(tracks):
            fields = {name: data[name] for name in ("name", "role", "gain_db", "pan")}
            track = Track.objects.create(programme=locked, position=position, **fields)
            changes.append(inserted("track", track))
            changes += [inserted("clip", Clip.objects.create(track=track, **clip)) for clip in data["clips"]]
        record(locked, None, f"{len(tracks)} tracks laid out", [], changes)


def place_source(source: Source) -> None:
    """The clip of a source that became ready: on a track of its role with room there, or on a new one."""
    programme = Programme.objects.select_for_update().get(pk=source.programme_id)
    name = source.name.rsplit(".", 1)[0] or source.name
    # What begins before the programme is cut there, so that the rest stays in sync.
    in_sample = min(max(0, -source.at_sample), source.length_samples - 1)
    start, length = max(0, source.at_sample), source.length_samples - in_sample
    track, made = _track_with_room(programme, source, name, SampleSpan(start, length))
    clip = Clip.objects.create(
        track=track,
        source=source,
        name=name[:255],
        start_sample=start,
        in_sample=in_sample,
        length_samples=length,
        fade_in_samples=min(EDGE_FADE_SAMPLES, length // 2),
        fade_out_samples=min(EDGE_FADE_SAMPLES, length // 2),
    )
    record(programme, None, f"{name[:150]} brought in", [], [*made, inserted("clip", clip)])


def _track_with_room(programme: Programme, source: Source, name: str, span: SampleSpan) -> tuple[Track, list[Change]]:
    if source.kind == SourceKind.TAKE or span.start_sample > 0:
        for track in programme.tracks.filter(role=source.role).order_by("position"):
            clips = track.clips.values_list("start_sample", "length_samples")
            if all(SampleSpan(start, length).intersect(span) is None for start, length in clips):
                return track, []
    last = programme.tracks.aggregate(last=Max("position"))["last"]
    position = 0 if last is None else last + 1
    track = Track.objects.create(programme=programme, name=name[:255], role=source.role, position=position)
    return track, [inserted("track", track)]


def measure_again(programme: Programme) -> None:
    """Send a programme to be measured whose exact stems are not known, as after their store was thrown away."""
    plan = plan_of(programme)
    payload = {"programme_id": programme.pk, "revision": programme.revision}
    if plan.span.length_samples == 0 or exact_stems(plan) is not None:
        return
    with transaction.atomic():
        if not is_under_way(programme.workspace, EXAMINE, payload):
            start_job(programme.workspace, EXAMINE, payload)


def examine(programme_id: int, revision: int, progress: Progress) -> str:
    """The exact figures of a revision, and its fit to the programme's specification; kept under the plan's hash.

    Raises:
        Cancelled: the programme moved on meanwhile.
    """

    def still(share: float) -> None:
        if not Programme.objects.filter(pk=programme_id, revision=revision).exists():
            raise Cancelled("cancelled")
        progress(share)

    programme = Programme.objects.get(pk=programme_id)
    if programme.revision != revision:
        raise Cancelled("cancelled")
    plan = plan_of(programme)
    if plan.span.length_samples == 0:
        raise PlanError("nothing_to_mix", field="tracks")
    key = plan_key(plan)
    sources = sources_of_plan(programme)
    known_energies(plan, Budget(None))
    tidy(Path(settings.MEDIA_ROOT) / "chained")
    if not Verdict.objects.filter(programme=programme, plan_key=key).exists() or exact_stems(plan) is None:
        meter = StemMeter(plan)
        trial, _ = measure_mix(
            plan, sources, lambda share: still(0.3 * share), lambda segment: meter.feed(segment.stems)
        )
        keep_stem_levels(stem_levels_folder(), key, meter.energies())
        figures = readings_data(trial.readings) | {"dialogue_lufs": finite(trial.dialogue_lufs)}
        Verdict.objects.get_or_create(programme=programme, plan_key=key, defaults={"figures": figures})
    spec = spec_of(programme)
    if not FitResult.objects.filter(programme=programme, plan_key=key, spec_id=spec.spec_id).exists():
        found = fit(plan, sources, spec, lambda share: still(0.3 + 0.7 * share))
        FitResult.objects.get_or_create(
            programme=programme,
            plan_key=key,
            spec_id=spec.spec_id,
            defaults={
                "gain_db": found.trial.master.gain_db,
                "ceiling_dbtp": found.trial.master.ceiling_dbtp,
                "is_reached": found.state is FitState.REACHED,
                "sentence": fit_sentence(found),
            },
        )
    return "Measured."


def _target(programme: Programme, target: str, target_id: str) -> tuple[Any, str]:
    if target == "stem" and target_id in dict(ROLES):
        row, _ = Stem.objects.get_or_create(programme=programme, role=target_id)
        return row, f"{row.get_role_display()} stem"
    found = None
    if target_id.isdecimal() and target == "clip":
        found = Clip.objects.filter(pk=target_id, track__programme=programme).first()
    elif target_id.isdecimal() and target == "track":
        found = Track.objects.filter(pk=target_id, programme=programme).first()
    if found is None:
        raise EditRefused("gone")
    return found, f"{found.name[:120]} {target}"
