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
from recitant_core.gain.ducking import DuckKind, DuckPoint, Points
from recitant_core.gain.envelope import CurvePoint, FadeShape
from recitant_core.intake.findings import Finding, Remedy, Severity
from recitant_core.interchange.plan_json import plan_to_data, rule_from_data, rule_to_data
from recitant_core.measure.meter import Readings
from recitant_core.ports import SampleSource
from recitant_core.processors.model import chain_data, chain_from_data
from recitant_core.speech.activity import SpeechSpan
from recitant_core.speech.marking import SpeechMark, corrected
from recitant_core.timeline.edits import NEW
from recitant_core.timeline.model import Clip, Duck, Master, Plan, Role, Track
from recitant_core.units.channels import Routing
from recitant_core.units.clock import SampleSpan
from recitant_web.desk import models
from recitant_web.desk.log import Change, deleted, inserted
from recitant_web.desk.strips import ride_from_data, strip_changes
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import stored_source


def plan_of(programme: Programme) -> Plan:
    """The plan of a programme at the revision of this row, which is brought up to date where others have moved on."""
    return _loaded(programme)[0]


def plan_of_rows(programme: Programme, rows: dict[str, Any]) -> Plan:
    """The plan that kept rows describe, as a version holds them; recordings that are gone are left out."""
    keys = dict(programme.sources.filter(n_channels__isnull=False).values_list("pk", "sha256"))  # type: ignore[attr-defined]
    by_track: dict[int, list[Clip]] = {}
    for values in rows["clip"].values():
        row = models.Clip(**values)
        if row.source_id in keys:
            fields = [getattr(row, name) for name in _CLIP_COLUMNS if name != "source__sha256"]
            by_track.setdefault(row.track_id, []).append(_clip_of_columns(fields[0], keys[row.source_id], *fields[1:]))
    tracks = tuple(
        _track_of_row(row, tuple(by_track.get(row.pk, ())))
        for row in sorted((models.Track(**v) for v in rows["track"].values()), key=lambda row: (row.position, row.pk))
    )
    kept = rows.get("programme", {}).get(str(programme.pk), {})
    return _plan_of(
        programme,
        tracks,
        [models.Stem(**values) for values in rows["stem"].values()],
        [models.Duck(**values) for values in rows.get("duck", {}).values()],
        kept.get("master_chain", []),
    )


def sources_of_plan(programme: Programme) -> dict[str, SampleSource]:
    """Every recording the plan names, ready to be read."""
    channels = _loaded(programme)[1]
    return {key: stored_source(key, n_channels) for key, n_channels in channels}


def plan_key(plan: Plan) -> str:
    """A hash of all that makes the sound of a plan: equal keys, equal bits."""
    sources = {clip.source_key: clip.source_key for track in plan.tracks for clip in track.clips}
    # Of a rule that draws a curve only the curve sounds.
    ducks = tuple(_sounding(duck) for duck in plan.ducks)
    data = plan_to_data(replace(plan, ducks=ducks), sources) | {"title": "", "frame_rate": ""}
    return hashlib.sha256(json.dumps(data, sort_keys=True).encode()).hexdigest()


def _sounding(duck: Duck) -> Duck:
    rule = duck.rule
    if rule.kind is DuckKind.CURVE:
        rule = replace(rule_from_data({}), room=rule.room, uses_level=rule.uses_level)
    points = tuple(replace(point, is_pinned=False) for point in duck.points)
    return replace(duck, rule=rule, points=points)


def speech_of(programme: Programme) -> dict[str, list[SpeechSpan]]:
    """Corrected speech of every recording that has some, by its key."""
    rows = programme.sources.filter(length_samples__isnull=False).exclude(speech=[], speech_marks=[])  # type: ignore[attr-defined]
    found = {}
    for sha256, speech, marks in rows.values_list("sha256", "speech", "speech_marks"):
        spans = [SpeechSpan(start, length, confidence) for start, length, confidence in speech]
        found[sha256] = corrected(spans, marks_from_data(marks))
    return found


def marks_from_data(marks: list[Any]) -> tuple[SpeechMark, ...]:
    """Corrections of speech as they are stored."""
    return tuple(SpeechMark(start, length, bool(is_speech)) for start, length, is_speech in marks)


