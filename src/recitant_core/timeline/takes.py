"""Several recordings for one place, held in one clip: gathered, chosen, matched, recorded over, laid side by side.

The clip is the take that sounds; the others stand in its ``takes`` and follow its moves, trims and splits.
Held to: tests/core/test_takes.py
"""

from collections.abc import Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from typing import Final

from recitant_core.errors import EditRefused, NotThere
from recitant_core.timeline.edits import (
    LEAST_CLIP_SAMPLES,
    NEW,
    Lengths,
    add_clip,
    clips_by_id,
    cut_clip,
    delete_clips,
    set_clips,
    split_clips,
)
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Balanced, Clip, Plan, Take
from recitant_core.units.clock import RATE_HZ, SampleSpan

MOST_TAKES: Final = 40
SAME_START_SAMPLES: Final = RATE_HZ // 2
"""A recording that begins this near to where a clip begins is another take of all of it."""
PUNCH_FADE_SAMPLES: Final = RATE_HZ // 200  # 5 ms


def gathered(plan: Plan, clip_ids: Sequence[str]) -> Plan:
    """Clips that lie over each other become one: the first of them sounds, the others are its takes.

    Raises:
        EditRefused: fewer than two, one that is not there or touches none of the time of the first, or too many.
    """
    known = clips_by_id(plan)
    if len(set(clip_ids)) < 2 or not set(clip_ids) <= known.keys():
        raise EditRefused("too_few_takes")
    first, *others = (known[clip_id][1] for clip_id in dict.fromkeys(clip_ids))
    reach = span_wanted(first)
    for other in others:
        if span_wanted(other).intersect(reach) is None:
            raise EditRefused("takes_apart", clip=other.name, first=first.name)
    spans = [span_wanted(one) for one in (first, *others)]
    start, end = min(s.start_sample for s in spans), max(s.end_sample for s in spans)
    takes: list[Take] = []
    for clip in others:
        other = replace(clip, unfilled=(clip.start_sample - start, end - clip.span.end_sample))
        # Where the in-point of the other would be, were it to begin with the first.
        shift = other.in_sample + first.start_sample - other.start_sample - first.in_sample
        own = replace(_take_of(other), shift_samples=shift, gain_db=_rounded(other.gain_db - first.gain_db))
        kept = [
            replace(t, shift_samples=t.shift_samples + shift, gain_db=_rounded(t.gain_db + own.gain_db))
            for t in other.takes
        ]
        kept.insert(other.take_index, own)
        takes += kept
    made = replace(
        first, takes=(*first.takes, *takes), unfilled=(first.start_sample - start, end - first.span.end_sample)
    )
    if len(made.takes) >= MOST_TAKES:
        raise EditRefused("too_many_takes", most=MOST_TAKES)
    rest = _without(plan, [other.clip_id for other in others])
    return set_clips(rest, [first.clip_id], lambda _: made)


def shared_samples(first: Clip, second: Clip, offset_samples: int) -> int:
    """Samples of one moment that two clips both hold, wherever they lie.

    Args:
        offset_samples: how much later than the first clip's recording that of the second begins.
    """
    shared = SampleSpan(first.in_sample, first.length_samples).intersect(
        SampleSpan(second.in_sample + offset_samples, second.length_samples)
    )
    return 0 if shared is None else shared.length_samples


def gathered_in_step(plan: Plan, clip_ids: tuple[str, str], offset_samples: int, lengths: Lengths) -> Plan:
    """Two recordings of one moment become takes of one clip, in step with each other; the first of them sounds.

    It lies where the first does. Where the second alone is tied to the picture, it lies there, between the same edges.

    Args:
        clip_ids: of the one that sounds and of the other one.
        offset_samples: how much later than the first clip's recording that of the second begins.
        lengths: of the recordings in samples, by source key.

    Raises:
        EditRefused: one of them is not there, they share too little, or there are too many takes.
    """
    known = clips_by_id(plan)
    if len(set(clip_ids)) < 2 or not set(clip_ids) <= known.keys():
        raise EditRefused("too_few_takes")
    kept, spare = (known[clip_id][1] for clip_id in clip_ids)
    if shared_samples(kept, spare, offset_samples) < LEAST_CLIP_SAMPLES:
        raise EditRefused("takes_apart", clip=spare.name, first=kept.name)
    if spare.sync_sample is not None and kept.sync_sample is None:
        laid = replace(kept, start_sample=spare.start_sample - spare.in_sample - offset_samples + kept.in_sample)
        shared = laid.span.intersect(spare.span)
        assert shared is not None
        first = shared.start_sample - laid.start_sample
        laid = cut_clip(laid, first, first + shared.length_samples)
        moved = set_clips(plan, [kept.clip_id], lambda _: laid)
        after = gathered(moved, (spare.clip_id, kept.clip_id))
        index = len(in_order(clips_by_id(after)[spare.clip_id][1])) - len(kept.takes) - 1 + kept.take_index
        return set_clips(after, [spare.clip_id], lambda clip: with_take(clip, index, lengths))
    start = kept.start_sample - kept.in_sample + offset_samples + spare.in_sample
    laid = replace(spare, start_sample=start)
    first = max(0, -start)
    laid = cut_clip(laid, first, laid.length_samples) if first else laid
    return gathered(set_clips(plan, [spare.clip_id], lambda _: laid), clip_ids)


