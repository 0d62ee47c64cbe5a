"""Edits of the Arrange page that touch rows and no clip's sound: tracks, roles, markers, the picture lock."""

from collections.abc import Callable
from typing import Any, Final

from recitant_core.errors import EditRefused
from recitant_core.units.timecode import timecode_from_samples
from recitant_web.desk import models
from recitant_web.desk.log import Change, deleted, inserted
from recitant_web.programme.models import ROLES, Programme

Data = dict[str, Any]
MOST_TRACKS: Final = 200


def _role(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    """What some recordings are: their clips go to a track of that role."""
    sources = list(programme.sources.filter(pk__in=data["source_ids"]))
    role = data["role"]
    if not sources or role not in dict(ROLES):
        raise EditRefused("gone")
    changes: list[Change] = []
    made: list[Change] = []
    position = programme.tracks.count()
    for source in sources:
        if source.role == role:
            continue
        changes.append({"table": "source", "id": source.pk, "set": {"role": [source.role, role]}})
        clips = list(models.Clip.objects.filter(source=source, track__programme=programme).select_related("track"))
        for track in {clip.track_id: clip.track for clip in clips if clip.track.role != role}.values():
            if not track.clips.exclude(source=source).exists():
                changes.append({"table": "track", "id": track.pk, "set": {"role": [track.role, role]}})
                continue
            new = models.Track.objects.create(
                programme=programme, name=source.name.rsplit(".", 1)[0][:255], role=role, position=position
            )
            position += 1
            made.append(inserted("track", new))
            changes += [
                {"table": "clip", "id": clip.pk, "set": {"track_id": [track.pk, new.pk]}}
                for clip in clips
                if clip.track_id == track.pk
            ]
    what = sources[0].name if len(sources) == 1 else f"{len(sources)} recordings"
    return f"{what}: {role}", changes, made


def _add_track(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    if data["role"] not in dict(ROLES):
        raise EditRefused("gone")
    if programme.tracks.count() >= MOST_TRACKS:
        raise EditRefused("too_many_tracks")
    last = programme.tracks.order_by("-position").first()
    track = models.Track.objects.create(
        programme=programme,
        name=data["name"] or data["role"].capitalize(),
        role=data["role"],
        position=last.position + 1 if last else 0,
    )
    return f"track {track.name} added", [], [inserted("track", track)]


def _set_track(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    track = programme.tracks.filter(pk=data["id"]).first()
    if track is None:
        raise EditRefused("gone")
    wanted = {
        name: data[name] for name in ("name", "role", "height_px", "pan", "is_mono") if data.get(name) is not None
    }
    if wanted.get("role", track.role) not in dict(ROLES):
        raise EditRefused("gone")
    changed = {name: [getattr(track, name), value] for name, value in wanted.items() if getattr(track, name) != value}
    changes = [{"table": "track", "id": track.pk, "set": changed}] if changed else []
    words = {"name": "named", "role": "role", "height_px": "height", "pan": "pan", "is_mono": "mono or stereo"}
    return f"track {wanted.get('name', track.name)}: {', '.join(words[n] for n in changed)}", changes, []


def _order_track(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    tracks = list(programme.tracks.order_by("position", "pk"))
    track = next((t for t in tracks if t.pk == data["id"]), None)
    if track is None:
        raise EditRefused("gone")
    tracks.remove(track)
    tracks.insert(min(max(0, data["to"]), len(tracks)), track)
    changes = [
        {"table": "track", "id": t.pk, "set": {"position": [t.position, place]}}
        for place, t in enumerate(tracks)
        if t.position != place
    ]
    return f"track {track.name} moved", changes, []


def _remove_track(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    track = programme.tracks.filter(pk=data["id"]).first()
    if track is None:
        raise EditRefused("gone")
    changes = [deleted("clip", clip) for clip in track.clips.all()]
    changes += [deleted("duck", duck) for duck in track.ducks.all()] + [deleted("track", track)]
    return f"track {track.name} removed", changes, []


def _add_marker(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    marker = models.Marker.objects.create(
        programme=programme, kind=data["marker"], at_sample=data["at_sample"], text=data["text"]
    )
    at = timecode_from_samples(marker.at_sample, programme.frame_rate)
    return f"{marker.get_kind_display().lower()} at {at}", [], [inserted("marker", marker)]


def _set_marker(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    marker = programme.markers.filter(pk=data["id"]).first()
    if marker is None:
        raise EditRefused("gone")
    wanted = {"kind": data["marker"], "at_sample": data["at_sample"], "text": data["text"]}
    changed = {n: [getattr(marker, n), v] for n, v in wanted.items() if v is not None and getattr(marker, n) != v}
    changes = [{"table": "marker", "id": marker.pk, "set": changed}] if changed else []
    return f"marker {marker.text or marker.get_kind_display().lower()} changed", changes, []


def _remove_marker(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    marker = programme.markers.filter(pk=data["id"]).first()
    if marker is None:
        raise EditRefused("gone")
    return f"marker {marker.text or marker.get_kind_display().lower()} removed", [deleted("marker", marker)], []


def _lock_picture(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    if programme.is_picture_locked == data["is_locked"]:
        return "", [], []
    change = {"is_picture_locked": [programme.is_picture_locked, data["is_locked"]]}
    label = "picture locked" if data["is_locked"] else "picture unlocked"
    return label, [{"table": "programme", "id": programme.pk, "set": change}], []


ROW_EDITS: dict[str, Callable[[Programme, Data], tuple[str, list[Change], list[Change]]]] = {
    "role": _role,
    "track-add": _add_track,
    "track-set": _set_track,
    "track-order": _order_track,
    "track-remove": _remove_track,
    "marker-add": _add_marker,
    "marker-set": _set_marker,
    "marker-remove": _remove_marker,
    "lock": _lock_picture,
}
