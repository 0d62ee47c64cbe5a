"""Edits of a timeline: an old plan in, a new plan out. What cannot be done is refused with the reason.

Clips are named by id; an edit that makes clips gives them ids that begin with NEW, which the caller replaces.
Held to: tests/core/test_edits.py
"""

from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import replace
from itertools import count, pairwise
from typing import Final

from recitant_core.errors import EditRefused, NotThere
from recitant_core.gain.envelope import CurvePoint, FadeShape
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, MOST_LENGTH_SAMPLES, Clip, Plan, Track
from recitant_core.units.clock import RATE_HZ

NEW: Final = "new-"
LEAST_CLIP_SAMPLES: Final = RATE_HZ // 1_000  # 1 ms
Lengths = Mapping[str, int]
"""Length in samples of each source, by key."""


def clips_by_id(plan: Plan) -> dict[str, tuple[Track, Clip]]:
    """Every clip with its track."""
    return {clip.clip_id: (track, clip) for track in plan.tracks for clip in track.clips}


def with_group(plan: Plan, clip_ids: Iterable[str]) -> set[str]:
    """These clips and all that share a group with one of them.

    Raises:
        NotThere: one is not there, or none was named.
    """
    known = clips_by_id(plan)
    wanted = set(clip_ids)
    if not wanted or not wanted <= known.keys():
        raise NotThere()
    groups = {known[clip_id][1].group for clip_id in wanted} - {""}
    return wanted | {clip_id for clip_id, (_, clip) in known.items() if clip.group in groups}


def move_clips(plan: Plan, clip_ids: Collection[str], by_samples: int, by_tracks: int = 0) -> Plan:
    """Clips moved in time, and up or down by whole tracks of the same role's or any kind; groups move as one.

    Raises:
        EditRefused: before the programme's start, past its longest length, or off the tracks.
    """
    moved_ids = with_group(plan, clip_ids)
    moved = {clip_id: _placed(clip, clip.start_sample + by_samples) for clip_id, clip in _clips(plan, moved_ids)}
    if not by_tracks:
        return _replaced(plan, moved)
    order = {track.track_id: index for index, track in enumerate(plan.tracks)}
    known = clips_by_id(plan)
    targets: dict[int, list[Clip]] = {}
    for clip_id, clip in moved.items():
        index = order[known[clip_id][0].track_id] + (by_tracks if clip_id in clip_ids else 0)
        if not 0 <= index < len(plan.tracks):
            raise EditRefused("off_the_tracks")
        targets.setdefault(index, []).append(clip)
    tracks = []
    for index, track in enumerate(plan.tracks):
        kept = [clip for clip in track.clips if clip.clip_id not in moved]
        tracks.append(_with_clips(track, [*kept, *targets.get(index, [])]))
    return replace(plan, tracks=tuple(tracks))


def move_clips_to(plan: Plan, clip_ids: Collection[str], at_sample: int) -> Plan:
    """Clips moved together so that the first of them begins at a place.

    Raises:
        EditRefused: as move_clips.
    """
    first = min(clip.start_sample for _, clip in _clips(plan, with_group(plan, clip_ids)))
    return move_clips(plan, clip_ids, at_sample - first)


def trim_clip(plan: Plan, clip_id: str, edge: str, by_samples: int, lengths: Lengths) -> Plan:
    """A clip whose beginning or end moved; what sounds stays where it is.

    Args:
        edge: "start" or "end".
        by_samples: later is positive. Stops at the ends of the recording and at 1 ms of length.

    Raises:
        EditRefused: no such clip, or before the programme's start.
    """
    _, clip = _clip(plan, clip_id)
    source_length = lengths[clip.source_key]
    if edge == "start":
        least = max(-clip.in_sample, -clip.start_sample)
        by_samples = min(max(by_samples, least), clip.length_samples - LEAST_CLIP_SAMPLES)
        return _replaced(plan, {clip_id: cut_clip(clip, by_samples, clip.length_samples)})
    most = source_length - clip.in_sample - clip.length_samples
    by_samples = min(max(by_samples, LEAST_CLIP_SAMPLES - clip.length_samples), most)
    return _replaced(plan, {clip_id: cut_clip(clip, 0, clip.length_samples + by_samples)})