def marks_to_data(marks: tuple[SpeechMark, ...]) -> list[Any]:
    """Corrections of speech as they are stored."""
    return [[mark.start_sample, mark.length_samples, mark.is_speech] for mark in marks]


def findings_from_data(data: list[dict[str, Any]]) -> list[Finding]:
    """What intake found, as far as remedies go."""
    return [
        Finding(
            found["code"],
            Severity(found["severity"]),
            remedies=tuple(remedy_from_data(remedy) for remedy in found["remedies"]),
        )
        for found in data
    ]


def remedy_from_data(data: dict[str, Any]) -> Remedy:
    """A remedy as it is stored with a source."""
    keep, left_out = data.get("keep"), data.get("left_out")
    return Remedy(
        data["code"],
        bool(data["is_safe"]),
        routing=Routing(data["routing"]) if "routing" in data else None,
        reversed_channels=tuple(data["reversed_channels"]) if "reversed_channels" in data else None,
        dc_offset=tuple(data["dc_offset"]) if "dc_offset" in data else None,
        gain_change_db=data.get("gain_change_db"),
        keep=SampleSpan(*keep) if keep is not None else None,
        left_out=tuple(SampleSpan(*span) for span in left_out) if left_out is not None else None,
    )


def duck_of_row(row: "models.Duck") -> Duck:
    """A duck row as the core knows it."""
    stem = Role(row.stem) if row.stem else None
    track_id = "" if row.track_id is None else str(row.track_id)
    rule = rule_from_data(row.rule)
    return Duck(str(row.pk), stem, track_id, rule, _points(row.points), _points(row.room_points))


def duck_fields(duck: Duck) -> dict[str, Any]:
    """The fields of a duck row that the core decides on."""
    return {
        "rule": rule_to_data(duck.rule),
        "points": points_data(duck.points),
        "room_points": points_data(duck.room_points),
    }


def points_data(points: Points) -> list[list[Any]]:
    """Points as they are stored and sent to the page."""
    return [[p.at_sample, p.gain_db, p.is_pinned] for p in points]


def _present(duck: Duck, tracks: tuple[Track, ...]) -> Duck | None:
    # What a duck names may have gone or become dialogue since: it comes back when that does.
    voices = {track.track_id for track in tracks if track.role is Role.DIALOGUE}
    if duck.stem is None and (duck.track_id in voices or duck.track_id not in {t.track_id for t in tracks}):
        return None
    keys = tuple(key for key in duck.rule.keys if key in voices)
    return duck if keys == duck.rule.keys else replace(duck, rule=replace(duck.rule, keys=keys))


def _points(data: list[Any]) -> Points:
    return tuple(DuckPoint(int(at), float(gain_db), bool(is_pinned)) for at, gain_db, is_pinned in data)


def plan_now(programme: Programme) -> Plan:
    """The plan as the rows have it inside this transaction, which nobody else sees yet."""
    return _read(programme)[0]


def duck_changes(programme: Programme, before: Plan, after: Plan) -> tuple[list[Change], list[Change], dict[str, str]]:
    """What differs in ducks, in rows: changes to carry out, changes carried out already, and ids that new rows got."""
    was = {duck.duck_id: duck for duck in before.ducks}
    changes: list[Change] = []
    made: list[Change] = []
    names: dict[str, str] = {}
    for duck in after.ducks:
        fields = duck_fields(duck)
        if duck.duck_id in was:
            old = duck_fields(was[duck.duck_id])
            changed = {name: [old[name], value] for name, value in fields.items() if old[name] != value}
            if changed:
                changes.append({"table": "duck", "id": int(duck.duck_id), "set": changed})
            continue
        stem = duck.stem.value if duck.stem is not None else ""
        row = models.Duck.objects.create(
            programme=programme, stem=stem, track_id=int(duck.track_id) if duck.track_id else None, **fields
        )
        made.append(inserted("duck", row))
        names[duck.duck_id] = str(row.pk)
    gone = [int(duck_id) for duck_id in was if duck_id not in {duck.duck_id for duck in after.ducks}]
    changes += [deleted("duck", row) for row in models.Duck.objects.filter(pk__in=gone)]
    return changes, made, names


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