def span_wanted(clip: Clip) -> SampleSpan:
    """Span of a clip with what its other takes fill before and after it, in programme time.

    >>> span_wanted(Clip("1", "key", 100, 0, 50, unfilled=(10, 20)))
    SampleSpan(start_sample=90, length_samples=80)
    """
    before, after = clip.unfilled
    return SampleSpan(clip.start_sample - before, clip.length_samples + before + after)


def in_order(clip: Clip) -> tuple[Take, ...]:
    """All takes of a clip, the one that sounds in its place among them."""
    at = min(clip.take_index, len(clip.takes))
    return (*clip.takes[:at], _take_of(clip), *clip.takes[at:])


def with_take(clip: Clip, index: int, lengths: Lengths) -> Clip:
    """A clip that sounds as another of its takes, between the same edges as far as that one reaches.

    Args:
        index: among all takes, in order.

    Raises:
        NotThere: no such take. EditRefused: one that has nothing here.
    """
    takes = in_order(clip)
    if not 0 <= index < len(takes):
        raise NotThere()
    chosen = takes[index]
    if index == clip.take_index:
        return clip
    if chosen.source_key not in lengths:
        raise EditRefused("take_removed", take=chosen.name)
    in_sample = clip.in_sample + chosen.shift_samples
    wanted_from, wanted_to = -clip.unfilled[0], clip.length_samples + clip.unfilled[1]
    length = lengths[chosen.source_key]
    start = max(wanted_from, chosen.from_sample - in_sample, -clip.start_sample)
    end = min(wanted_to, (length if chosen.to_sample is None else min(length, chosen.to_sample)) - in_sample)
    if end - start < LEAST_CLIP_SAMPLES:
        raise EditRefused("take_elsewhere", take=chosen.name)
    others = tuple(
        replace(t, shift_samples=t.shift_samples - chosen.shift_samples, gain_db=_rounded(t.gain_db - chosen.gain_db))
        for i, t in enumerate(takes)
        if i != index
    )
    gain_db = min(MOST_GAIN_DB, max(LEAST_GAIN_DB, _rounded(clip.gain_db + chosen.gain_db)))
    made = replace(
        clip,
        source_key=chosen.source_key,
        in_sample=in_sample,
        # The recording that sounds now began so much earlier or later beside the picture.
        sync_sample=None if clip.sync_sample is None else clip.sync_sample - chosen.shift_samples,
        name=chosen.name,
        gain_db=gain_db,
        balanced=_moved(clip.balanced, chosen.gain_db),
        routing=chosen.routing,
        reversed_channels=chosen.reversed_channels,
        dc_offset=chosen.dc_offset,
        left_out=chosen.left_out,
        mended=chosen.mended,
        accepted=(),
        takes=others,
        take_index=index,
    )
    return replace(cut_clip(made, start, end), unfilled=(start - wanted_from, wanted_to - end))


def without_take(clip: Clip, index: int) -> Clip:
    """A clip without one of its takes that does not sound.

    Raises:
        NotThere: no such take. EditRefused: the one that sounds.
    """
    if not 0 <= index <= len(clip.takes):
        raise NotThere()
    if index == clip.take_index:
        raise EditRefused("take_sounds")
    left = tuple(t for i, t in enumerate(in_order(clip)) if i not in (index, clip.take_index))
    made = replace(clip, takes=left, take_index=clip.take_index - (index < clip.take_index))
    return made if left else replace(made, unfilled=(0, 0))


def matched(clip: Clip, levels_lufs: Mapping[int, float]) -> Clip:
    """A clip whose other takes are as loud as the one that sounds.

    Args:
        levels_lufs: of its takes by index, each with the gain that it has; what is missing stays.
    """
    own = levels_lufs.get(clip.take_index)
    if own is None:
        return clip
    takes = [
        replace(t, gain_db=_rounded(t.gain_db + own - levels_lufs[i])) if i in levels_lufs else t
        for i, t in enumerate(in_order(clip))
    ]
    del takes[clip.take_index]
    return replace(clip, takes=tuple(takes))


