"""Tracks and time put in order: clips to a track, tracks merged, stretches of time taken out or put in across tracks.

Held to: tests/core/test_arranging.py
"""

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace
from typing import Final, TypeVar

from recitant_core.errors import EditRefused, NotThere
from recitant_core.gain.ducking import DuckPoint
from recitant_core.gain.envelope import CurvePoint
from recitant_core.gain.trim import TrimScene
from recitant_core.processors.model import Chain, ValuePoint
from recitant_core.timeline.edits import LEAST_CLIP_SAMPLES, NEW, cut_clip, levelled
from recitant_core.timeline.model import MOST_LENGTH_SAMPLES, Clip, Plan, Ride, Track
from recitant_core.units.clock import SampleSpan

Point = TypeVar("Point", CurvePoint, DuckPoint, ValuePoint)
_ALL_TIME: Final = MOST_LENGTH_SAMPLES
Moved = tuple[int, bool]
"""Where a moment of the programme comes to lie, and whether it lay in what was taken out."""


def sent_to_track(plan: Plan, clip_ids: Collection[str], track_id: str) -> Plan:
    """Clips on another track, at the same time; their groups stay where they are.

    Raises:
        NotThere: no such track or clip.
    """
    moved = [clip for track in plan.tracks for clip in track.clips if clip.clip_id in clip_ids]
    if len(moved) < len(clip_ids) or track_id not in {track.track_id for track in plan.tracks}:
        raise NotThere()
    tracks = []
    for track in plan.tracks:
        kept = [clip for clip in track.clips if clip.clip_id not in clip_ids]
        if track.track_id == track_id:
            kept += moved
        tracks.append(track if len(kept) == len(track.clips) and track.track_id != track_id else _with(track, kept))
    return replace(plan, tracks=tuple(tracks))


def parted_out(plan: Plan, places: Collection[tuple[str, SampleSpan]], track_id: str) -> Plan:
    """Stretches of clips cut out and sent to another track, at the same time and level: faders are made up for.

    Args:
        places: clip and stretch of the programme.

    Raises:
        NotThere: no such track or clip, or a stretch outside of its clip.
    """
    into = next((track for track in plan.tracks if track.track_id == track_id), None)
    if into is None:
        raise NotThere()
    into_db = into.gain_db + plan.stem_gain_db(into.role)
    names, moved = Names.beside(plan), []
    # The last first: what lies before a stretch keeps the name of the clip.
    for clip_id, span in sorted(places, key=lambda place: -place[1].start_sample):
        found = next(((t, c) for t in plan.tracks for c in t.clips if c.clip_id == clip_id), None)
        part = None if found is None else part_of(found[1], span)
        if found is None or part is None:
            raise NotThere()
        track, clip = found
        before = part_of(clip, SampleSpan(0, span.start_sample))
        after = part_of(clip, SampleSpan(span.end_sample, _ALL_TIME))
        sent = replace(part, clip_id=names.another()) if before is not None else part
        rest = None if after is None else replace(after, clip_id=names.another())
        kept = [one for one in (before, rest) if one is not None]
        clips = [each for one in track.clips for each in (kept if one is clip else [one])]
        plan = replace(plan, tracks=tuple(_with(t, clips) if t is track else t for t in plan.tracks))
        by_db = round(track.gain_db + plan.stem_gain_db(track.role) - into_db, 2)
        moved.append(levelled(sent, by_db) if by_db else sent)
    tracks = (_with(t, [*t.clips, *moved]) if t.track_id == track_id else t for t in plan.tracks)
    return replace(plan, tracks=tuple(tracks))


