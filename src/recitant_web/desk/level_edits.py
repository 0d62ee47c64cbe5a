"""Edits of the Level page: chains, rides, gains of many clips, evening out, speakers, meter zones."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from recitant_core.balance.evening import THINNED_DB, speaker_ride, thinned
from recitant_core.errors import EditRefused
from recitant_core.gain.envelope import CurvePoint, curve_db
from recitant_core.measure.clearance import speech_mask
from recitant_core.processors.model import Chain, chain_from_data
from recitant_core.render.estimate import clip_energy
from recitant_core.timeline import edits
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Plan, Ride, Role
from recitant_core.timeline.speaking import speech_of_clip
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_web.desk.bridge import speech_of
from recitant_web.desk.level_measures import ZONES, evened_gains
from recitant_web.desk.log import Change
from recitant_web.desk.sounds import known_energies
from recitant_web.programme.models import Programme
from recitant_words.chains import difference_words
from recitant_words.sentences import gain_text

Data = dict[str, Any]
_MOST_RIDE_POINTS = 20_000
_EDGE_SAMPLES = RATE_HZ // 50  # a ride that was recorded meets what was there within 20 ms
_BACK_SAMPLES = RATE_HZ // 2  # a fader let go finds back within half a second


def target_chain(plan: Plan, target: str, target_id: str) -> Chain:
    """The chain of a clip, a track, a stem or the master.

    Raises:
        EditRefused: no such target.
    """
    if target == "clip":
        found = edits.clips_by_id(plan).get(target_id)
        if found is not None:
            return found[1].chain
    elif target == "track":
        track = next((t for t in plan.tracks if t.track_id == target_id), None)
        if track is not None:
            return track.chain
    elif target == "stem" and target_id in set(Role):
        return plan.stem_chain(Role(target_id))
    elif target == "master":
        return plan.master_chain
    raise EditRefused("gone")


def with_chain(plan: Plan, target: str, ids: list[str], chain: Chain) -> Plan:
    """A plan with another chain on clips, tracks, stems or the master.

    Raises:
        EditRefused: no such target.
    """
    for target_id in ids:
        target_chain(plan, target, target_id)
    if target == "clip":
        return edits.set_clips(plan, ids, lambda clip: replace(clip, chain=chain))
    if target == "track":
        tracks = tuple(replace(t, chain=chain) if t.track_id in ids else t for t in plan.tracks)
        return replace(plan, tracks=tracks)
    if target == "stem":
        return replace(plan, stem_chains=plan.stem_chains | {Role(one): chain for one in ids})
    return replace(plan, master_chain=chain)


def _chain(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    target, ids = data["target"], data["ids"]
    before = target_chain(plan, target, ids[0])
    chain = chain_from_data(data["chain"])
    return with_chain(plan, target, ids, chain), f"{_named(plan, target, ids)}: {difference_words(before, chain)}"[:200]


def _named(plan: Plan, target: str, ids: list[str]) -> str:
    if target == "master":
        return "Master"
    if len(ids) > 1:
        return f"{len(ids)} {target}s"
    if target == "stem":
        return f"{ids[0].capitalize()} stem"
    if target == "track":
        return next(t.name for t in plan.tracks if t.track_id == ids[0])[:80]
    return edits.clips_by_id(plan)[ids[0]][1].name[:80]


def ride_of(plan: Plan, target: str, target_id: str) -> Ride:
    """The ride of a track or a stem.

    Raises:
        EditRefused: no such target.
    """
    if target == "stem" and target_id in set(Role):
        return plan.stem_ride(Role(target_id))
    track = next((t for t in plan.tracks if t.track_id == target_id), None)
    if target != "track" or track is None:
        raise EditRefused("gone")
    return track.ride


def _ride(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    target, target_id = data["target"], data["id"]
    before = ride_of(plan, target, target_id)
    points = data["points"]
    if any(not LEAST_GAIN_DB <= gain_db <= MOST_GAIN_DB for _, gain_db in points):
        raise EditRefused("gain_out_of_range", found="a point", least_db=LEAST_GAIN_DB, most_db=MOST_GAIN_DB)
    if data["mode"] == "set":
        made = points
        what = "ride" if points else "ride cleared"
    else:
        if len(points) < 2:
            raise EditRefused("no_ride")
        made = recorded_ride(before, points, data["mode"], plan.span.end_sample)
        what = "ride recorded"
    ride = Ride(tuple(CurvePoint(at, gain_db) for at, gain_db in made[:_MOST_RIDE_POINTS]), data["is_first"])
    name = _named(plan, target, [target_id])
    where = "before" if ride.is_first else "after"
    label = f"{name}: {what}" + (f", {where} the processors" if made else "")
    if target == "stem":
        return replace(plan, stem_rides=plan.stem_rides | {Role(target_id): ride}), label
    tracks = tuple(replace(t, ride=ride) if t.track_id == target_id else t for t in plan.tracks)
    return replace(plan, tracks=tracks), label


def recorded_ride(before: Ride, points: list[tuple[int, float]], mode: str, end_sample: int) -> list[tuple[int, float]]:
    """A ride with what a hand recorded laid into it, thinned to few points.

    Args:
        points: place and gain as the fader had it, at least two.
        mode: "touch": only while it was held, then back; "latch": its last gain stays to the end; "overwrite": from
            the first place to the last, nothing of the old ride between.
    """
    places = dict(sorted((max(0, at), round(gain_db, 2)) for at, gain_db in points))
    drawn = thinned(list(places.items()), THINNED_DB)
    first, last = drawn[0][0], drawn[-1][0]
    old = [(p.at_sample, p.gain_db) for p in before.points]

    def old_db(at: int) -> float:
        return float(curve_db(before.points, np.array([float(at)]))[0]) if before.points else 0.0

    start = max(0, first - _EDGE_SAMPLES)
    kept = [point for point in old if point[0] < start]
    into = [(start, round(old_db(start), 2))] if start < first else []
    if mode == "latch":
        return [*kept, *into, *drawn, *([(end_sample, drawn[-1][1])] if end_sample > last else [])]
    back = last + (_BACK_SAMPLES if mode == "touch" else _EDGE_SAMPLES)
    return [*kept, *into, *drawn, (back, round(old_db(back), 2)), *[point for point in old if point[0] > back]]


def _gains(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    wanted = dict(data["gains"])
    for gain_db in wanted.values():
        if not LEAST_GAIN_DB <= gain_db <= MOST_GAIN_DB:
            raise EditRefused(
                "gain_out_of_range", found=gain_text(gain_db), least_db=LEAST_GAIN_DB, most_db=MOST_GAIN_DB
            )
    after = edits.set_clips(plan, list(wanted), lambda clip: replace(clip, gain_db=round(wanted[clip.clip_id], 2)))
    n = len(wanted)
    return after, f"gain of {n} clip{'s' if n != 1 else ''} set"


def _even_out(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    steps = evened_gains(programme, plan, data["ids"], data["options"])
    if not steps:
        raise EditRefused("nothing_to_even")
    gains = {step.clip_id: step.gain_db for step in steps}
    after = edits.set_clips(plan, list(gains), lambda clip: replace(clip, gain_db=gains[clip.clip_id]))
    unit = "dBFS peak" if data["options"]["by"] == "peak" else "LUFS"
    goal = f"{data['options']['goal']:g}".replace("-", "−")
    return after, f"{len(gains)} clips evened out to {goal} {unit}, {100 * data['options']['strength']:.0f} %"


def _ride_clips(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    """A slow curve inside long clips that follows who speaks."""
    speech = speech_of(programme)
    energies = known_energies(plan)
    known = edits.clips_by_id(plan)
    curves = {}
    for clip_id in data["ids"]:
        if clip_id not in known:
            continue
        track, clip = known[clip_id]
        bare = replace(clip, curve=(), fade_in_samples=0, fade_out_samples=0)
        _, energy = clip_energy(bare, track, 0.0, energies[clip.sound_key])
        spans = [SampleSpan(s.start_sample - clip.start_sample, s.length_samples) for s in speech_of_clip(clip, speech)]
        mask = speech_mask(spans, len(energy))
        points = speaker_ride(
            energy, mask, strength=data["strength"], most_db=data["most_db"], slope_db_per_s=data["slope_db_per_s"]
        )
        if len(points) > 1:
            curves[clip_id] = tuple(p for p in points if p.at_sample <= clip.length_samples)
    if not curves:
        raise EditRefused("no_long_speech")
    after = edits.set_clips(plan, list(curves), lambda clip: replace(clip, curve=curves[clip.clip_id]))
    return after, f"{_named(plan, 'clip', list(curves))}: curve that follows the speaker"


def _speaker(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    after = edits.set_clips(plan, data["ids"], lambda clip: replace(clip, speaker=data["name"][:80]))
    return after, f"{_named(plan, 'clip', data['ids'])}: {data['name'] or 'no'} speaker"


def _zones(programme: Programme, data: Data) -> tuple[str, list[Change], list[Change]]:
    zones = {name: data[name] for name in ZONES}
    ordered = [zones["quiet_lu"], -zones["near_lu"], zones["near_lu"], zones["loud_lu"]]
    if sorted(ordered) != ordered or zones["near_lu"] <= 0 or zones["peak_dbfs"] > 0:
        raise EditRefused("zones_out_of_order")
    change = {"table": "programme", "id": programme.pk, "set": {"meter_zones": [programme.meter_zones, zones]}}
    return "zones of the meters", [change] if programme.meter_zones != zones else [], []


LEVEL_PLAN_EDITS: dict[str, Callable[[Programme, Plan, Data], tuple[Plan, str]]] = {
    "chain": _chain,
    "ride": _ride,
    "gains": _gains,
    "even-out": _even_out,
    "ride-clips": _ride_clips,
    "speaker": _speaker,
}
LEVEL_ROW_EDITS = {"zones": _zones}
