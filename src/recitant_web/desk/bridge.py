"""Rows to core values: the only file of this app that knows both."""

import hashlib
import json
import uuid
from collections import OrderedDict
from dataclasses import replace
from threading import Lock
from typing import Any

from django.db import transaction

from recitant_core.delivery.catalogue import spec_by_id
from recitant_core.delivery.spec import Spec
from recitant_core.errors import StaleRevision
from recitant_core.gain.envelope import CurvePoint, FadeShape
from recitant_core.interchange.plan_json import plan_to_data
from recitant_core.measure.meter import Readings
from recitant_core.ports import SampleSource
from recitant_core.timeline.edits import NEW
from recitant_core.timeline.model import Clip, Master, Plan, Role, Track
from recitant_core.units.arrays import FloatArray
from recitant_core.units.channels import Routing
from recitant_core.units.clock import SampleSpan
from recitant_web.desk import models
from recitant_web.desk.log import Change, deleted, inserted
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import source_energy, stored_source


def plan_of(programme: Programme) -> Plan:
    """The plan of a programme at the revision of this row."""
    return _loaded(programme.pk, programme.revision)[0]


def sources_of_plan(programme: Programme) -> dict[str, SampleSource]:
    """Every recording the plan names, ready to be read."""
    channels = _loaded(programme.pk, programme.revision)[1]
    return {key: stored_source(key, n_channels) for key, n_channels in channels}


def energies_of_plan(programme: Programme) -> dict[str, FloatArray]:
    """The 10 ms energies of every recording the plan names."""
    channels = _loaded(programme.pk, programme.revision)[1]
    return {key: source_energy(key) for key, _ in channels}


def plan_key(plan: Plan) -> str:
    """A hash of all that makes the sound of a plan: equal keys, equal bits."""
    sources = {clip.source_key: clip.source_key for track in plan.tracks for clip in track.clips}
    data = plan_to_data(plan, sources) | {"title": "", "frame_rate": ""}
    return hashlib.sha256(json.dumps(data, sort_keys=True).encode()).hexdigest()


def readings_from_data(data: dict[str, float | None]) -> Readings:
    """Readings as they were stored; what has no value there is silent."""
    silence = float("-inf")
    true_peak, sample_peak = data["true_peak_dbtp"], data["sample_peak_dbfs"]
    return Readings(
        data["integrated_lufs"],
        data["range_lu"],
        data["max_momentary_lufs"],
        data["max_short_term_lufs"],
        silence if true_peak is None else true_peak,
        silence if sample_peak is None else sample_peak,
    )


def spec_of(programme: Programme) -> Spec:
    """The specification the programme is balanced for."""
    return spec_by_id(programme.spec_id)


def master_of(fit: "models.FitResult") -> Master:
    """The master setting of a stored fit."""
    return Master(fit.gain_db, fit.ceiling_dbtp)


Loaded = tuple[Plan, frozenset[tuple[str, int]]]
_KEPT_PLANS = 32
_plans: "OrderedDict[tuple[int, int], Loaded]" = OrderedDict()
_plans_lock = Lock()


def _loaded(programme_id: int, revision: int) -> Loaded:
    # A revision never changes once it is written, so its plan may be kept: one transaction reads it, locked
    # against an edit that would slip in between.
    found = _plans.get((programme_id, revision))
    if found is not None:
        return found
    with transaction.atomic():
        programme = Programme.objects.select_for_update().get(pk=programme_id)
        if programme.revision != revision:
            raise StaleRevision("stale_revision", seen=revision, now=programme.revision)
        found = _read(programme)
    _keep(programme_id, revision, found)
    return found


def keep_plan(programme: Programme, after: Plan) -> None:
    """Remember the plan that an edit made, once it is committed, so that nobody has to read it again.

    Args:
        programme: at its new revision, inside the transaction that made it.
        after: with the ids of rows, and only with recordings that the plan before it named too.
    """
    before = _plans.get((programme.pk, programme.revision - 1))
    if before is not None:
        pk, revision = programme.pk, programme.revision
        transaction.on_commit(lambda: _keep(pk, revision, (after, before[1])))


def _keep(programme_id: int, revision: int, loaded: Loaded) -> None:
    with _plans_lock:
        _plans[programme_id, revision] = loaded
        while len(_plans) > _KEPT_PLANS:
            _plans.popitem(last=False)


def forget_plans() -> None:
    """Drop every kept plan; for tests, whose databases start anew."""
    with _plans_lock:
        _plans.clear()


def clip_of_row(row: "models.Clip") -> Clip:
    """A clip row as the core knows it."""
    fields = [getattr(row, name) for name in _CLIP_COLUMNS if name != "source__sha256"]
    return _clip_of_columns(fields[0], row.source.sha256, *fields[1:])


def _clip_of_columns(  # type: ignore[no-untyped-def]
    pk,
    sha256,
    start,
    in_sample,
    length,
    gain_db,
    fade_in,
    fade_out,
    curve,
    fade_in_shape,
    fade_out_shape,
    routing,
    reversed_channels,
    dc_offset,
    left_out,
    name,
    group,
    mended,
) -> Clip:
    return Clip(
        str(pk),
        sha256,
        start,
        in_sample,
        length,
        gain_db,
        fade_in,
        fade_out,
        tuple(CurvePoint(int(at), float(at_db)) for at, at_db in curve),
        FadeShape(fade_in_shape),
        FadeShape(fade_out_shape),
        Routing(routing),
        tuple(reversed_channels),
        tuple(dc_offset),
        tuple(SampleSpan(at, count) for at, count in left_out),
        name,
        group,
        tuple(mended),
    )


