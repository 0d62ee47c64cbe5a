"""Edits of tracks: roles, names, order, and the picture lock."""

from typing import Final, Literal

from recitant_core.errors import EditRefused
from recitant_core.timeline.changes import Change
from recitant_web.desk import models
from recitant_web.desk.edits.registry import RowChanges, RowEdit, row_change
from recitant_web.desk.log import deleted, inserted
from recitant_web.programme.models import Programme
from recitant_web.shared.shapes import Db, Id, Ids, Name, Samples, Text

MOST_TRACKS: Final = 200


RoleName = Literal["dialogue", "music", "effects", "ambience"]


class SetRole(RowEdit, frozen=True, kw_only=True, tag="role"):
    """What some recordings are: their clips go to a track of that role."""

    source_ids: Ids
    role: RoleName

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        sources = list(programme.sources.filter(pk__in=self.source_ids))
        role = self.role
        if not sources:
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


class AddTrack(RowEdit, frozen=True, kw_only=True, tag="track-add"):
    """Another track."""

    role: RoleName
    name: Text = Text()

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        if programme.tracks.count() >= MOST_TRACKS:
            raise EditRefused("too_many_tracks")
        last = programme.tracks.order_by("-position").first()
        track = models.Track.objects.create(
            programme=programme,
            name=self.name or self.role.capitalize(),
            role=self.role,
            position=last.position + 1 if last else 0,
        )
        return f"track {track.name} added", [], [inserted("track", track)]


class SetTrack(RowEdit, frozen=True, kw_only=True, tag="track-set"):
    """Settings of a track; what is not given stays."""

    id: Id
    name: Name | None = None
    role: RoleName | None = None
    height_px: Samples | None = None
    is_mono: bool | None = None
    pan: Db | None = None

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        track = programme.tracks.filter(pk=self.id).first()
        if track is None:
            raise EditRefused("gone")
        given = {
            "name": self.name,
            "role": self.role,
            "height_px": self.height_px if self.height_px is None else min(240, max(28, self.height_px)),
            "pan": self.pan if self.pan is None else min(1.0, max(-1.0, self.pan)),
            "is_mono": self.is_mono,
        }
        wanted = {name: value for name, value in given.items() if value is not None}
        changes = row_change("track", track, wanted)
        changed = changes[0]["set"] if changes else {}
        words = {"name": "named", "role": "role", "height_px": "height", "pan": "pan", "is_mono": "mono or stereo"}
        return f"track {wanted.get('name', track.name)}: {', '.join(words[n] for n in changed)}", changes, []


class OrderTrack(RowEdit, frozen=True, kw_only=True, tag="track-order"):
    """A track moved up or down."""

    id: Id
    to: Samples

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        tracks = list(programme.tracks.order_by("position", "pk"))
        track = next((t for t in tracks if t.pk == self.id.number), None)
        if track is None:
            raise EditRefused("gone")
        tracks.remove(track)
        tracks.insert(min(max(0, self.to), len(tracks)), track)
        changes = [
            {"table": "track", "id": t.pk, "set": {"position": [t.position, place]}}
            for place, t in enumerate(tracks)
            if t.position != place
        ]
        return f"track {track.name} moved", changes, []


class RemoveTrack(RowEdit, frozen=True, kw_only=True, tag="track-remove"):
    """A track taken away with its clips."""

    id: Id

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        track = programme.tracks.filter(pk=self.id).first()
        if track is None:
            raise EditRefused("gone")
        changes = [deleted("clip", clip) for clip in track.clips.all()]
        changes += [deleted("duck", duck) for duck in track.ducks.all()] + [deleted("track", track)]
        return f"track {track.name} removed", changes, []


class LockPicture(RowEdit, frozen=True, kw_only=True, tag="lock"):
    """Whether clips may move in time."""

    is_locked: bool = False

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        label = "picture locked" if self.is_locked else "picture unlocked"
        return label, row_change("programme", programme, {"is_picture_locked": self.is_locked}), []