def cut_clip(clip: Clip, from_samples: int, to_samples: int) -> Clip:
    """The part of a clip between two places, counted from its start; its curve keeps its gain at every moment.

    Args:
        from_samples: new start, 0 for the old one; it may be negative where the recording goes on before.
        to_samples: new end, behind from_samples.
    """
    length = to_samples - from_samples
    before, after = clip.unfilled
    points = tuple(replace(point, at_sample=point.at_sample - from_samples) for point in clip.curve)
    return replace(
        clip,
        start_sample=clip.start_sample + from_samples,
        in_sample=clip.in_sample + from_samples,
        length_samples=length,
        curve=_curve_within(points, length),
        fade_in_samples=min(clip.fade_in_samples, length),
        fade_out_samples=min(clip.fade_out_samples, length),
        # An edge that somebody moved is where it is meant to be.
        unfilled=(0 if from_samples else before, 0 if to_samples != clip.length_samples else after),
    )


def slip_clip(plan: Plan, clip_id: str, by_samples: int, lengths: Lengths) -> Plan:
    """A clip whose recording moved inside it: what sounds comes ``by_samples`` later. Stops at the recording's ends.

    Other takes stay where they are.
    """
    _, clip = _clip(plan, clip_id)
    most = lengths[clip.source_key] - clip.length_samples
    in_sample = min(max(0, clip.in_sample - by_samples), most)
    takes = tuple(replace(t, shift_samples=t.shift_samples + clip.in_sample - in_sample) for t in clip.takes)
    return _replaced(plan, {clip_id: replace(clip, in_sample=in_sample, takes=takes)})


def split_clips(plan: Plan, clip_ids: Collection[str], at_sample: int) -> Plan:
    """Every one of these clips under a place becomes two; nothing changes in what sounds.

    Raises:
        EditRefused: none of them lies there.
    """
    # Clips that an edit before this one made have names already.
    names = count(sum(clip.clip_id.startswith(NEW) for track in plan.tracks for clip in track.clips))
    hit = 0
    tracks = []
    for track in plan.tracks:
        clips: list[Clip] = []
        for clip in track.clips:
            inside = at_sample - clip.start_sample
            is_cut = LEAST_CLIP_SAMPLES <= inside <= clip.length_samples - LEAST_CLIP_SAMPLES
            if clip.clip_id not in clip_ids or not is_cut:
                clips.append(clip)
                continue
            hit += 1
            first = replace(cut_clip(clip, 0, inside), fade_out_samples=0)
            second = replace(cut_clip(clip, inside, clip.length_samples), fade_in_samples=0)
            # A fade reaches over the cut only as far as its own part.
            first = replace(first, fade_in_samples=min(clip.fade_in_samples, inside))
            clips += [first, replace(second, clip_id=f"{NEW}{next(names)}")]
        tracks.append(replace(track, clips=tuple(clips)))
    if not hit:
        raise EditRefused("nothing_to_split")
    return replace(plan, tracks=tuple(tracks))


def delete_clips(plan: Plan, clip_ids: Collection[str], *, close_gap: bool) -> Plan:
    """The plan without these clips and their groups.

    Args:
        close_gap: whether what follows on the same track moves up by the length that is gone.

    Raises:
        NotThere: no such clip.
    """
    gone = with_group(plan, clip_ids)
    tracks = []
    for track in plan.tracks:
        removed = [clip for clip in track.clips if clip.clip_id in gone]
        kept = [clip for clip in track.clips if clip.clip_id not in gone]
        if close_gap and removed:
            kept = _closed_up(removed, kept)
        tracks.append(_with_clips(track, kept))
    return replace(plan, tracks=tuple(tracks))


def _closed_up(removed: list[Clip], kept: list[Clip]) -> list[Clip]:
    starts: dict[str, int] = {}
    by_end = sorted(kept, key=lambda clip: clip.span.end_sample)
    n_before, last_end = 0, 0
    for clip in sorted(kept, key=lambda clip: clip.start_sample):
        shift = sum(gap.length_samples for gap in removed if gap.span.end_sample <= clip.start_sample)
        # Never over a clip that lay before it, wherever that one has gone.
        while n_before < len(by_end) and by_end[n_before].span.end_sample <= clip.start_sample:
            before = by_end[n_before]
            last_end = max(last_end, starts[before.clip_id] + before.length_samples)
            n_before += 1
        starts[clip.clip_id] = max(clip.start_sample - shift, last_end)
    return [replace(clip, start_sample=starts[clip.clip_id]) for clip in kept]