def _loaded(programme: Programme) -> Loaded:
    # A revision never changes once it is written, so its plan may be kept.
    found = _plans.get((programme.pk, programme.revision))
    while found is None:
        # Without a lock: rows read between two equal revisions belong to that revision, since an edit writes its rows
        # and the new revision in one transaction. A row that others have moved past is brought up to date.
        before = _revision(programme)
        if before != programme.revision:
            programme.refresh_from_db()
        read = _read(programme)
        if _revision(programme) == programme.revision:
            found = read
            _keep(programme.pk, programme.revision, found)
    return found


def _revision(programme: Programme) -> int:
    return Programme.objects.values_list("revision", flat=True).get(pk=programme.pk)


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
    chain,
    speaker,
    is_room_tone,
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
        chain_from_data(chain),
        speaker,
        is_room_tone,
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
        "chain": chain_data(clip.chain),
        "speaker": clip.speaker,
        "is_room_tone": clip.is_room_tone,
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
    final = _renamed(after, named)
    stems = {role: after.stem_gain_db(role) for role in Role if after.stem_gain_db(role) != before.stem_gain_db(role)}
    for role, gain_db in stems.items():
        row, _ = models.Stem.objects.get_or_create(programme=programme, role=role.value)
        changes.append({"table": "stem", "id": row.pk, "set": {"gain_db": [row.gain_db, gain_db]}})
    changes += strip_changes(programme, before, after)
    if before.ducks is not after.ducks:
        duck_rows, made_ducks, duck_names = duck_changes(programme, before, after)
        changes, made = changes + duck_rows, made + made_ducks
        final = with_duck_names(final, duck_names)
    return changes, made, final


def with_duck_names(plan: Plan, names: dict[str, str]) -> Plan:
    """The plan with the ids that new ducks got as rows."""
    if not names:
        return plan
    ducks = tuple(replace(duck, duck_id=names.get(duck.duck_id, duck.duck_id)) for duck in plan.ducks)
    return replace(plan, ducks=ducks)


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
    "chain",
    "speaker",
    "is_room_tone",
)


def _read(programme: Programme) -> Loaded:
    rows = models.Clip.objects.filter(track__programme=programme).order_by("start_sample", "pk")
    by_track: dict[int, list[Clip]] = {}
    channels = set()
    # Columns, not rows as objects: a programme of a thousand clips is read in a quarter of the time.
    for track_id, n_channels, *columns in rows.values_list("track_id", "source__n_channels", *_CLIP_COLUMNS):
        by_track.setdefault(track_id, []).append(_clip_of_columns(*columns))
        channels.add((columns[1], n_channels))
    tracks = tuple(
        _track_of_row(row, tuple(by_track.get(row.pk, ())))
        for row in models.Track.objects.filter(programme=programme).order_by("position", "pk")
    )
    stems = list(models.Stem.objects.filter(programme=programme))
    ducks = list(models.Duck.objects.filter(programme=programme).order_by("pk"))
    plan = _plan_of(programme, tracks, stems, ducks, programme.master_chain)
    return plan, frozenset(channels)


def _track_of_row(row: "models.Track", clips: tuple[Clip, ...]) -> Track:
    chain, ride = chain_from_data(row.chain), ride_from_data(row.ride)
    return Track(str(row.pk), row.name, Role(row.role), row.gain_db, row.pan, clips, row.is_mono, chain, ride)


def _plan_of(
    programme: Programme,
    tracks: tuple[Track, ...],
    stems: "list[models.Stem]",
    ducks: "list[models.Duck]",
    master_chain: list[Any],
) -> Plan:
    return Plan(
        programme.title,
        programme.frame_rate,
        tracks,
        {Role(stem.role): stem.gain_db for stem in stems if stem.gain_db},
        ducks=tuple(duck for row in ducks if (duck := _present(duck_of_row(row), tracks)) is not None),
        stem_chains={Role(stem.role): chain_from_data(stem.chain) for stem in stems if stem.chain},
        stem_rides={Role(stem.role): ride_from_data(stem.ride) for stem in stems if stem.ride},
        master_chain=chain_from_data(master_chain),
    )
