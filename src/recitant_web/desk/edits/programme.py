"""Edits of what the programme as a whole is balanced for: its specification, a fader, the zones of its meters."""

from typing import Any, Literal

from msgspec import Struct

from recitant_core.errors import EditRefused, NotThere
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import is_role
from recitant_core.units.timecode import FRAME_RATES
from recitant_text.steps import label
from recitant_web.desk.edits.registry import RowChanges, RowEdit, row_change
from recitant_web.desk.models import Clip, Stem, Track
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import ZONES
from recitant_web.shared.shapes import Db, Name, Samples, ZoneLevel
from recitant_web.specifications.queries import spec_named


class SetGain(RowEdit, frozen=True, kw_only=True, tag="gain"):
    """The gain of a clip, a track or a stem."""

    target: str
    id: str
    gain_db: Db

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        _require_gain(self.gain_db)
        gain_db = round(float(self.gain_db), 2)
        row, what = _target(programme, self.target, self.id)
        step = label("gain-set", what=what, gain_db=gain_db)
        return step, row_change(self.target, row, {"gain_db": gain_db}), []


class NewFades(Struct, frozen=True, kw_only=True):
    """The fades that new clips get."""

    in_samples: Samples
    out_samples: Samples
    shape: Literal["equal-power", "equal-gain", "smooth", "early", "late"] = "equal-power"

    def data(self) -> dict[str, Any]:
        """Data for the row; no fade is longer than a minute."""
        longest = 60 * RATE_HZ
        lengths = {name: min(longest, max(0, getattr(self, name))) for name in ("in_samples", "out_samples")}
        return {**lengths, "shape": self.shape}


class SetProgrammeGain(RowEdit, frozen=True, kw_only=True, tag="programme-gain"):
    """The gain of the whole mix, before the limiter."""

    gain_db: Db

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        _require_gain(self.gain_db)
        gain_db = round(float(self.gain_db), 2)
        step = label("programme-gain", gain_db=gain_db)
        return step, row_change("programme", programme, {"programme_gain_db": gain_db}), []


class ChooseSpec(RowEdit, frozen=True, kw_only=True, tag="spec"):
    """Another specification to balance for."""

    spec_id: str

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        spec = spec_named(programme.workspace_id, self.spec_id)
        step = label("specification", name=spec.name)
        return step, row_change("programme", programme, {"spec_id": spec.spec_id}), []


class SetProgramme(RowEdit, frozen=True, kw_only=True, tag="programme-set"):
    """Title, frame rate, place of the picture, fades of new clips; what is not given stays."""

    title: Name | None = None
    frame_rate: str | None = None
    picture_offset_samples: Samples | None = None
    new_fades: NewFades | None = None

    def changed(self, programme: Programme) -> RowChanges:
        """See RowEdit."""
        if self.frame_rate is not None and self.frame_rate not in FRAME_RATES:
            raise EditRefused("not_a_frame_rate", found=self.frame_rate, known=", ".join(FRAME_RATES))
        given = {
            "title": self.title,
            "frame_rate": self.frame_rate,
            "picture_offset_samples": self.picture_offset_samples,
            "new_fades": None if self.new_fades is None else self.new_fades.data(),
        }
        changes = row_change("programme", programme, {name: v for name, v in given.items() if v is not None})
        if "picture_offset_samples" in (changes[0]["set"] if changes else {}) and programme.is_picture_locked:
            raise EditRefused("picture_locked")
        step = label("programme", set={name: given[name] for name in (changes[0]["set"] if changes else {})})
        return step, changes, []


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
        return label("meter-zones"), row_change("programme", programme, {"meter_zones": zones}), []


def _require_gain(gain_db: float) -> None:
    if not LEAST_GAIN_DB <= gain_db <= MOST_GAIN_DB:
        raise EditRefused("gain_out_of_range", found=f"{gain_db:g}", least_db=LEAST_GAIN_DB, most_db=MOST_GAIN_DB)


def _target(programme: Programme, target: str, target_id: str) -> tuple[Any, dict[str, str]]:
    if target == "stem" and is_role(target_id):
        row, _ = Stem.objects.get_or_create(programme=programme, role=target_id)
        return row, {"stem": target_id}
    found: Any = None
    if target_id.isdecimal() and target == "clip":
        found = Clip.objects.filter(pk=target_id, track__programme=programme).first()
    elif target_id.isdecimal() and target == "track":
        found = Track.objects.filter(pk=target_id, programme=programme).first()
    if found is None:
        raise NotThere()
    return found, {target: found.name[:120]}
