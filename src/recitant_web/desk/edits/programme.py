"""Edits of what the programme as a whole is balanced for: its specification, a fader, the zones of its meters."""

from typing import Any

from recitant_core.delivery.catalogue import spec_by_id
from recitant_core.errors import EditRefused
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB
from recitant_web.desk.edits.registry import RowChanges, RowEdit, row_change
from recitant_web.desk.models import Clip, Stem, Track
from recitant_web.programme.models import ROLES, Programme
from recitant_web.programme.queries import ZONES
from recitant_web.shared.shapes import Db, ZoneLevel
from recitant_words.sentences import gain_text


class SetGain(RowEdit, frozen=True, kw_only=True, tag="gain"):
    """The gain of a clip, a track or a stem."""

    target: str
    id: str
    gain_db: Db

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        _require_gain(self.gain_db)
        gain_db = round(float(self.gain_db), 2)
        row, name = _target(programme, self.target, self.id)
        return f"{name} to {gain_text(gain_db)} dB", row_change(self.target, row, {"gain_db": gain_db}), []


class SetProgrammeGain(RowEdit, frozen=True, kw_only=True, tag="programme-gain"):
    """The gain of the whole mix, before the limiter."""

    gain_db: Db

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        _require_gain(self.gain_db)
        gain_db = round(float(self.gain_db), 2)
        label = f"programme gain to {gain_text(gain_db)} dB"
        return label, row_change("programme", programme, {"programme_gain_db": gain_db}), []


class ChooseSpec(RowEdit, frozen=True, kw_only=True, tag="spec"):
    """Another specification to balance for."""

    spec_id: str

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        spec = spec_by_id(self.spec_id)
        return f"deliver to {spec.name}", row_change("programme", programme, {"spec_id": spec.spec_id}), []


class SetZones(RowEdit, frozen=True, kw_only=True, tag="zones"):
    """Zones of the meters."""

    quiet_lu: ZoneLevel
    near_lu: ZoneLevel
    loud_lu: ZoneLevel
    peak_dbfs: ZoneLevel

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        zones = {name: float(getattr(self, name)) for name in ZONES}
        ordered = [zones["quiet_lu"], -zones["near_lu"], zones["near_lu"], zones["loud_lu"]]
        if sorted(ordered) != ordered or zones["near_lu"] <= 0 or zones["peak_dbfs"] > 0:
            raise EditRefused("zones_out_of_order")
        return "zones of the meters", row_change("programme", programme, {"meter_zones": zones}), []


def _require_gain(gain_db: float) -> None:
    if not LEAST_GAIN_DB <= gain_db <= MOST_GAIN_DB:
        raise EditRefused("gain_out_of_range", found=f"{gain_db:g}", least_db=LEAST_GAIN_DB, most_db=MOST_GAIN_DB)


def _target(programme: Programme, target: str, target_id: str) -> tuple[Any, str]:
    if target == "stem" and target_id in dict(ROLES):
        row, _ = Stem.objects.get_or_create(programme=programme, role=target_id)
        return row, f"{row.get_role_display()} stem"
    found: Any = None
    if target_id.isdecimal() and target == "clip":
        found = Clip.objects.filter(pk=target_id, track__programme=programme).first()
    elif target_id.isdecimal() and target == "track":
        found = Track.objects.filter(pk=target_id, programme=programme).first()
    if found is None:
        raise EditRefused("gone")
    return found, f"{found.name[:120]} {target}"
