"""Chains and rides of tracks, stems and the master: rows to values, and what differs, in rows."""

from typing import Any

from recitant_core.gain.envelope import CurvePoint
from recitant_core.gain.trim import Trim, TrimScene
from recitant_core.processors.model import Chain, chain_data
from recitant_core.timeline.changes import Change
from recitant_core.timeline.model import Plan, Ride
from recitant_core.units.roles import Role
from recitant_web.desk import models
from recitant_web.desk.log import inserted
from recitant_web.desk.mapping.clips import balanced_to_data
from recitant_web.programme.models import Programme


def ride_from_data(data: dict[str, Any]) -> Ride:
    """A ride as it is stored."""
    points = tuple(CurvePoint(int(at), float(gain_db)) for at, gain_db in data.get("points", ()))
    return Ride(points, bool(data.get("is_first", False)))


def ride_to_data(ride: Ride) -> dict[str, Any]:
    """A ride as it is stored and sent to the page; empty for none."""
    if not ride.points:
        return {}
    return {"points": [[p.at_sample, p.gain_db] for p in ride.points], "is_first": ride.is_first}


def stem_row(programme: Programme, role: Role, made: list[Change]) -> models.Stem:
    """The row of a stem; one that had to be made first goes to what was carried out already."""
    row, is_new = models.Stem.objects.get_or_create(programme=programme, role=role.value)
    if is_new:
        made.append(inserted("stem", row))
    return row


def strip_changes(programme: Programme, before: Plan, after: Plan, made: list[Change]) -> list[Change]:
    """Differences of chains, rides and places in the mix of tracks, stems and master, in rows.

    Args:
        made: changes that were carried out already; rows that had to be made first are added.
    """
    changes: list[Change] = []

    def compared(table: str, pk: int, pairs: dict[str, tuple[Any, Any]]) -> None:
        changed = {name: [old, new] for name, (old, new) in pairs.items() if old != new}
        if changed:
            changes.append({"table": table, "id": pk, "set": changed})

    was = {track.track_id: track for track in before.tracks}
    for track in after.tracks:
        old = was.get(track.track_id)
        if old is None:
            continue
        if old.chain is not track.chain or old.ride is not track.ride:
            compared("track", int(track.track_id), _strip_pairs(old.chain, track.chain, old.ride, track.ride))
        compared("track", int(track.track_id), {"is_out": (old.is_out, track.is_out)})
    if before.stem_chains is not after.stem_chains or before.stem_rides is not after.stem_rides:
        for role in sorted({*before.stems_set, *after.stems_set}):
            chains = before.stem_chain(role), after.stem_chain(role)
            rides = before.stem_ride(role), after.stem_ride(role)
            if chains[0] != chains[1] or rides[0] != rides[1]:
                row = stem_row(programme, role, made)
                compared("stem", row.pk, _strip_pairs(*chains, *rides))
    changes += _stem_levels(programme, before, after, made)
    if before.programme_gain_db != after.programme_gain_db:
        compared("programme", programme.pk, {"programme_gain_db": (before.programme_gain_db, after.programme_gain_db)})
    if before.master_chain is not after.master_chain:
        pair = (chain_data(before.master_chain), chain_data(after.master_chain))
        compared("programme", programme.pk, {"master_chain": pair})
    return changes


def trim_from_data(data: list[Any]) -> Trim:
    """A trim as it is stored."""
    return tuple(TrimScene(int(start), float(gain_db), bool(is_kept)) for start, gain_db, is_kept in data)


def trim_to_data(trim: Trim) -> list[Any]:
    """A trim as it is stored and sent to the page."""
    return [[scene.start_sample, scene.gain_db, scene.is_kept] for scene in trim]


def _stem_levels(programme: Programme, before: Plan, after: Plan, made: list[Change]) -> list[Change]:
    """Differences of stems' trims and of what a first balance set on them, in rows."""
    if before.stem_trims is after.stem_trims and before.stem_balanced is after.stem_balanced:
        return []
    changes: list[Change] = []
    for role in sorted({*before.stems_set, *after.stems_set}):
        pairs = {
            "trim": (trim_to_data(before.stem_trim(role)), trim_to_data(after.stem_trim(role))),
            "balanced": (
                balanced_to_data(before.stem_balanced.get(role)),
                balanced_to_data(after.stem_balanced.get(role)),
            ),
        }
        changed = {name: [old, new] for name, (old, new) in pairs.items() if old != new}
        if changed:
            row = stem_row(programme, role, made)
            changes.append({"table": "stem", "id": row.pk, "set": changed})
    return changes


def _strip_pairs(old_chain: Chain, chain: Chain, old_ride: Ride, ride: Ride) -> dict[str, tuple[Any, Any]]:
    return {
        "chain": (chain_data(old_chain), chain_data(chain)),
        "ride": (ride_to_data(old_ride), ride_to_data(ride)),
    }
