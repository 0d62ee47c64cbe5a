"""Use cases of the list of programmes: rename, duplicate, archive, delete for good after its time, and make room."""

from datetime import datetime
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.db import models, transaction
from django.utils import timezone

from recitant_core.errors import EditRefused
from recitant_web.delivery.models import ProgrammeLabels, SheetLine
from recitant_web.desk.edits.programme import SetProgramme
from recitant_web.desk.models import Clip, Duck, Edit, EditState, Marker, Stem, Track
from recitant_web.library.models import Sound
from recitant_web.programme.actions import drop_original
from recitant_web.programme.models import Picture, Programme, Source
from recitant_web.programme.queries import conformed_name
from recitant_web.programmes.queries import keys_in_use, mentions, versions_that_need
from recitant_web.shared.media import drop, media_path
from recitant_web.shared.shapes import converted
from recitant_web.transcript.models import Caption, Speaker, Transcript, WordMark


def rename(programme: Programme, user: User, title: str) -> None:
    """Another title, as a step of the log.

    Raises:
        EditRefused: nothing in it.
    """
    converted(SetProgramme, {"revision": programme.revision, "title": title}).carry_out(programme, user)


def duplicate(programme: Programme, title: str, *, with_media: bool) -> Programme:
    """A copy of a programme; recordings are shared, not copied. Its log begins anew.

    Args:
        with_media: with recordings, clips, markers and picture; else its tracks, faders, processors, rules and its
            delivery sheet alone.
    """
    with transaction.atomic():
        made: Programme = _copied(programme, title=title[:200], revision=0, judged={}, archived_at=None)
        sources = _copied_sources(programme, made) if with_media else {}
        tracks = {row.pk: _copied(row, programme=made) for row in Track.objects.filter(programme=programme)}
        for stem in Stem.objects.filter(programme=programme):
            _copied(stem, programme=made, **({} if with_media else {"trim": [], "ride": {}}))
        for duck in Duck.objects.filter(programme=programme):
            _copied(duck, programme=made, **_duck_fields(duck, tracks, with_media=with_media))
        for line in SheetLine.objects.filter(programme=programme):
            _copied(line, programme=made)
        for labels in ProgrammeLabels.objects.filter(programme=programme):
            _copied(labels, programme=made)
        if with_media:
            for clip in Clip.objects.filter(track__programme=programme):
                _copied(clip, track=tracks[clip.track_id], source=sources[clip.source_id])
            for marker in Marker.objects.filter(programme=programme):
                _copied(marker, programme=made)
            for picture in Picture.objects.filter(programme=programme):
                _copied(picture, programme=made, job=None)
            _copy_words(programme, made, sources)
        return made


def archive(programme: Programme, *, is_archived: bool) -> None:
    """Put a programme out of the way, or back."""
    Programme.objects.filter(pk=programme.pk).update(archived_at=timezone.now() if is_archived else None)


def delete(programme: Programme) -> None:
    """Take a programme away; it can be brought back for thirty days."""
    Programme.objects.filter(pk=programme.pk).update(deleted_at=timezone.now())


def bring_back(programme: Programme) -> None:
    """A deleted programme as it was."""
    Programme.objects.filter(pk=programme.pk).update(deleted_at=None)


def sweep(now: datetime | None = None) -> int:
    """Remove for good what was deleted longer ago than it is kept; how many programmes there were."""
    over = list(Programme.objects.filter(deleted_at__lt=(now or timezone.now()) - settings.DELETED_KEPT))
    for programme in over:
        purge(programme)
    return len(over)


def purge(programme: Programme) -> None:
    """Remove a programme with its files for good; recordings that another one uses stay."""
    sources = Source.objects.filter(programme=programme)
    originals = set(sources.values_list("original_file", flat=True))
    hashes = set(sources.exclude(sha256="").values_list("sha256", flat=True))
    pictures = list(Picture.objects.filter(programme=programme))
    folders = [folder for folder in programme.deliveries.values_list("folder", flat=True) if folder]
    with transaction.atomic():
        Clip.objects.filter(track__programme=programme).delete()
        sources.update(varied_from=None)
        programme.delete()
    for relative in originals | {picture.original_file for picture in pictures}:
        drop_original(relative)
    for picture in pictures:
        if picture.proxy_file and not Picture.objects.filter(proxy_file=picture.proxy_file).exists():
            drop(picture.proxy_file)
        media_path(f"stills/{picture.pk}.jpg").unlink(missing_ok=True)
    for folder in folders:
        drop(folder)
    for sha256 in hashes:
        _drop_conformed(sha256)


