"""Edits of tracks: roles, names, order, and the picture lock."""

from typing import Final

from recitant_core.errors import EditRefused, NotThere
from recitant_core.timeline.changes import Change
from recitant_core.timeline.laying import name_stem
from recitant_core.units.roles import Role
from recitant_text.steps import label
from recitant_web.accounts.queries import is_role_of
from recitant_web.desk import models
from recitant_web.desk.edits.registry import RowChanges, RowEdit, row_change
from recitant_web.desk.log import deleted, inserted
from recitant_web.desk.placing import MOST_TRACKS
from recitant_web.programme.models import Programme, Source, SourceState
from recitant_web.shared.shapes import Db, Id, Ids, Name, RoleName, Samples, Text

SHADES: Final = 4
LEAST_HEIGHT_PX: Final = 28
MOST_HEIGHT_PX: Final = 240


def require_role(programme: Programme, role: str) -> None:
    """Refuse what tracks of a programme cannot be.

    Raises:
        EditRefused: a stem that the workspace does not have.
    """
    if not is_role_of(programme.workspace, role):
        raise EditRefused("no_such_stem")


class SetRole(RowEdit, frozen=True, kw_only=True, tag="role"):
    """Set the role of recordings: their clips go to a track of that role.

    Others whose role was guessed and whose name differs by its number alone follow: they are read again with what a
    person said of their like.
    """

    source_ids: Ids
    role: RoleName

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        require_role(programme, self.role)
        named = list(programme.sources.filter(pk__in=self.source_ids))
        role = self.role
        if not named:
            raise NotThere()
        sources = named + _of_like_names(programme, named)
        changes: list[Change] = []
        for source in sources:
            told = {"role": [source.role, role], "role_reasons": [source.role_reasons, []]}
            changed = {name: pair for name, pair in told.items() if pair[0] != pair[1]}
            if changed:
                changes.append({"table": "source", "id": source.pk, "set": changed})
        moved, made = _in_tracks_of(programme, role, [source for source in sources if source.role != role])
        changes += moved
        n_alike = len(sources) - len(named)
        return label("role", name=named[0].name, n=len(named), n_alike=n_alike, role=str(role)), changes, made


def _in_tracks_of(programme: Programme, role: str, sources: list[Source]) -> tuple[list[Change], list[Change]]:
    """Changes that bring the clips of recordings into tracks of a role, and the tracks made for that.

    A track that holds nothing else takes the role; of others, what is meant goes to one new track each.
    """
    clips = models.Clip.objects.filter(source__in=sources, track__programme=programme).exclude(track__role=role)
    changes: list[Change] = []
    made: list[Change] = []
    by_track: dict[int, list[models.Clip]] = {}
    for clip in clips.select_related("track", "source").order_by("track__position", "start_sample"):
        by_track.setdefault(clip.track_id, []).append(clip)
    for position, mine in enumerate(by_track.values(), programme.tracks.count()):
        track, names = mine[0].track, {clip.source.name.rsplit(".", 1)[0] for clip in mine}
        if not track.clips.exclude(pk__in=[clip.pk for clip in mine]).exists():
            renamed = {"name": [track.name, Role(role).label]} if track.name == Role(track.role).label else {}
            changes.append({"table": "track", "id": track.pk, "set": {"role": [track.role, role]} | renamed})
            continue
        name = names.pop() if len(names) == 1 else Role(role).label
        new = models.Track.objects.create(programme=programme, name=name[:255], role=role, position=position)
        made.append(inserted("track", new))
        changes += [{"table": "clip", "id": clip.pk, "set": {"track_id": [track.pk, new.pk]}} for clip in mine]
    return changes, made


def _of_like_names(programme: Programme, named: list[Source]) -> list[Source]:
    stems = {_stem(source) for source in named}
    guessed = programme.sources.filter(state=SourceState.READY).exclude(role_reasons=[])
    others = guessed.exclude(pk__in=[source.pk for source in named])
    return [source for source in others if _stem(source) in stems]