def merged_into(plan: Plan, track_ids: Collection[str], into_id: str) -> Plan:
    """The clips of some tracks on one; the others are left empty. What a fader did becomes gain of the clips.

    Raises:
        NotThere: no such track.
        EditRefused: one with processors, a ride, a dip, a pan or a place in the mix of its own that its clips would
            lose; a gain that is none.
    """
    known = {track.track_id: track for track in plan.tracks}
    if into_id not in known or not set(track_ids) - {into_id} or not set(track_ids) <= known.keys():
        raise NotThere()
    into = known[into_id]
    clips = list(into.clips)
    for track_id in [one for one in known if one in track_ids and one != into_id]:
        track = known[track_id]
        if _settings(plan, track) != _settings(plan, into):
            raise EditRefused("track_has_settings", name=track.name, into=into.name)
        by_db = round(track.gain_db - into.gain_db, 2)
        clips += [levelled(clip, by_db) if by_db else clip for clip in track.clips]
    tracks = []
    for track in plan.tracks:
        if track is into:
            tracks.append(_with(track, clips))
        else:
            tracks.append(replace(track, clips=()) if track.track_id in track_ids else track)
    return replace(plan, tracks=tuple(tracks))


def _settings(plan: Plan, track: Track) -> tuple[object, ...]:
    own = plan.duck_of_track(track.track_id)
    return (
        track.role,
        track.chain,
        track.ride,
        track.pan,
        track.is_mono,
        track.is_out,
        None if own is None else replace(own, duck_id="", track_id=""),
    )


def gap_at(plan: Plan, at_sample: int, track_ids: Collection[str]) -> SampleSpan:
    """The stretch around a place in which no clip of some tracks lies.

    Raises:
        EditRefused: a clip lies there, or none comes after it.
    """
    spans = [clip.span for track in plan.tracks if track.track_id in track_ids for clip in track.clips]
    if any(span.start_sample <= at_sample < span.end_sample for span in spans):
        raise EditRefused("clip_in_gap")
    after = [span.start_sample for span in spans if span.start_sample > at_sample]
    if not after:
        raise EditRefused("nothing_behind")
    first = max((span.end_sample for span in spans if span.end_sample <= at_sample), default=0)
    return SampleSpan(first, min(after) - first)


def without_time(plan: Plan, gone: SampleSpan, track_ids: Collection[str]) -> Plan:
    """A stretch taken out of some tracks: what lies in it goes, clips over its edges are cut, what follows moves up.

    Rides and curves of these tracks move along, and those of a stem whose tracks all do.

    Raises:
        EditRefused: an empty stretch, or no such track.
    """
    if gone.length_samples <= 0 or gone.start_sample < 0:
        raise EditRefused("empty_stretch")
    names = Names.beside(plan)

    def shortened(clip: Clip) -> list[Clip]:
        before = part_of(clip, SampleSpan(0, gone.start_sample))
        after = part_of(clip, SampleSpan(gone.end_sample, _ALL_TIME))
        if before is not None and after is not None:
            after = replace(after, clip_id=names.another())
        moved = None if after is None else replace(after, start_sample=after.start_sample - gone.length_samples)
        return [part for part in (before, moved) if part is not None]

    def place(at_sample: int) -> Moved:
        if gone.start_sample <= at_sample < gone.end_sample:
            return gone.start_sample, True
        return (at_sample if at_sample < gone.start_sample else at_sample - gone.length_samples), False

    return _retimed(plan, track_ids, shortened, place)


def with_time(plan: Plan, at_sample: int, length_samples: int, track_ids: Collection[str]) -> Plan:
    """A stretch of silence put into some tracks: clips over the place are cut in two, what follows moves back.

    Raises:
        EditRefused: an empty stretch, no such track, or past the longest programme.
    """
    if length_samples <= 0:
        raise EditRefused("empty_stretch")
    names = Names.beside(plan)

    def parted(clip: Clip) -> list[Clip]:
        before = part_of(clip, SampleSpan(0, at_sample))
        after = part_of(clip, SampleSpan(at_sample, _ALL_TIME))
        # A clip over the place becomes two, of which the first keeps its id.
        if before is not None and after is not None:
            after = replace(after, clip_id=names.another())
        if after is not None:
            after = replace(after, start_sample=after.start_sample + length_samples)
            if after.span.end_sample > MOST_LENGTH_SAMPLES:
                raise EditRefused("past_longest")
        return [part for part in (before, after) if part is not None]

    def place(at: int) -> Moved:
        return (at if at < at_sample else at + length_samples), False

    return _retimed(plan, track_ids, parted, place)


