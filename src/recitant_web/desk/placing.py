"""Clips for recordings: of a programme that is laid out at once, and of a source that became ready."""

from typing import Any

from django.db import transaction
from django.db.models import Max

from recitant_core.timeline.changes import Change
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_web.desk.log import inserted, record
from recitant_web.desk.models import Clip, Track
from recitant_web.programme.models import Programme, Source, SourceKind

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
        record(locked, None, f"{len(tracks)} tracks laid out", [], changes)


def place_source(source: Source) -> None:
    """The clip of a source that became ready: on a track of its role with room there, or on a new one."""
    programme = Programme.objects.select_for_update().get(pk=source.programme_id)
    name = source.name.rsplit(".", 1)[0] or source.name
    # What begins before the programme is cut there, so that the rest stays in sync.
    in_sample = min(max(0, -source.at_sample), source.length_samples - 1)
    start, length = max(0, source.at_sample), source.length_samples - in_sample
    track, made = _track_with_room(programme, source, name, SampleSpan(start, length))
    clip = Clip.objects.create(
        track=track,
        source=source,
        name=name[:255],
        start_sample=start,
        in_sample=in_sample,
        length_samples=length,
        fade_in_samples=min(EDGE_FADE_SAMPLES, length // 2),
        fade_out_samples=min(EDGE_FADE_SAMPLES, length // 2),
    )
    record(programme, None, f"{name[:150]} brought in", [], [*made, inserted("clip", clip)])


def _track_with_room(programme: Programme, source: Source, name: str, span: SampleSpan) -> tuple[Track, list[Change]]:
    if source.kind == SourceKind.TAKE or span.start_sample > 0:
        for track in programme.tracks.filter(role=source.role).order_by("position"):
            clips = track.clips.values_list("start_sample", "length_samples")
            if all(SampleSpan(start, length).intersect(span) is None for start, length in clips):
                return track, []
    last = programme.tracks.aggregate(last=Max("position"))["last"]
    position = 0 if last is None else last + 1
    track = Track.objects.create(programme=programme, name=name[:255], role=source.role, position=position)
    return track, [inserted("track", track)]
