"""Edits of markers."""

from typing import Literal

from msgspec import Struct

from recitant_core.delivery.orders.chapters import MOST_CHAPTERS
from recitant_core.errors import EditRefused, NotThere
from recitant_core.units.timecode import timecode_from_samples
from recitant_text.steps import label
from recitant_web.desk import models
from recitant_web.desk.edits.registry import RowChanges, RowEdit, row_change
from recitant_web.desk.log import deleted, inserted
from recitant_web.programme.models import Programme
from recitant_web.shared.shapes import Id, Place, Text

MarkerKind = Literal["sync", "note", "chapter"]


class AddMarker(RowEdit, frozen=True, kw_only=True, tag="marker-add"):
    """Another marker."""

    marker: MarkerKind
    at_sample: Place
    text: Text = Text()

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        marker = models.Marker.objects.create(
            programme=programme, kind=self.marker, at_sample=self.at_sample, text=self.text
        )
        at = timecode_from_samples(marker.at_sample, programme.frame_rate)
        return label("marker-added", kind=marker.kind, at=at), [], [inserted("marker", marker)]


class SetMarker(RowEdit, frozen=True, kw_only=True, tag="marker-set"):
    """A marker changed; what is not given stays."""

    id: Id
    marker: MarkerKind | None = None
    at_sample: Place | None = None
    text: Text | None = None

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        marker = programme.markers.filter(pk=self.id).first()
        if marker is None:
            raise NotThere()
        given = {"kind": self.marker, "at_sample": self.at_sample, "text": self.text}
        changes = row_change("marker", marker, {name: value for name, value in given.items() if value is not None})
        return label("marker-changed", kind=marker.kind, text=marker.text), changes, []


class ChapterRow(Struct, frozen=True, kw_only=True):
    """A chapter as it is listed."""

    at_sample: Place
    text: Text


class SetChapters(RowEdit, frozen=True, kw_only=True, tag="chapters"):
    """All chapters anew, in order; what stays as it is keeps its number."""

    chapters: list[ChapterRow]

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        if len(self.chapters) > MOST_CHAPTERS:
            raise EditRefused("too_many_chapters", most=MOST_CHAPTERS)
        wanted = sorted((row.at_sample, str(row.text)) for row in self.chapters)
        there = list(programme.markers.filter(kind="chapter").order_by("at_sample", "pk"))
        changes, made = [], []
        for marker, (at_sample, text) in zip(there, wanted, strict=False):
            changes += row_change("marker", marker, {"at_sample": at_sample, "text": text})
        changes += [deleted("marker", marker) for marker in there[len(wanted) :]]
        for at_sample, text in wanted[len(there) :]:
            row = models.Marker.objects.create(programme=programme, kind="chapter", at_sample=at_sample, text=text)
            made.append(inserted("marker", row))
        return label("chapters", n=len(wanted)), changes, made


class RemoveMarker(RowEdit, frozen=True, kw_only=True, tag="marker-remove"):
    """A marker taken away."""

    id: Id

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        marker = programme.markers.filter(pk=self.id).first()
        if marker is None:
            raise NotThere()
        return label("marker-removed", kind=marker.kind, text=marker.text), [deleted("marker", marker)], []