def copy_clips(plan: Plan, clips: Iterable[tuple[str, Clip]], at_sample: int) -> Plan:
    """Copies of clips laid so that the first begins at a place, each on its own track.

    Args:
        clips: track id and clip each, from this plan or a state of it; a track that is gone gives way to the first of
            its kind that is left.

    Raises:
        EditRefused: nothing to lay, or past the longest length.
    """
    laid = list(clips)
    if not laid or not plan.tracks:
        raise EditRefused("nothing_copied")
    shift = at_sample - min(clip.start_sample for _, clip in laid)
    names = count()
    groups: dict[str, str] = {}
    added: dict[str, list[Clip]] = {}
    known = {track.track_id for track in plan.tracks}
    for track_id, clip in laid:
        group = groups.setdefault(clip.group, f"{NEW}{len(groups)}") if clip.group else ""
        made = replace(_placed(clip, clip.start_sample + shift), clip_id=f"{NEW}{next(names)}", group=group)
        added.setdefault(track_id if track_id in known else plan.tracks[0].track_id, []).append(made)
    return _with_added(plan, added)


def add_clip(plan: Plan, track_id: str, clip: Clip) -> Plan:
    """A clip laid on a track.

    Raises:
        NotThere: no such track. EditRefused: out of the programme.
    """
    if track_id not in {track.track_id for track in plan.tracks}:
        raise NotThere()
    return _with_added(plan, {track_id: [replace(_placed(clip, clip.start_sample), clip_id=f"{NEW}0")]})


def set_clips(plan: Plan, clip_ids: Collection[str], change: Callable[[Clip], Clip]) -> Plan:
    """Every one of these clips changed alike; all else is the same object as before.

    Raises:
        NotThere: no such clip.
    """
    return _replaced(plan, {clip_id: change(clip) for clip_id, clip in _clips(plan, _known_ids(plan, clip_ids))})


def _known_ids(plan: Plan, clip_ids: Collection[str]) -> set[str]:
    """These clips, if all are there.

    Raises:
        NotThere: one is not there, or none was named.
    """
    if not clip_ids or not set(clip_ids) <= clips_by_id(plan).keys():
        raise NotThere()
    return set(clip_ids)


def faded(clip: Clip, edge: str, length_samples: int, shape: FadeShape | None) -> Clip:
    """A clip with another fade at its beginning or end; both together never exceed its length.

    Args:
        edge: "in" or "out".
        length_samples: wanted; brought between 0 and what the other fade leaves.
        shape: None to keep it.
    """
    if edge == "in":
        length = min(max(0, length_samples), clip.length_samples - clip.fade_out_samples)
        return replace(clip, fade_in_samples=length, fade_in_shape=shape or clip.fade_in_shape)
    length = min(max(0, length_samples), clip.length_samples - clip.fade_in_samples)
    return replace(clip, fade_out_samples=length, fade_out_shape=shape or clip.fade_out_shape)


def levelled(clip: Clip, by_db: float) -> Clip:
    """A clip with more or less gain.

    Raises:
        EditRefused: outside of what a gain can be.
    """
    gain_db = round(clip.gain_db + by_db, 2)
    if not LEAST_GAIN_DB <= gain_db <= MOST_GAIN_DB:
        raise EditRefused("gain_out_of_range", found=f"{gain_db:g}", least_db=LEAST_GAIN_DB, most_db=MOST_GAIN_DB)
    return replace(clip, gain_db=gain_db)


def overlaps(track: Track) -> list[tuple[Clip, Clip]]:
    """Neighbours on a track of which the earlier still sounds when the later begins."""
    ordered = sorted(track.clips, key=_order)
    return [(a, b) for a, b in pairwise(ordered) if b.start_sample < a.span.end_sample]