def _stem(source: Source) -> str:
    return name_stem(source.name.rsplit(".", 1)[0])


class AddTrack(RowEdit, frozen=True, kw_only=True, tag="track-add"):
    """Another track."""

    role: RoleName
    name: Text = Text()

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        require_role(programme, self.role)
        if programme.tracks.count() >= MOST_TRACKS:
            raise EditRefused("too_many_tracks")
        last = programme.tracks.order_by("-position").first()
        track = models.Track.objects.create(
            programme=programme,
            name=self.name or Role(self.role).label,
            role=self.role,
            position=last.position + 1 if last else 0,
        )
        return label("track-added", name=track.name), [], [inserted("track", track)]


class SetTrack(RowEdit, frozen=True, kw_only=True, tag="track-set"):
    """Settings of a track; what is not given stays."""

    id: Id
    name: Name | None = None
    role: RoleName | None = None
    height_px: Samples | None = None
    shade: Samples | None = None
    is_mono: bool | None = None
    pan: Db | None = None

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        track = programme.tracks.filter(pk=self.id).first()
        if track is None:
            raise NotThere()
        if self.role is not None and self.role != track.role:
            require_role(programme, self.role)
        given = {
            "name": self.name,
            "role": self.role,
            "height_px": _height(self.height_px),
            "shade": self.shade if self.shade is None else min(SHADES - 1, max(0, self.shade)),
            "pan": self.pan if self.pan is None else min(1.0, max(-1.0, self.pan)),
            "is_mono": self.is_mono,
        }
        wanted = {name: value for name, value in given.items() if value is not None}
        changes = row_change("track", track, wanted)
        changed = changes[0]["set"] if changes else {}
        return label("track-set", name=wanted.get("name", track.name), set=list(changed)), changes, []


class LaneHeights(RowEdit, frozen=True, kw_only=True, tag="lane-heights"):
    """All tracks as high as one another, or each higher or lower by a factor."""

    height_px: Samples | None = None
    by_percent: Samples = Samples(100)

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        changes: list[Change] = []
        for track in programme.tracks.all():
            asked = self.height_px if self.height_px is not None else track.height_px * self.by_percent // 100
            changes += row_change("track", track, {"height_px": _height(Samples(asked))})
        return label("track-heights"), changes, []


class OrderTrack(RowEdit, frozen=True, kw_only=True, tag="track-order"):
    """A track moved up or down."""

    id: Id
    to: Samples

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        tracks = list(programme.tracks.order_by("position", "pk"))
        track = next((t for t in tracks if t.pk == self.id.number), None)
        if track is None:
            raise NotThere()
        tracks.remove(track)
        tracks.insert(min(max(0, self.to), len(tracks)), track)
        changes = [
            {"table": "track", "id": t.pk, "set": {"position": [t.position, place]}}
            for place, t in enumerate(tracks)
            if t.position != place
        ]
        return label("track-moved", name=track.name), changes, []


class RemoveTrack(RowEdit, frozen=True, kw_only=True, tag="track-remove"):
    """A track taken away with its clips."""

    id: Id

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        track = programme.tracks.filter(pk=self.id).first()
        if track is None:
            raise NotThere()
        changes = [deleted("clip", clip) for clip in track.clips.all()]
        changes += [deleted("duck", duck) for duck in track.ducks.all()] + [deleted("track", track)]
        return label("track-removed", name=track.name), changes, []


def _height(height_px: Samples | None) -> int | None:
    return None if height_px is None else min(MOST_HEIGHT_PX, max(LEAST_HEIGHT_PX, height_px))


class LockPicture(RowEdit, frozen=True, kw_only=True, tag="lock"):
    """Whether clips may move in time."""

    is_locked: bool = False

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        step = label("picture-locked" if self.is_locked else "picture-unlocked")
        return step, row_change("programme", programme, {"is_picture_locked": self.is_locked}), []