def remove_recording(source: Source) -> None:
    """Remove a recording that no clip uses, and its file. Undo no longer reaches behind the last step that used it.

    Raises:
        EditRefused: a clip, or a version that somebody keeps, still needs it.
    """
    with transaction.atomic():
        locked = Programme.objects.select_for_update().get(pk=source.programme_id)
        if source.sha256 in keys_in_use(locked) or source.variations.exists():
            raise EditRefused("recording_in_use", name=source.name)
        kept = versions_that_need(source)
        if kept:
            raise EditRefused("recording_in_version", name=source.name, version=kept[0])
        newest = mentions(source).order_by("-pk").values_list("pk", flat=True).first()
        if newest is not None:
            Edit.objects.filter(programme=locked, pk__lte=newest).update(state=EditState.DROPPED)
            Edit.objects.filter(programme=locked, state=EditState.UNDONE).update(state=EditState.DROPPED)
        original, sha256 = source.original_file, source.sha256
        source.delete()
    drop_original(original)
    if sha256:
        _drop_conformed(sha256)


def _drop_conformed(sha256: str) -> None:
    if not Source.objects.filter(sha256=sha256).exists() and not Sound.objects.filter(sha256=sha256).exists():
        drop(conformed_name(sha256))


def _copied(row: Any, **changed: Any) -> Any:
    values = {f.attname: getattr(row, f.attname) for f in row._meta.concrete_fields if not f.primary_key}
    fields = {f.name for f in row._meta.concrete_fields if isinstance(f, models.ForeignKey)}
    for name in changed:
        if name in fields:
            values.pop(f"{name}_id", None)
    return type(row)._default_manager.create(**(values | changed))


def _copied_sources(programme: Programme, made: Programme) -> dict[int, Source]:
    rows = list(Source.objects.filter(programme=programme).order_by("pk"))
    copies = {row.pk: _copied(row, programme=made, job=None, pile=None, varied_from=None) for row in rows}
    for row in rows:
        if row.varied_from_id is not None:
            copies[row.pk].varied_from = copies[row.varied_from_id]
            copies[row.pk].save(update_fields=["varied_from"])
    return copies


def _copy_words(programme: Programme, made: Programme, sources: dict[int, Source]) -> None:
    # Words hold the numbers of those who say them.
    people = {row.pk: _copied(row, programme=made, same_as=None) for row in Speaker.objects.filter(programme=programme)}
    for row in Speaker.objects.filter(programme=programme):
        if row.same_as_id is not None:
            people[row.pk].same_as = people[row.same_as_id]
            people[row.pk].save(update_fields=["same_as"])
    for heard in Transcript.objects.filter(source__programme=programme):
        words = [[*word[:4], people[word[4]].pk if word[4] in people else 0] for word in heard.words]
        _copied(heard, source=sources[heard.source_id], job=None, words=words)
    for mark in WordMark.objects.filter(source__programme=programme).order_by("pk"):
        speaker = None if mark.speaker_id is None else people.get(mark.speaker_id)
        _copied(mark, source=sources[mark.source_id], speaker=speaker)
    for caption in Caption.objects.filter(programme=programme):
        _copied(caption, programme=made)


def _duck_fields(duck: Duck, tracks: dict[int, Track], *, with_media: bool) -> dict[str, Any]:
    fields: dict[str, Any] = {} if with_media else {"points": [], "room_points": []}
    fields["track"] = tracks[duck.track_id] if duck.track_id is not None else None
    keys = duck.rule.get("keys")
    if keys:
        fields["rule"] = duck.rule | {"keys": [str(tracks[int(key)].pk) for key in keys if int(key) in tracks]}
    return fields