def crossfaded(plan: Plan, moved_ids: Collection[str], shape_of: Callable[[Clip, Clip], FadeShape]) -> Plan:
    """Overlaps that an edit made become crossfades over their whole length.

    Args:
        moved_ids: clips that were moved or trimmed; only their overlaps are touched.
        shape_of: the shape for two neighbours, from how related they are.
    """
    tracks = []
    for track in plan.tracks:
        changed: dict[str, Clip] = {}
        for earlier, later in overlaps(track):
            if earlier.clip_id not in moved_ids and later.clip_id not in moved_ids:
                continue
            first = changed.get(earlier.clip_id, earlier)
            second = changed.get(later.clip_id, later)
            length = min(earlier.span.end_sample - later.start_sample, earlier.length_samples, later.length_samples)
            shape = shape_of(earlier, later)
            first_rest = earlier.length_samples - length
            changed[earlier.clip_id] = replace(
                first,
                fade_out_samples=length,
                fade_out_shape=shape,
                fade_in_samples=min(first.fade_in_samples, first_rest),
            )
            changed[later.clip_id] = replace(
                second,
                fade_in_samples=length,
                fade_in_shape=shape,
                fade_out_samples=min(second.fade_out_samples, later.length_samples - length),
            )
        tracks.append(replace(track, clips=tuple(changed.get(clip.clip_id, clip) for clip in track.clips)))
    return replace(plan, tracks=tuple(tracks))


def crossfade_shaped(plan: Plan, earlier_id: str, later_id: str, shape: FadeShape) -> Plan:
    """Both sides of a crossfade given one shape.

    Raises:
        EditRefused: the two clips do not overlap on one track.
    """
    first_track, earlier = _clip(plan, earlier_id)
    second_track, later = _clip(plan, later_id)
    if first_track is not second_track or earlier.span.intersect(later.span) is None:
        raise EditRefused("no_crossfade")
    return _replaced(
        plan,
        {earlier_id: replace(earlier, fade_out_shape=shape), later_id: replace(later, fade_in_shape=shape)},
    )


def _curve_within(points: tuple[CurvePoint, ...], length_samples: int) -> tuple[CurvePoint, ...]:
    # Points outside stay, so that trimming back brings the curve back; only one on either side is needed for that.
    before = [point for point in points if point.at_sample < 0]
    inside = [point for point in points if 0 <= point.at_sample <= length_samples]
    after = [point for point in points if point.at_sample > length_samples]
    return (*before[-1:], *inside, *after[:1])


def _placed(clip: Clip, start_sample: int) -> Clip:
    if start_sample < 0:
        raise EditRefused("before_start", by_s=-start_sample / RATE_HZ)
    if start_sample + clip.length_samples > MOST_LENGTH_SAMPLES:
        raise EditRefused("past_longest")
    return replace(clip, start_sample=start_sample)


def _clip(plan: Plan, clip_id: str) -> tuple[Track, Clip]:
    known = clips_by_id(plan)
    if clip_id not in known:
        raise NotThere()
    return known[clip_id]


def _clips(plan: Plan, clip_ids: Collection[str]) -> list[tuple[str, Clip]]:
    return [(clip.clip_id, clip) for track in plan.tracks for clip in track.clips if clip.clip_id in clip_ids]


def _replaced(plan: Plan, changed: Mapping[str, Clip]) -> Plan:
    return replace(
        plan,
        tracks=tuple(
            _with_clips(track, [changed.get(clip.clip_id, clip) for clip in track.clips])
            if any(clip.clip_id in changed for clip in track.clips)
            else track
            for track in plan.tracks
        ),
    )


def _with_added(plan: Plan, added: Mapping[str, list[Clip]]) -> Plan:
    tracks = tuple(
        _with_clips(track, [*track.clips, *added[track.track_id]]) if track.track_id in added else track
        for track in plan.tracks
    )
    return replace(plan, tracks=tracks)


def _with_clips(track: Track, clips: Iterable[Clip]) -> Track:
    return replace(track, clips=tuple(sorted(clips, key=_order)))


def _order(clip: Clip) -> tuple[int, int, str]:
    # Ids are row numbers: by length and then by letter they stand in the order of the numbers.
    return clip.start_sample, len(clip.clip_id), clip.clip_id
