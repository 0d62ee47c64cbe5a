"""Chains and rides by target: a clip, a track, a stem or the master; read from a plan, and set in a new one.

Held to: tests/core/test_strips.py
"""

from collections.abc import Collection
from dataclasses import replace

from recitant_core.errors import NotThere
from recitant_core.processors.model import Chain
from recitant_core.timeline.edits import clips_by_id, set_clips
from recitant_core.timeline.model import Plan, Ride
from recitant_core.units.roles import Role, is_role


def target_chain(plan: Plan, target: str, target_id: str) -> Chain:
    """The chain of a clip, a track, a stem or the master.

    Args:
        target: "clip", "track", "stem" or "master".
        target_id: of the clip or track, or the role of the stem; not read for the master.

    Raises:
        NotThere: no such target.
    """
    if target == "clip":
        found = clips_by_id(plan).get(target_id)
        if found is not None:
            return found[1].chain
    elif target == "track":
        track = next((t for t in plan.tracks if t.track_id == target_id), None)
        if track is not None:
            return track.chain
    elif target == "stem" and is_role(target_id):
        return plan.stem_chain(Role(target_id))
    elif target == "master":
        return plan.master_chain
    raise NotThere()


def with_chain(plan: Plan, target: str, ids: Collection[str], chain: Chain) -> Plan:
    """A plan with another chain on clips, tracks, stems or the master.

    Raises:
        EditRefused: no such target.
    """
    for target_id in ids:
        target_chain(plan, target, target_id)
    if target == "clip":
        return set_clips(plan, ids, lambda clip: replace(clip, chain=chain))
    if target == "track":
        tracks = tuple(replace(t, chain=chain) if t.track_id in ids else t for t in plan.tracks)
        return replace(plan, tracks=tracks)
    if target == "stem":
        return replace(plan, stem_chains=plan.stem_chains | {Role(one): chain for one in ids})
    return replace(plan, master_chain=chain)


def target_ride(plan: Plan, target: str, target_id: str) -> Ride:
    """The ride of a track or a stem.

    Raises:
        NotThere: no such target.
    """
    if target == "stem" and is_role(target_id):
        return plan.stem_ride(Role(target_id))
    track = next((t for t in plan.tracks if t.track_id == target_id), None)
    if target != "track" or track is None:
        raise NotThere()
    return track.ride


def with_ride(plan: Plan, target: str, target_id: str, ride: Ride) -> Plan:
    """A plan with another ride on a track or a stem.

    Raises:
        EditRefused: no such target.
    """
    target_ride(plan, target, target_id)
    if target == "stem":
        return replace(plan, stem_rides=plan.stem_rides | {Role(target_id): ride})
    tracks = tuple(replace(t, ride=ride) if t.track_id == target_id else t for t in plan.tracks)
    return replace(plan, tracks=tracks)


def without_chains(plan: Plan) -> Plan:
    """A plan without any chain or ride."""
    tracks = tuple(
        replace(t, chain=(), ride=Ride(), clips=tuple(replace(c, chain=()) if c.chain else c for c in t.clips))
        for t in plan.tracks
    )
    return replace(plan, tracks=tracks, stem_chains={}, stem_rides={}, stem_trims={}, master_chain=())
