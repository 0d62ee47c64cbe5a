"""Edits of markers."""

from typing import Literal

from recitant_core.errors import EditRefused
from recitant_core.units.timecode import timecode_from_samples
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
        return f"{marker.get_kind_display().lower()} at {at}", [], [inserted("marker", marker)]


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
            raise EditRefused("gone")
        given = {"kind": self.marker, "at_sample": self.at_sample, "text": self.text}
        changes = row_change("marker", marker, {name: value for name, value in given.items() if value is not None})
        return f"marker {marker.text or marker.get_kind_display().lower()} changed", changes, []


class RemoveMarker(RowEdit, frozen=True, kw_only=True, tag="marker-remove"):
    """A marker taken away."""

    id: Id

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        marker = programme.markers.filter(pk=self.id).first()
        if marker is None:
            raise EditRefused("gone")
        return f"marker {marker.text or marker.get_kind_display().lower()} removed", [deleted("marker", marker)], []
