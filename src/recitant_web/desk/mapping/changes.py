"""What an edit of the plan changes in rows."""

import uuid
from dataclasses import replace

from recitant_core.timeline.changes import Change
from recitant_core.timeline.edits import NEW
from recitant_core.timeline.model import Clip, Plan
from recitant_web.desk import models
from recitant_web.desk.log import deleted, inserted
from recitant_web.desk.mapping.clips import clip_fields
from recitant_web.desk.mapping.ducks import duck_changes, with_duck_names
from recitant_web.desk.mapping.strips import stem_row, strip_changes
from recitant_web.programme.models import Programme


def changes_between(programme: Programme, before: Plan, after: Plan) -> tuple[list[Change], list[Change], Plan]:
    """Changes of rows between two plans.

    Returns:
        Changes to carry out; changes carried out already (new rows); the plan with the ids that new rows got.
    """
    known = {track.track_id for track in before.tracks}
    fresh = [int(track.track_id) for track in after.tracks if track.track_id not in known]
    made = [inserted("track", row) for row in models.Track.objects.filter(pk__in=fresh)]
    changes, made_clips, named = _clip_changes(programme, before, after)
    final = _renamed(after, named)
    changes += _gone_tracks(before, after)
    faders = {*before.stem_gains_db, *after.stem_gains_db}
    stems = {r: after.stem_gain_db(r) for r in sorted(faders) if after.stem_gain_db(r) != before.stem_gain_db(r)}
    for role, gain_db in stems.items():
        row = stem_row(programme, role, made)
        changes.append({"table": "stem", "id": row.pk, "set": {"gain_db": [row.gain_db, gain_db]}})
    changes += strip_changes(programme, before, after, made)
    made += made_clips
    if before.ducks is not after.ducks:
        duck_rows, made_ducks, duck_names = duck_changes(programme, before, after)
        changes, made = changes + duck_rows, made + made_ducks
        final = with_duck_names(final, duck_names)
    return changes, made, final


def _gone_tracks(before: Plan, after: Plan) -> list[Change]:
    left = {track.track_id for track in after.tracks}
    gone = [int(track.track_id) for track in before.tracks if track.track_id not in left]
    if not gone:
        return []
    # Ducks that the plan holds are compared as such; a row may stand there that it does not hold.
    held = [int(duck.duck_id) for duck in before.ducks]
    ducks = [deleted("duck", row) for row in models.Duck.objects.filter(track__in=gone).exclude(pk__in=held)]
    return ducks + [deleted("track", row) for row in models.Track.objects.filter(pk__in=gone)]


def _clip_changes(
    programme: Programme, before: Plan, after: Plan
) -> tuple[list[Change], list[Change], dict[str, Clip]]:
    # Changes to carry out, rows made already, and clips that got an id or a group as rows, by the id they had.
    same = {id(track) for track in before.tracks} & {id(track) for track in after.tracks}
    was = {clip.clip_id: (t.track_id, clip) for t in before.tracks if id(t) not in same for clip in t.clips}
    now = {clip.clip_id: (t.track_id, clip) for t in after.tracks if id(t) not in same for clip in t.clips}
    changes: list[Change] = []
    made: list[Change] = []
    named: dict[str, Clip] = {}
    groups: dict[str, str] = {}
    for clip_id, (track_id, edited) in now.items():
        clip = edited
        if clip.group.startswith(NEW):
            clip = replace(edited, group=groups.setdefault(edited.group, uuid.uuid4().hex[:12]))
            named[clip_id] = clip
        if clip_id in was:
            changes += _row_change(programme, clip_id, was[clip_id], (track_id, clip))
        else:
            source_id = _source_id(programme, clip.source_key)
            row = models.Clip.objects.create(track_id=int(track_id), source_id=source_id, **clip_fields(clip))
            made.append(inserted("clip", row))
            named[clip_id] = replace(clip, clip_id=str(row.pk))
    gone = [int(clip_id) for clip_id in was if clip_id not in now]
    changes += [deleted("clip", row) for row in models.Clip.objects.filter(pk__in=gone)]
    return changes, made, named


def _source_id(programme: Programme, source_key: str) -> int:
    return programme.sources.filter(sha256=source_key).values_list("pk", flat=True)[0]


def _row_change(programme: Programme, clip_id: str, was: tuple[str, Clip], now: tuple[str, Clip]) -> list[Change]:
    (old_track, old), (track_id, clip) = was, now
    if old is clip and old_track == track_id:
        return []
    old_fields, fields = clip_fields(old), clip_fields(clip)
    changed = {name: [old_fields[name], value] for name, value in fields.items() if old_fields[name] != value}
    if old_track != track_id:
        changed["track_id"] = [int(old_track), int(track_id)]
    if old.source_key != clip.source_key:
        changed["source_id"] = [_source_id(programme, key) for key in (old.source_key, clip.source_key)]
    return [{"table": "clip", "id": int(clip_id), "set": changed}] if changed else []


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