def clip_fields(clip: Clip) -> dict[str, Any]:
    """The fields of a clip row that the core decides on; its track and source are told apart from it."""
    return {
        "name": clip.name,
        "start_sample": clip.start_sample,
        "in_sample": clip.in_sample,
        "length_samples": clip.length_samples,
        "gain_db": clip.gain_db,
        "fade_in_samples": clip.fade_in_samples,
        "fade_out_samples": clip.fade_out_samples,
        "fade_in_shape": clip.fade_in_shape.value,
        "fade_out_shape": clip.fade_out_shape.value,
        "curve": [[point.at_sample, point.gain_db] for point in clip.curve],
        "routing": clip.routing.value,
        "reversed_channels": list(clip.reversed_channels),
        "dc_offset": list(clip.dc_offset),
        "left_out": [[span.start_sample, span.length_samples] for span in clip.left_out],
        "group": clip.group,
        "mended": list(clip.mended),
    }


def changes_between(programme: Programme, before: Plan, after: Plan) -> tuple[list[Change], list[Change], Plan]:
    """What an edit of the plan changes in rows.

    Returns:
        Changes to carry out; changes carried out already (new rows); the plan with the ids that new rows got.
    """
    named: dict[str, Clip] = {}
    was = {clip.clip_id: (track.track_id, clip) for track in before.tracks for clip in track.clips}
    now = {clip.clip_id: (track.track_id, clip) for track in after.tracks for clip in track.clips}
    changes: list[Change] = []
    made: list[Change] = []
    groups: dict[str, str] = {}
    sources = {}
    known = {track.track_id for track in before.tracks}
    fresh = [int(track.track_id) for track in after.tracks if track.track_id not in known]
    made += [inserted("track", row) for row in models.Track.objects.filter(pk__in=fresh)]
    for clip_id, (track_id, edited) in now.items():
        clip = edited
        if clip.group.startswith(NEW):
            clip = replace(edited, group=groups.setdefault(edited.group, uuid.uuid4().hex[:12]))
            named[clip_id] = clip
        if clip_id in was:
            old_track, old = was[clip_id]
            if old is clip and old_track == track_id:
                continue
            old_fields, fields = clip_fields(old), clip_fields(clip)
            changed = {name: [old_fields[name], value] for name, value in fields.items() if old_fields[name] != value}
            if old_track != track_id:
                changed["track_id"] = [int(old_track), int(track_id)]
            if changed:
                changes.append({"table": "clip", "id": int(clip_id), "set": changed})
            continue
        if clip.source_key not in sources:
            sources[clip.source_key] = programme.sources.filter(sha256=clip.source_key).values_list("pk", flat=True)[0]
        row = models.Clip.objects.create(
            track_id=int(track_id), source_id=sources[clip.source_key], **clip_fields(clip)
        )
        made.append(inserted("clip", row))
        named[clip_id] = replace(clip, clip_id=str(row.pk))
    gone = [int(clip_id) for clip_id in was if clip_id not in now]
    changes += [deleted("clip", row) for row in models.Clip.objects.filter(pk__in=gone)]
    return changes, made, _renamed(after, named)


def _renamed(plan: Plan, named: dict[str, Clip]) -> Plan:
    if not named:
        return plan
    tracks = []
    for track in plan.tracks:
        clips = [named.get(clip.clip_id, clip) for clip in track.clips]
        tracks.append(
            replace(track, clips=tuple(sorted(clips, key=lambda clip: (clip.start_sample, int(clip.clip_id)))))
        )
    return replace(plan, tracks=tuple(tracks))


def lengths_of_plan(programme: Programme) -> dict[str, int]:
    """Length in samples of every recording that a clip of the programme can hold."""
    return dict(programme.sources.filter(length_samples__isnull=False).values_list("sha256", "length_samples"))  # type: ignore[attr-defined]


_CLIP_COLUMNS = (
    "pk",
    "source__sha256",
    "start_sample",
    "in_sample",
    "length_samples",
    "gain_db",
    "fade_in_samples",
    "fade_out_samples",
    "curve",
    "fade_in_shape",
    "fade_out_shape",
    "routing",
    "reversed_channels",
    "dc_offset",
    "left_out",
    "name",
    "group",
    "mended",
)


def _read(programme: Programme) -> Loaded:
    stems = {Role(stem.role): stem.gain_db for stem in models.Stem.objects.filter(programme=programme) if stem.gain_db}
    rows = models.Clip.objects.filter(track__programme=programme).order_by("start_sample", "pk")
    by_track: dict[int, list[Clip]] = {}
    channels = set()
    # Columns, not rows as objects: a programme of a thousand clips is read in a quarter of the time.
    for track_id, n_channels, *columns in rows.values_list("track_id", "source__n_channels", *_CLIP_COLUMNS):
        by_track.setdefault(track_id, []).append(_clip_of_columns(*columns))
        channels.add((columns[1], n_channels))
    tracks = tuple(
        Track(str(row.pk), row.name, Role(row.role), row.gain_db, row.pan, tuple(by_track.get(row.pk, ())), row.is_mono)
        for row in models.Track.objects.filter(programme=programme).order_by("position", "pk")
    )
    return Plan(programme.title, programme.frame_rate, tracks, stems), frozenset(channels)