def side_by_side(clip: Clip, lengths: Lengths) -> list[Clip]:
    """The other takes of a clip as clips of their own, out of the mix, in order."""
    found = []
    for index in range(len(clip.takes) + 1):
        if index == clip.take_index:
            continue
        try:
            one = with_take(clip, index, lengths)
        except EditRefused:
            continue
        found.append(replace(one, clip_id=f"{NEW}{index}", takes=(), take_index=0, unfilled=(0, 0), is_out=True))
    return found


def recorded_over(plan: Plan, track_id: str, clip: Clip, *, is_range: bool) -> Plan:
    """A new recording laid on a track: where clips in the mix lie, it becomes the take of them that sounds.

    A recording of a chosen range is punched in: clips are cut at its edges. So is one that begins in the middle of a
    clip; one that begins where a clip begins is another take of the whole clip, shorter or longer.

    Args:
        is_range: whether somebody chose where it begins and ends.

    Raises:
        NotThere: no such track.
    """
    track = next((one for one in plan.tracks if one.track_id == track_id), None)
    if track is None:
        raise NotThere()
    under = [c for c in track.in_mix if c.span.intersect(clip.span) is not None]
    if not under:
        return add_clip(plan, track_id, clip)
    is_whole = not is_range and len(under) == 1 and abs(under[0].start_sample - clip.start_sample) <= SAME_START_SAMPLES
    if is_whole:
        return _taken_over(plan, track_id, clip, under)
    known = {one.clip_id for one in track.clips} - {one.clip_id for one in under}
    for edge in (clip.start_sample, clip.span.end_sample):
        with suppress(EditRefused):  # an edge that lies on no clip
            plan = split_clips(plan, {c.clip_id for c in _clips_of(plan, track_id)} - known, edge)
    hit = [c for c in _clips_of(plan, track_id) if c.clip_id not in known]
    pieces = [c for c in hit if c.span.intersect(clip.span) is not None]
    plan = _with_punch_fades(plan, {c.clip_id for c in hit} - {c.clip_id for c in pieces}, clip.span)
    return _taken_over(plan, track_id, clip, pieces)


def _clips_of(plan: Plan, track_id: str) -> tuple[Clip, ...]:
    return next(track.clips for track in plan.tracks if track.track_id == track_id)


def _with_punch_fades(plan: Plan, clip_ids: Collection[str], span: SampleSpan) -> Plan:
    def faded(clip: Clip) -> Clip:
        fade = min(PUNCH_FADE_SAMPLES, clip.length_samples // 2)
        if clip.span.end_sample == span.start_sample:
            return replace(clip, fade_out_samples=fade)
        return replace(clip, fade_in_samples=fade)

    return set_clips(plan, clip_ids, faded) if clip_ids else plan


def _taken_over(plan: Plan, track_id: str, clip: Clip, under: Sequence[Clip]) -> Plan:
    """The new recording sounds, and what was there are its takes, before it in order."""
    longest = max(under, key=lambda one: one.length_samples)
    laid = replace(clip, clip_id=f"{NEW}take", is_out=False)
    tracks = tuple(replace(t, clips=(*t.clips, laid)) if t.track_id == track_id else t for t in plan.tracks)
    joined = gathered(replace(plan, tracks=tracks), [laid.clip_id, *(one.clip_id for one in under)])
    held = clips_by_id(joined)[laid.clip_id][1]
    # The clip that was there goes on with what was set on it; the recording and its edges are the new one's.
    kept = replace(
        held,
        clip_id=longest.clip_id,
        take_index=len(held.takes),
        chain=longest.chain,
        group=longest.group,
        speaker=longest.speaker,
        gain_db=longest.gain_db,
        takes=tuple(replace(t, gain_db=_rounded(t.gain_db + held.gain_db - longest.gain_db)) for t in held.takes),
    )
    return set_clips(joined, [laid.clip_id], lambda _: kept)


def _without(plan: Plan, clip_ids: Collection[str]) -> Plan:
    # Out of their groups first: a group is deleted as one.
    lone = set_clips(plan, clip_ids, lambda clip: replace(clip, group=""))
    return delete_clips(lone, clip_ids, close_gap=False)


def _take_of(clip: Clip) -> Take:
    before, after = clip.unfilled
    return Take(
        clip.source_key,
        0,
        # Where its edge is the edge of the place, nothing but its recording holds it there.
        clip.in_sample if before else 0,
        clip.in_sample + clip.length_samples if after else None,
        clip.name,
        0.0,
        clip.routing,
        clip.reversed_channels,
        clip.dc_offset,
        clip.left_out,
        clip.mended,
    )


def _moved(balanced: Balanced | None, by_db: float) -> Balanced | None:
    if balanced is None:
        return None
    return replace(balanced, from_db=_rounded(balanced.from_db + by_db), to_db=_rounded(balanced.to_db + by_db))


def _rounded(gain_db: float) -> float:
    return round(gain_db, 2)
