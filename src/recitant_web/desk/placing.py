"""Clips for recordings: of a programme that is laid out at once, and of a source that became ready."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, Final

from django.db import transaction
from django.db.models import Max

from recitant_core.gain.envelope import FadeShape
from recitant_core.intake.microphones import Microphone, file_of, microphone_of, preferred
from recitant_core.timeline.changes import Change
from recitant_core.timeline.laying import AUTOMATIC, Laid, Laying, LayingOrder, Piece, laid_out
from recitant_core.timeline.model import Clip as ClipValue
from recitant_core.timeline.model import Take
from recitant_core.timeline.model import Track as TrackValue
from recitant_core.timeline.suggestion import PileFile, suggested
from recitant_core.timeline.takes import recorded_over
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.roles import Role
from recitant_text.steps import label
from recitant_web.desk.log import inserted, record
from recitant_web.desk.mapping.changes import changes_between
from recitant_web.desk.mapping.clips import take_to_data
from recitant_web.desk.mapping.plans import plan_of
from recitant_web.desk.models import Clip, Track
from recitant_web.programme.models import Picture, Pile, Programme, Source, SourceKind, SourceState

MOST_TRACKS: Final = 200
EDGE_FADE_SAMPLES = RATE_HZ // 200  # 5 ms: a clip neither starts nor ends with a click


def lay_out(programme: Programme, tracks: list[dict[str, Any]]) -> None:
    """Tracks with their clips, as the first edit of a programme.

    Args:
        tracks: name, role, gain_db, pan, and clips: the fields of a clip row each, with a ready source.
    """
    with transaction.atomic():
        locked = Programme.objects.select_for_update().get(pk=programme.pk)
        changes = []
        for position, data in enumerate(tracks):
            fields = {name: data[name] for name in ("name", "role", "gain_db", "pan")}
            track = Track.objects.create(programme=locked, position=position, **fields)
            changes.append(inserted("track", track))
            changes += [inserted("clip", Clip.objects.create(track=track, **clip)) for clip in data["clips"]]
        record(locked, None, label("tracks-laid-out", n=len(tracks)), [], changes)


def place_source(source: Source) -> None:
    """The clip of a source that became ready: on a track of its role with room there, or on a new one.

    A file that came with others is laid with them; a film's own sound stays where its picture is.
    """
    if source.pile is not None and not source.has_picture:
        lay_pile(source.pile)
        return
    programme = Programme.objects.select_for_update().get(pk=source.programme_id)
    if source.channel is not None:
        place_microphones(programme, source.original_file)
        return
    name = _name(source)
    if source.recorded_to:
        _lay_take(programme, source, name)
        return
    # What begins before the programme is cut there, so that the rest stays in sync.
    in_sample = min(max(0, -source.at_sample), source.ready_length_samples - 1)
    start, length = max(0, source.at_sample), source.ready_length_samples - in_sample
    track, made = _track_with_room(programme, source, name, SampleSpan(start, length))
    clip = _clip(programme, track, source, start, in_sample)
    record(programme, None, label("brought-in", name=name[:150]), [], [*made, inserted("clip", clip)])


def place_microphones(programme: Programme, original_file: str) -> None:
    """One clip for the channels of a recorder file, once each is ready or refused: one sounds, the others are takes.

    Args:
        programme: locked.
    """
    channels = programme.sources.filter(original_file=original_file, channel__isnull=False).order_by("channel")
    if channels.filter(state=SourceState.WAITING).exists():
        return
    ready = list(channels.filter(state=SourceState.READY, clip__isnull=True))
    if not ready or channels.filter(clip__isnull=False).exists():
        return
    chosen, _ = _microphones(ready)
    start = max(0, chosen.at_sample)
    span = SampleSpan(start, chosen.ready_length_samples)
    track, made = _track_with_room(programme, chosen, file_of(_name(chosen)), span)
    clip = _clip(programme, track, chosen, start, 0, ready)
    step = label("microphones-brought-in", name=file_of(_name(chosen))[:120], n=len(ready))
    record(programme, None, step, [], [*made, inserted("clip", clip)])


def place_channels_left(source: Source) -> None:
    """Lay the other channels of a recorder file where the last one of them was refused."""
    programme = Programme.objects.select_for_update().get(pk=source.programme_id)
    place_microphones(programme, source.original_file)


def _microphones(ready: Sequence[Source]) -> tuple[Source, int]:
    """The channel of a recorder file that sounds, and its place among those that are ready."""
    microphones = []
    for one in ready:
        noise = one.noise
        heard = noise["speech_dbfs"] - noise["floor_dbfs"] if noise.get("speech_dbfs") is not None else None
        microphones.append(Microphone(microphone_of(_name(one)), heard, one.readings.get("integrated_lufs")))
    index = preferred(microphones)
    return ready[index], index


def _lay_take(programme: Programme, source: Source, name: str) -> None:
    """A take on the track that it was recorded to: where a clip lies, it becomes the take of it that sounds."""
    to = source.recorded_to
    before = plan = plan_of(programme)
    track_id = str(to["track_id"])
    if track_id not in {track.track_id for track in plan.tracks}:
        name_of_role = Role(source.role).label
        row = Track.objects.create(
            programme=programme, name=name_of_role, role=source.role, position=_next_position(programme)
        )
        track_id = str(row.pk)
        plan = replace(plan, tracks=(*plan.tracks, TrackValue(track_id, name_of_role, Role(source.role))))
    # The recording holds some seconds before and after the range, so that its edges can still be moved.
    in_sample = min(max(0, to.get("in_sample", 0)), source.ready_length_samples - 1)
    length = min(to.get("length_samples") or source.ready_length_samples, source.ready_length_samples - in_sample)
    edge = min(EDGE_FADE_SAMPLES, length // 2)
    clip = ClipValue("", source.sha256, source.at_sample, in_sample, length, 0.0, edge, edge, name=name[:255])
    after = recorded_over(plan, track_id, clip, is_range=bool(to.get("is_range")))
    changes, made, _ = changes_between(programme, before, after)
    record(programme, None, label("recorded", name=name[:150]), changes, made)


def lay_pile(pile: Pile) -> None:
    """Lay files that came together, as one step, once all were sent and each is ready or refused; else nothing yet."""
    with transaction.atomic():
        programme = Programme.objects.select_for_update().get(pk=pile.programme_id)
        found = programme.piles.filter(pk=pile.pk, is_whole=True).first()
        if found is None or found.uploads.exists() or found.sources.filter(state=SourceState.WAITING).exists():
            return
        ready = list(
            found.sources.filter(state=SourceState.READY, has_picture=False, clip__isnull=True).order_by(
                "pile_place", "pk"
            )
        )
        together = _recorder_files(ready)
        sounding = [s for s in ready if s.channel is None or s.pk in together]
        pieces = [
            Piece(
                str(s.pk),
                file_of(_name(s)) if s.pk in together else _name(s),
                Role(s.role),
                s.ready_length_samples,
                max(0, s.at_sample),
                s.reference_samples,
            )
            for s in sounding
        ]
        how = _suggested(pieces) if found.how == AUTOMATIC else Laying(found.how)
        found.delete()
        if not pieces:
            return
        changes: list[Change] = []
        by_key = {str(source.pk): source for source in ready}
        for laid in laid_out(pieces, how, LayingOrder(found.order), origin=picture_origin(programme)):
            track, from_sample, made = _track_for(programme, laid, how)
            changes += made
            changes += [
                inserted(
                    "clip",
                    _clip(programme, track, by_key[piece.key], at + from_sample, 0, together.get(int(piece.key), ())),
                )
                for piece, at in laid.pieces
            ]
        record(programme, None, label("pile-brought-in", n=len(pieces), how=how.value), [], changes)


def _recorder_files(ready: Sequence[Source]) -> dict[int, list[Source]]:
    """By the channel that sounds: all channels of its recorder file, itself among them."""
    files: dict[str, list[Source]] = {}
    for one in ready:
        if one.channel is not None:
            files.setdefault(one.original_file, []).append(one)
    found = {}
    for channels in files.values():
        channels.sort(key=lambda one: one.channel or 0)
        found[_microphones(channels)[0].pk] = channels
    return found


def _suggested(pieces: Sequence[Piece]) -> Laying:
    return suggested(
        [PileFile(one.name, one.length_samples / RATE_HZ, one.reference_samples is not None) for one in pieces]
    )


def _track_for(programme: Programme, laid: Laid, how: Laying) -> tuple[Track, int, list[Change]]:
    """The track for a laying, and from where on: one of that name goes on where it ends."""
    if how not in (Laying.APART, Laying.TIMES):
        same = programme.tracks.filter(name=laid.name, role=laid.role.value).order_by("position").first()
        if same is not None:
            ends = [start + length for start, length in same.clips.values_list("start_sample", "length_samples")]
            return same, max(ends, default=0), []
    track = Track.objects.create(
        programme=programme, name=laid.name[:255], role=laid.role.value, position=_next_position(programme)
    )
    return track, 0, [inserted("track", track)]


def _sync_sample(programme: Programme, source: Source, start_sample: int, in_sample: int) -> int | None:
    """Tie of a clip that is laid: a film's own sound, and what lies where its timecode has it beside the picture's."""
    picture = Picture.objects.filter(programme=programme).first()
    if picture is None:
        return None
    first = start_sample - in_sample
    is_own = source.has_picture and source.original_file == picture.original_file
    has_timecode = source.reference_samples is not None and picture.reference_samples is not None
    if is_own or (has_timecode and first == (source.reference_samples or 0) - picture_origin(programme)):
        return first - programme.picture_offset_samples
    return None


def _clip(
    programme: Programme,
    track: Track,
    source: Source,
    start_sample: int,
    in_sample: int,
    channels: Sequence[Source] = (),
) -> Clip:
    """The clip of a recording.

    Args:
        channels: of its recorder file in order, itself among them; the others are its takes.
    """
    others = [one for one in channels if one.pk != source.pk]
    length = source.ready_length_samples - in_sample
    fades = programme.new_fades
    shape = fades.get("shape", FadeShape.EQUAL_POWER.value)
    return Clip.objects.create(
        track=track,
        source=source,
        name=_name(source)[:255],
        start_sample=start_sample,
        in_sample=in_sample,
        length_samples=length,
        fade_in_samples=min(fades.get("in_samples", EDGE_FADE_SAMPLES), length // 2),
        fade_out_samples=min(fades.get("out_samples", EDGE_FADE_SAMPLES), length // 2),
        fade_in_shape=shape,
        fade_out_shape=shape,
        sync_sample=_sync_sample(programme, source, start_sample, in_sample),
        takes=[take_to_data(Take(one.sha256, 0, name=_name(one)[:255])) for one in others],
        take_index=next((k for k, one in enumerate(channels) if one.pk == source.pk), 0),
    )


def _name(source: Source) -> str:
    return source.name.rsplit(".", 1)[0] or source.name


def _next_position(programme: Programme) -> int:
    last = programme.tracks.aggregate(last=Max("position"))["last"]
    return 0 if last is None else last + 1


def picture_origin(programme: Programme) -> int:
    """Time of day at programme start as the picture has it, in samples; 0 where it says none."""
    picture = Picture.objects.filter(programme=programme).first()
    if picture is None or picture.reference_samples is None:
        return 0
    return picture.reference_samples - programme.picture_offset_samples


def has_picture_timecode(programme: Programme) -> bool:
    """Whether the picture says at what time of day it begins."""
    return Picture.objects.filter(programme=programme, reference_samples__isnull=False).exists()


def _track_with_room(programme: Programme, source: Source, name: str, span: SampleSpan) -> tuple[Track, list[Change]]:
    if source.kind == SourceKind.TAKE or span.start_sample > 0:
        for track in programme.tracks.filter(role=source.role).order_by("position"):
            clips = track.clips.values_list("start_sample", "length_samples")
            if all(SampleSpan(start, length).intersect(span) is None for start, length in clips):
                return track, []
    position = _next_position(programme)
    track = Track.objects.create(programme=programme, name=name[:255], role=source.role, position=position)
    return track, [inserted("track", track)]