@dataclass
class Names:
    """Ids for clips that an edit makes."""

    n: int = 0

    @classmethod
    def beside(cls, plan: Plan) -> "Names":
        """Ids that no clip of a plan has, with clips that edits before made."""
        made = (clip.clip_id for track in plan.tracks for clip in track.clips if clip.clip_id.startswith(NEW))
        return cls(max((int(one.removeprefix(NEW)) for one in made), default=0))

    def another(self) -> str:
        """One that was not given before."""
        self.n += 1
        return f"{NEW}{self.n}"


def part_of(clip: Clip, span: SampleSpan) -> Clip | None:
    """The part of a clip in a stretch; its fades stay at its own edges only."""
    part = clip.span.intersect(span)
    if part is None or part.length_samples < LEAST_CLIP_SAMPLES:
        return None
    if part == clip.span:
        return clip
    first = part.start_sample - clip.start_sample
    found = cut_clip(clip, first, first + part.length_samples)
    if first > 0:
        found = replace(found, fade_in_samples=0)
    return found if part.end_sample == clip.span.end_sample else replace(found, fade_out_samples=0)


def _retimed(
    plan: Plan,
    track_ids: Collection[str],
    clips_of: Callable[[Clip], list[Clip]],
    place: Callable[[int], Moved],
) -> Plan:
    """Tracks with their clips and curves on another time; place gives where a moment goes."""
    chosen = {track.track_id for track in plan.tracks} & set(track_ids)
    if not chosen or chosen != set(track_ids):
        raise NotThere()
    tracks = tuple(_retimed_track(t, clips_of, place) if t.track_id in chosen else t for t in plan.tracks)
    # A stem's curves belong to all its tracks: they move only where all of them do.
    whole = {
        role
        for role in {t.role for t in plan.tracks}
        if all(t.track_id in chosen for t in plan.tracks if t.role is role)
    }
    return replace(
        plan,
        tracks=tracks,
        stem_rides={r: _ride(ride, place) if r in whole else ride for r, ride in plan.stem_rides.items()},
        stem_trims={r: _trim(trim, place) if r in whole else trim for r, trim in plan.stem_trims.items()},
        stem_chains={r: _chain(chain, place) if r in whole else chain for r, chain in plan.stem_chains.items()},
        ducks=tuple(
            replace(duck, points=_points(duck.points, place), room_points=_points(duck.room_points, place))
            if (duck.stem in whole if duck.stem is not None else duck.track_id in chosen)
            else duck
            for duck in plan.ducks
        ),
    )


def _retimed_track(track: Track, clips_of: Callable[[Clip], list[Clip]], place: Callable[[int], Moved]) -> Track:
    clips = [part for clip in track.clips for part in clips_of(clip)]
    return replace(_with(track, clips), ride=_ride(track.ride, place), chain=_chain(track.chain, place))


def _ride(ride: Ride, place: Callable[[int], Moved]) -> Ride:
    return replace(ride, points=_points(ride.points, place)) if ride.points else ride


def _chain(chain: Chain, place: Callable[[int], Moved]) -> Chain:
    if not any(processor.curves for processor in chain):
        return chain
    return tuple(
        replace(p, curves=tuple((name, _points(points, place)) for name, points in p.curves)) if p.curves else p
        for p in chain
    )


def _points(points: Sequence[Point], place: Callable[[int], Moved]) -> tuple[Point, ...]:
    found: dict[int, Point] = {}
    for point in points:
        at, is_gone = place(point.at_sample)
        if not is_gone:
            found.setdefault(at, replace(point, at_sample=at))
    return tuple(found[at] for at in sorted(found))


def _trim(trim: Sequence[TrimScene], place: Callable[[int], Moved]) -> tuple[TrimScene, ...]:
    found: dict[int, TrimScene] = {}
    for scene in trim:
        # A scene that begins in what is gone goes on where that was.
        at = place(scene.start_sample)[0]
        found[at] = replace(scene, start_sample=at)
    return tuple(found[at] for at in sorted(found))


def _with(track: Track, clips: Sequence[Clip]) -> Track:
    ordered = sorted(clips, key=lambda clip: (clip.start_sample, len(clip.clip_id), clip.clip_id))
    return replace(track, clips=tuple(ordered))
