"""Use cases of the Arrange page: each takes the data of one edit and makes it one step of the log."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from recitant_core.errors import EditRefused
from recitant_core.gain.envelope import FadeShape
from recitant_core.intake.mending import mended, unmended
from recitant_core.measure.likeness import RELATED, best_join, correlation
from recitant_core.timeline import edits
from recitant_core.timeline.model import Clip, Plan, Role, Track
from recitant_core.timeline.room_tone import covered_samples, gap_at, tone_stretch, with_room_tone
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.timecode import timecode_from_samples
from recitant_web.desk import models
from recitant_web.desk.actions import choose_spec, set_gain
from recitant_web.desk.arrange_rows import ROW_EDITS
from recitant_web.desk.bridge import changes_between, clip_of_row, lengths_of_plan, plan_of, remedy_from_data, speech_of
from recitant_web.desk.duck_edits import BALANCE_ROW_EDITS, DUCK_PLAN_EDITS
from recitant_web.desk.level_edits import LEVEL_PLAN_EDITS, LEVEL_ROW_EDITS
from recitant_web.desk.log import go_to, lock, record, redo, undo
from recitant_web.desk.tone_source import tone_source
from recitant_web.programme.models import Programme, SourceState
from recitant_web.programme.queries import source_energy, stored_source
from recitant_words.sentences import gain_text

Data = dict[str, Any]
PlanEdit = Callable[[Programme, Plan, Data], tuple[Plan, str]]
_ROWS = ROW_EDITS | BALANCE_ROW_EDITS | LEVEL_ROW_EDITS
_JOIN_FADE_SAMPLES = RATE_HZ // 20


def edit_timeline(programme: Programme, user: User, data: Data) -> models.Edit | None:
    """Carry out one edit as the page posts it; None where it changes nothing.

    Args:
        data: kind, revision, and what the kind needs; see desk.forms.

    Raises:
        EditRefused: the timeline cannot take it. StaleRevision: someone else was faster.
    """
    with transaction.atomic():
        locked = lock(programme, data["revision"])
        if data["kind"] in _ROWS:
            label, changes, made = _ROWS[data["kind"]](locked, data)
            final = None
        else:
            before = plan_of(locked)
            after, label = PLAN_EDITS[data["kind"]](locked, before, data)
            if locked.is_picture_locked:
                _require_in_place(before, after)
            changes, made, final = changes_between(locked, before, after)
        if not changes and not made:
            return None
        # A new recording or track is read anew; everything else is known already.
        is_known = final is not None and {t.track_id for t in before.tracks} == {t.track_id for t in final.tracks}
        if final is not None and is_known:
            known = {clip.source_key for track in before.tracks for clip in track.clips}
            is_known = all(clip.source_key in known for track in final.tracks for clip in track.clips)
        return record(locked, user, label, changes, made, final if is_known else None)


def carry_out(programme: Programme, user: User, edit: Data) -> models.Edit | None:
    """Any edit that a page posts, plain or of the timeline; the step it became, None where it is none of its own.

    Raises:
        EditRefused: it cannot be. StaleRevision: someone else was faster.
    """
    revision = edit["revision"]
    match edit["kind"]:
        case "gain":
            return set_gain(programme, user, (edit["target"], edit["id"]), edit["gain_db"], revision)
        case "spec":
            choose_spec(programme, user, edit["spec_id"], revision)
        case "undo":
            undo(programme, revision)
        case "redo":
            redo(programme, revision)
        case "go-to":
            go_to(programme, edit["edit_id"], revision)
        case _:
            return edit_timeline(programme, user, edit)
    return None


def kinds() -> frozenset[str]:
    """Every kind of edit there is."""
    return frozenset(PLAN_EDITS) | frozenset(_ROWS)


def _require_in_place(before: Plan, after: Plan) -> None:
    was = {clip_id: clip for clip_id, (_, clip) in edits.clips_by_id(before).items()}
    for clip_id, (_, clip) in edits.clips_by_id(after).items():
        old = was.get(clip_id)
        # Trimming moves an edge, not the sound: what is compared is where the recording's first sample lies.
        if old is not None and old.start_sample - old.in_sample != clip.start_sample - clip.in_sample:
            raise EditRefused("picture_locked")


def _move(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    ids = edits.with_group(plan, data["ids"])
    moved = edits.move_clips(plan, data["ids"], data["by_samples"], data["by_tracks"])
    return _crossed(programme, plan, moved, ids), f"moved {_clips(len(ids))}"


def _place(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    ids = edits.with_group(plan, data["ids"])
    moved = edits.move_clips_to(plan, data["ids"], data["at_sample"])
    at = timecode_from_samples(data["at_sample"], programme.frame_rate)
    return _crossed(programme, plan, moved, ids), f"moved {_clips(len(ids))} to {at}"


def _trim(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    trimmed = edits.trim_clip(plan, data["id"], data["edge"], data["by_samples"], lengths_of_plan(programme))
    return _crossed(programme, plan, trimmed, {data["id"]}), f"trimmed the {data['edge']} of {_name(plan, data['id'])}"


def _slip(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    slipped = edits.slip_clip(plan, data["id"], data["by_samples"], lengths_of_plan(programme))
    return slipped, f"slipped {_name(plan, data['id'])}"


def _split(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    at = timecode_from_samples(data["at_sample"], programme.frame_rate)
    return edits.split_clips(plan, data["ids"], data["at_sample"]), f"split at {at}"


def _delete(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    n = len(edits.with_group(plan, data["ids"]))
    after = edits.delete_clips(plan, data["ids"], close_gap=data["close_gap"])
    return after, f"deleted {_clips(n)}" + (" and closed the gap" if data["close_gap"] else "")


def _paste(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    known = edits.clips_by_id(plan)
    laid = []
    for clip_id in data["ids"]:
        if clip_id in known:
            track, clip = known[clip_id]
            laid.append((track.track_id, clip))
        else:
            laid.append(_deleted_clip(programme, clip_id))
    return edits.copy_clips(plan, laid, data["at_sample"]), f"pasted {_clips(len(laid))}"


def _deleted_clip(programme: Programme, clip_id: str) -> tuple[str, Clip]:
    # What was cut is found in the log: it lies there whole.
    for edit in programme.edits.order_by("-pk")[:200]:
        for change in edit.changes:
            values = change.get("delete")
            if change["table"] == "clip" and str(change["id"]) == clip_id and values is not None:
                row = models.Clip(**values)
                return str(row.track_id), clip_of_row(row)
    raise EditRefused("gone")


def _fade(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    shape = FadeShape(data["shape"]) if data["shape"] else None
    after = edits.set_clips(
        plan, data["ids"], lambda clip: edits.faded(clip, data["edge"], data["length_samples"], shape)
    )
    return after, f"fade {data['edge']} of {_names(plan, data['ids'])}"


def _crossfade(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    after = edits.crossfade_shaped(plan, data["id"], data["to_id"], FadeShape(data["shape"]))
    return after, f"cross-fade of {_name(plan, data['id'])} and {_name(plan, data['to_id'])}: {data['shape']}"


def _level(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    ids = edits.with_group(plan, data["ids"])
    after = edits.set_clips(plan, ids, lambda clip: edits.levelled(clip, data["by_db"]))
    return after, f"{gain_text(data['by_db'])} dB on {_names(plan, ids)}"


def _curve(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    after = edits.set_clips(plan, data["ids"], lambda clip: edits.curve_with(clip, data["points"]))
    what = "gain curve of" if data["points"] else "gain curve cleared from"
    return after, f"{what} {_names(plan, data['ids'])}"


def _point(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    after = edits.set_clips(
        plan,
        [data["id"]],
        lambda clip: edits.curve_point_moved(clip, data["index"], data["at_sample"], data["gain_db"]),
    )
    return after, f"point of {_name(plan, data['id'])} to {gain_text(data['gain_db'])} dB"


def _add_point(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    after = edits.set_clips(plan, [data["id"]], lambda clip: edits.curve_point_added(clip, data["at_sample"]))
    return after, f"point on the gain curve of {_name(plan, data['id'])}"


def _draw(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    after = edits.set_clips(plan, [data["id"]], lambda clip: edits.curve_drawn(clip, data["points"]))
    return after, f"gain curve drawn on {_name(plan, data['id'])}"


def _clear(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    def cleared(clip: Clip) -> Clip:
        span = SampleSpan(data["from_sample"] - clip.start_sample, data["to_sample"] - data["from_sample"])
        return edits.curve_cleared(clip, span)

    return edits.set_clips(plan, data["ids"], cleared), f"gain curve cleared in {_names(plan, data['ids'])}"


def _group(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    name = f"{edits.NEW}group" if data["is_grouped"] else ""
    after = edits.set_clips(plan, data["ids"], lambda clip: replace(clip, group=name))
    return after, f"{'grouped' if data['is_grouped'] else 'ungrouped'} {_clips(len(data['ids']))}"


def _name_clip(_programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    after = edits.set_clips(plan, data["ids"], lambda clip: replace(clip, name=data["name"]))
    return after, f"named {data['name']}"


def _mend(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    source = programme.sources.filter(pk=data["source_id"]).first()
    if source is None:
        raise EditRefused("gone")
    remedies = [remedy for finding in source.findings for remedy in finding["remedies"]]
    remedy = next((remedy for remedy in remedies if remedy["code"] == data["code"]), None)
    ids = [clip_id for clip_id, (_, clip) in edits.clips_by_id(plan).items() if clip.source_key == source.sha256]
    if remedy is None or not ids:
        raise EditRefused("gone")
    cure = remedy_from_data(remedy)
    if data["is_undone"]:
        after = edits.set_clips(plan, ids, lambda clip: unmended(clip, cure, source.length_samples))
        return after, f"{source.name}: not “{remedy['words']}”"
    after = edits.set_clips(plan, ids, lambda clip: mended(clip, cure))
    return after, f"{source.name}: {remedy['words']}"


def _use(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    """Lay a recording, or the marked part of it, at a place."""
    source = programme.sources.filter(pk=data["source_id"], state=SourceState.READY).first()
    if source is None:
        raise EditRefused("gone")
    first = min(max(0, data["from_sample"]), source.length_samples - edits.LEAST_CLIP_SAMPLES)
    last = min(source.length_samples, data["to_sample"] or source.length_samples)
    if last - first < edits.LEAST_CLIP_SAMPLES:
        raise EditRefused("too_short")
    name = source.name.rsplit(".", 1)[0]
    clip = Clip(f"{edits.NEW}0", source.sha256, data["at_sample"], first, last - first, name=name)
    fade = min(RATE_HZ // 200, (last - first) // 2)
    clip = replace(clip, fade_in_samples=fade, fade_out_samples=fade)
    tracks = [track for track in plan.tracks if track.role is Role(source.role)]
    track_id = data["track_id"] or next(
        (t.track_id for t in tracks if all(c.span.intersect(clip.span) is None for c in t.clips)), ""
    )
    if not track_id:
        last = programme.tracks.order_by("-position").first()
        position = last.position + 1 if last else 0
        row = models.Track.objects.create(programme=programme, name=name[:255], role=source.role, position=position)
        track_id = str(row.pk)
        plan = replace(plan, tracks=(*plan.tracks, Track(track_id, row.name, Role(row.role))))
    return edits.add_clip(plan, track_id, clip), f"laid {name}"


def _extend(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    """Loop a clip at its best join until it has a length; shorter is a plain trim."""
    track, clip = edits.clips_by_id(plan).get(data["id"], (None, None))
    if track is None or clip is None:
        raise EditRefused("gone")
    wanted = data["length_samples"]
    if wanted <= clip.length_samples:
        cut = edits.cut_clip(clip, 0, max(wanted, edits.LEAST_CLIP_SAMPLES))
        return edits.set_clips(plan, [clip.clip_id], lambda _: cut), f"{clip.name} cut to length"
    source = stored_source(clip.source_key, _n_channels(programme, clip.source_key))
    join = best_join(
        source, SampleSpan(clip.in_sample, clip.length_samples), min(clip.length_samples // 3, 4 * RATE_HZ)
    )
    if join is None:
        raise EditRefused("no_join")
    fade = _JOIN_FADE_SAMPLES
    # Leave at the join, come in again where it is alike, as often as it takes; the end of the music closes it.
    first_length = join.leave_sample - clip.in_sample + fade // 2
    loop = join.leave_sample - join.enter_sample
    ending = clip.in_sample + clip.length_samples - join.enter_sample
    missing = wanted - (join.leave_sample - clip.in_sample) - ending
    parts = [(0, clip.in_sample, first_length)]
    at = join.leave_sample - clip.in_sample
    while missing > 0:
        parts.append((at - fade // 2, join.enter_sample - fade // 2, loop + fade))
        at += loop
        missing -= loop
    parts.append((at - fade // 2, join.enter_sample - fade // 2, ending + fade // 2))
    made = []
    for index, (start, in_sample, length) in enumerate(parts):
        is_first, is_last = index == 0, index == len(parts) - 1
        made.append(
            replace(
                clip,
                clip_id=clip.clip_id if is_first else f"{edits.NEW}{index}",
                start_sample=clip.start_sample + start,
                in_sample=in_sample,
                length_samples=min(length, wanted - start) if is_last else length,
                fade_in_samples=clip.fade_in_samples if is_first else fade,
                fade_out_samples=min(clip.fade_out_samples, max(0, length - fade)) if is_last else fade,
                fade_out_shape=clip.fade_out_shape if is_last else FadeShape.EQUAL_POWER,
                fade_in_shape=clip.fade_in_shape if is_first else FadeShape.EQUAL_POWER,
                curve=clip.curve if is_first else (),
                group=clip.group or f"{edits.NEW}group",
            )
        )
    made = [one for one in made if one.start_sample < clip.start_sample + wanted]
    tracks = tuple(
        replace(t, clips=(*(c for c in t.clips if c.clip_id != clip.clip_id), *made)) if t is track else t
        for t in plan.tracks
    )
    return replace(plan, tracks=tracks), f"{clip.name} looped at a join that is {100 * join.likeness:.0f} % alike"


def _fill(programme: Programme, plan: Plan, data: Data) -> tuple[Plan, str]:
    """Cover a gap between two clips with one clip of room tone."""
    gap = gap_at(plan, data["track_id"], data["at_sample"])
    keys = {gap.before.source_key, gap.after.source_key}
    energies = {key: source_energy(key)[:, :2].sum(axis=1) for key in keys}
    stretch = tone_stretch(gap, energies, speech_of(programme))
    key, in_sample = tone_source(programme, stretch, covered_samples(gap))
    after = with_room_tone(plan, gap, stretch.model, key, in_sample)
    return after, f"gap covered with room tone of {stretch.model.name}"


def _crossed(programme: Programme, before: Plan, after: Plan, ids: set[str]) -> Plan:
    """Overlaps that are new, or changed, become crossfades; their shape comes from how related both sides are."""
    channels = None

    def shape_of(earlier: Clip, later: Clip) -> FadeShape:
        nonlocal channels
        if channels is None:
            channels = dict(programme.sources.filter(state=SourceState.READY).values_list("sha256", "n_channels"))
        overlap = min(earlier.span.end_sample - later.start_sample, earlier.length_samples, later.length_samples)
        length = min(overlap, RATE_HZ)
        a = stored_source(earlier.source_key, channels[earlier.source_key])
        b = stored_source(later.source_key, channels[later.source_key])
        first = a.read(earlier.in_sample + later.start_sample - earlier.start_sample, length)
        second = b.read(later.in_sample, length)
        return FadeShape.EQUAL_GAIN if correlation(first, second) >= RELATED else FadeShape.EQUAL_POWER

    untouched = {id(track) for track in before.tracks} & {id(track) for track in after.tracks}

    def pairs_of(plan: Plan) -> dict[tuple[str, ...], tuple[SampleSpan, SampleSpan]]:
        found = (pair for track in plan.tracks if id(track) not in untouched for pair in edits.overlaps(track))
        return {tuple(sorted((a.clip_id, b.clip_id))): (a.span, b.span) for a, b in found}

    was, now = pairs_of(before), pairs_of(after)
    lengths = {pair: a.intersect(b) for pair, (a, b) in was.items()}
    fresh = {
        pair
        for pair, (a, b) in now.items()
        if pair not in lengths or (a.intersect(b) or a).length_samples != (lengths[pair] or a).length_samples
    }
    touched = {clip_id for pair in fresh for clip_id in pair if clip_id in ids}
    return edits.crossfaded(after, touched, shape_of) if touched else after


def _n_channels(programme: Programme, sha256: str) -> int:
    return int(programme.sources.filter(sha256=sha256).values_list("n_channels", flat=True)[0])


def _clips(n: int) -> str:
    return "1 clip" if n == 1 else f"{n} clips"


def _name(plan: Plan, clip_id: str) -> str:
    known = edits.clips_by_id(plan)
    return known[clip_id][1].name[:80] if clip_id in known else "a clip"


def _names(plan: Plan, ids: "list[str] | set[str]") -> str:
    return _name(plan, next(iter(ids))) if len(ids) == 1 else _clips(len(ids))


PLAN_EDITS: dict[str, PlanEdit] = (
    DUCK_PLAN_EDITS
    | LEVEL_PLAN_EDITS
    | {
        "move": _move,
        "place": _place,
        "trim": _trim,
        "slip": _slip,
        "split": _split,
        "delete": _delete,
        "paste": _paste,
        "fade": _fade,
        "crossfade": _crossfade,
        "level": _level,
        "curve": _curve,
        "point": _point,
        "point-add": _add_point,
        "draw": _draw,
        "curve-clear": _clear,
        "group": _group,
        "name": _name_clip,
        "mend": _mend,
        "use": _use,
        "extend": _extend,
        "fill": _fill,
    }
)
