"""Use cases of programmes: make one, bring files in, whole or piece by piece."""

import shutil
import tempfile
import uuid
from collections.abc import Iterable
from datetime import datetime, timedelta
from functools import partial
from pathlib import Path
from typing import IO, Any

from django.conf import settings
from django.db import transaction
from django.db.models import Max, Sum
from django.utils import timezone

from recitant_core.errors import EditRefused, MalformedRequest, NotThere, PlanError, StorageFull, UnreadableMedia
from recitant_core.timeline.laying import AUTOMATIC, Laying, LayingOrder
from recitant_io.media.storage import require_room, size_text, storage_errors
from recitant_text.messages import Message
from recitant_web.accounts.models import Workspace
from recitant_web.accounts.queries import is_role_of
from recitant_web.jobs.actions import require_turn
from recitant_web.jobs.models import Job
from recitant_web.programme.ingesting import INGEST, SHOWN_AS, start_source_job
from recitant_web.programme.models import Picture, Pile, Programme, Source, SourceKind, SourceState, Upload
from recitant_web.programme.signals import channel_refused, original_asked, pile_changed
from recitant_web.shared.media import drop, media_path
from recitant_web.shared.names import safe_name

UPLOAD_KEPT = timedelta(days=7)
PARTS_KEPT = timedelta(days=1)
_ROOM_FACTOR = 3  # the file itself and its float copy at 48 kHz


def create_programme(workspace: Workspace, title: str, frame_rate: str, spec_id: str) -> Programme:
    """A programme with nothing in it yet."""
    return Programme.objects.create(
        workspace=workspace, title=title.strip()[:200] or "Untitled", frame_rate=frame_rate, spec_id=spec_id
    )


def bring_in(
    programme: Programme,
    role: str,
    name: str,
    size_bytes: int,
    chunks: Iterable[bytes],
    *,
    is_placed: bool = True,
    kind: SourceKind = SourceKind.FILE,
    at_sample: int = 0,
    recorded_to: dict[str, Any] | None = None,
) -> Source:
    """Keep a file under a name of ours and send it to intake.

    Args:
        role: of its track; empty to have it guessed.
        is_placed: a file that is not to be placed waits for ingest to be called.
        at_sample: where its clip is laid, unless the file knows better.
        recorded_to: of a take, see Source.

    Raises:
        PlanError: no such role. UnreadableMedia: nothing in it. StorageFull: no room for it and its working copy.
    """
    # over eight parameters: a file as it came, and where it is meant to go
    _require_role(programme, role)
    shown = safe_name(name)
    if size_bytes == 0:
        raise UnreadableMedia("empty_file", file=shown)
    relative, path = _new_original(programme)
    with storage_errors():
        require_room(Path(settings.MEDIA_ROOT), shown, size_bytes * _ROOM_FACTOR + _reserved_bytes())
        try:
            with path.open("wb") as file:
                for chunk in chunks:
                    file.write(chunk)
        except OSError:
            path.unlink(missing_ok=True)
            raise
    return _begin(
        programme,
        role,
        shown,
        relative,
        size_bytes,
        kind,
        at_sample,
        is_placed=is_placed,
        recorded_to=recorded_to or {},
    )


def begin_pile(programme: Programme, how: str, order: str) -> Pile:
    """A pile of files that are to be laid out together once all are there.

    Raises:
        MalformedRequest: no such way to lay them.
    """
    if how not in {*Laying, AUTOMATIC} or order not in set(LayingOrder):
        raise MalformedRequest("malformed", field="how")
    return Pile.objects.create(programme=programme, how=how, order=order)


def close_pile(pile: Pile) -> None:
    """Say that all files of a pile were sent: it is laid out as soon as the last of them is ready."""
    with transaction.atomic():
        pile.is_whole = True
        pile.save(update_fields=["is_whole"])
        pile_changed.send(sender=Pile, pile=pile)


def begin_upload(
    programme: Programme,
    role: str,
    name: str,
    size_bytes: int,
    fingerprint: str,
    pile: Pile | None = None,
    pile_place: int = 0,
) -> Upload:
    """An upload to send pieces of: a new one, or the one of the same file that stopped half way.

    Args:
        pile: that the file is laid out with; None where it is laid by itself.
        pile_place: in the order in which the files of the pile were chosen.

    Raises:
        PlanError: no such role. UnreadableMedia: nothing in it. StorageFull: no room for it and its working copy.
    """
    _require_role(programme, role)
    shown = safe_name(name)
    if size_bytes <= 0:
        raise UnreadableMedia("empty_file", file=shown)
    found = programme.uploads.filter(fingerprint=fingerprint, size_bytes=size_bytes, role=role).first()
    if found is not None and media_path(found.file).exists():
        found.pile, found.pile_place = pile, pile_place
        found.save(update_fields=["pile", "pile_place"])
        return found
    _require_share(programme.workspace, shown, size_bytes)
    with storage_errors():
        require_room(Path(settings.MEDIA_ROOT), shown, size_bytes * _ROOM_FACTOR + _reserved_bytes())
        relative, path = _new_original(programme)
        path.touch()
    return Upload.objects.create(
        programme=programme,
        token=uuid.uuid4().hex,
        fingerprint=fingerprint[:128],
        name=shown,
        role=role,
        size_bytes=size_bytes,
        file=relative,
        pile=pile,
        pile_place=pile_place,
    )


def receive_piece(upload: Upload, at_byte: int, pieces: Iterable[bytes]) -> tuple[Upload, Source | None]:
    """Write what arrived; the last piece makes the file a source and sends it to intake.

    Args:
        pieces: as they come from the line. They are read to a file first: a slow line holds no transaction.

    Raises:
        NotThere: no such upload.
        EditRefused: the piece does not join what is there; the upload tells where to go on.
        UnreadableMedia: more than was announced. StorageFull: no room left; what had arrived stays.
    """
    if at_byte != upload.received_bytes:
        raise EditRefused("piece_out_of_place", received=upload.received_bytes)
    with storage_errors(), tempfile.TemporaryFile(dir=settings.FILE_UPLOAD_TEMP_DIR) as arrived:
        n_bytes = 0
        for piece in pieces:
            n_bytes += len(piece)
            if at_byte + n_bytes > upload.size_bytes:
                raise UnreadableMedia("upload_incomplete", file=upload.name)
            arrived.write(piece)
        arrived.seek(0)
        try:
            return _join(upload, at_byte, arrived, n_bytes)
        except FileNotFoundError as error:  # what had arrived was removed: it must be sent from the start
            raise NotThere() from error


def _join(upload: Upload, at_byte: int, arrived: IO[bytes], n_bytes: int) -> tuple[Upload, Source | None]:
    with transaction.atomic():
        locked = Upload.objects.select_for_update().filter(pk=upload.pk).first()
        if locked is None:
            raise NotThere()
        if at_byte != locked.received_bytes:
            raise EditRefused("piece_out_of_place", received=locked.received_bytes)
        path = media_path(locked.file)
        with path.open("r+b") as file:
            file.seek(at_byte)
            shutil.copyfileobj(arrived, file)
            file.truncate()
        locked.received_bytes += n_bytes
        locked.save(update_fields=["received_bytes"])
        if locked.received_bytes < locked.size_bytes:
            return locked, None
        source = _begin(
            locked.programme,
            locked.role,
            locked.name,
            locked.file,
            locked.size_bytes,
            SourceKind.FILE,
            0,
            is_placed=True,
            upload=locked,
        )
        locked.delete()
    return locked, source


def drop_upload(upload: Upload) -> None:
    """Forget an upload and what had arrived of it."""
    media_path(upload.file).unlink(missing_ok=True)
    with transaction.atomic():
        upload.delete()
        if upload.pile is not None:
            pile_changed.send(sender=Pile, pile=upload.pile)


def drop_old_uploads() -> int:
    """Forget uploads that nobody went on with for a week; how many there were."""
    old = list(Upload.objects.filter(created_at__lt=timezone.now() - UPLOAD_KEPT))
    for upload in old:
        drop_upload(upload)
    return len(old)


def drop_left_parts(now: datetime | None = None) -> int:
    """Remove files that were begun and never finished, as by a process that died; how many there were."""
    over = (now or timezone.now()) - PARTS_KEPT
    left = [path for path in Path(settings.MEDIA_ROOT).rglob("*") if path.suffix == ".part" or ".part." in path.name]
    left += [path for path in Path(settings.FILE_UPLOAD_TEMP_DIR).glob("*") if path.is_file()]
    old = [path for path in left if path.lstat().st_mtime < over.timestamp()]
    for path in old:
        path.unlink(missing_ok=True)
    names = [path for path in Path(settings.MEDIA_ROOT).glob(f"originals/*/*{SHOWN_AS}*") if path.is_dir()]
    left_names = [path for path in names if path.lstat().st_mtime < over.timestamp()]
    for path in left_names:
        shutil.rmtree(path, ignore_errors=True)
    return len(old) + len(left_names)


def bring_in_sound_track(source: Source, sound_track: int) -> Source:
    """Another sound track of a file that was brought in, as a source of its own; the file is shared.

    Raises:
        NotThere: the file has no such sound track.
    """
    if not 0 <= sound_track < len(source.sound_tracks):
        raise NotThere()
    with transaction.atomic():
        other = Source.objects.create(
            programme=source.programme,
            name=_name_of_track(source, sound_track)[:255],
            original_file=source.original_file,
            size_bytes=source.size_bytes,
            sound_track=sound_track,
        )
        other.job = start_source_job(INGEST, other)
        other.save(update_fields=["job"])
    return other


def _name_of_track(source: Source, sound_track: int) -> str:
    """The name that the film gives the track, or its number."""
    own = " ".join(str(source.sound_tracks[sound_track].get("name", "")).split())
    # What encoders write where nobody named a track.
    if not own or own.lower().replace(" ", "") in ("soundhandler", "soundmediahandler", "coremediaaudio"):
        own = f"track {sound_track + 1}"
    return f"{own}, {source.name}"


def try_again(source: Source) -> None:
    """Send a refused source through intake once more."""
    with transaction.atomic():
        locked = Source.objects.select_for_update().get(pk=source.pk)
        if locked.state == SourceState.REFUSED:
            locked.state, locked.message = SourceState.WAITING, {}
            locked.job = start_source_job(INGEST, source)
            locked.save(update_fields=["state", "message", "job"])


def wait_again(job: Job) -> None:
    """Take back the refusal of a source whose intake is tried again."""
    if job.kind == INGEST:
        refused = Source.objects.filter(pk=job.payload.get("source_id"), state=SourceState.REFUSED)
        refused.update(state=SourceState.WAITING, message={}, job=job)


def refuse_source(source_id: int, message: Message) -> None:
    """Mark a source as not usable, and why."""
    waiting = Source.objects.filter(pk=source_id, state=SourceState.WAITING)
    with transaction.atomic():
        pile = Pile.objects.filter(sources__in=waiting).first()
        channel = waiting.filter(channel__isnull=False, pile__isnull=True).first()
        waiting.update(state=SourceState.REFUSED, message=message)
        if pile is not None:
            pile_changed.send(sender=Pile, pile=pile)
        if channel is not None:
            channel_refused.send(sender=Source, source=channel)


def remove_refused(source: Source) -> None:
    """Take a refused source away, and its file once nothing else needs it.

    Raises:
        EditRefused: it is being read, or was read meanwhile.
    """
    with transaction.atomic():
        locked = Source.objects.select_for_update().filter(pk=source.pk).first()
        if locked is None:
            return
        if locked.state != SourceState.REFUSED:
            raise EditRefused("not_refused", file=locked.name)
        locked.delete()
        transaction.on_commit(partial(drop_original, locked.original_file))


def drop_original(relative: str) -> None:
    """Remove a file as it was brought in, unless another recording, picture or sound is it too."""
    owners = (Source, Picture)
    if any(owner.objects.filter(original_file=relative).exists() for owner in owners):
        return
    if not any(is_needed for _, is_needed in original_asked.send(sender=Source, original_file=relative)):
        drop(relative)


def _reserved_bytes() -> int:
    """Room that announced uploads still need: what has not arrived, and the working copies of all of them."""
    found = Upload.objects.aggregate(size=Sum("size_bytes"), received=Sum("received_bytes"))
    return (found["size"] or 0) * _ROOM_FACTOR - (found["received"] or 0)


def _require_share(workspace: Workspace, shown: str, size_bytes: int) -> None:
    """Refuse a file where its workspace has as many under way, or as much of the disk, as it may."""
    require_turn(workspace)
    under_way = Upload.objects.filter(programme__workspace=workspace)
    if 0 < settings.WORKSPACE_UPLOADS <= under_way.count():
        raise EditRefused("too_many_uploads", most=settings.WORKSPACE_UPLOADS)
    most_bytes = settings.WORKSPACE_GB * 1e9
    if most_bytes:
        files = Source.objects.filter(programme__workspace=workspace).values("original_file")
        sizes = files.annotate(size=Max("size_bytes")).values_list("size", flat=True)
        used = sum(sizes) + (under_way.aggregate(size=Sum("size_bytes"))["size"] or 0)
        if used + size_bytes > most_bytes:
            facts = {"used": size_text(used), "most": size_text(round(most_bytes)), "needed": size_text(size_bytes)}
            raise StorageFull("workspace_full", file=shown, **facts)


def _require_role(programme: Programme, role: str) -> None:
    if role and not is_role_of(programme.workspace, role):
        raise PlanError("not_a_role", found=role)


def _new_original(programme: Programme) -> tuple[str, Path]:
    relative = f"originals/{programme.pk}/{uuid.uuid4().hex}"
    path = media_path(relative)
    with storage_errors():
        path.parent.mkdir(parents=True, exist_ok=True)
    return relative, path


def _begin(
    programme: Programme,
    role: str,
    shown: str,
    relative: str,
    size_bytes: int,
    kind: SourceKind,
    at_sample: int,
    *,
    is_placed: bool,
    upload: Upload | None = None,
    recorded_to: dict[str, Any] | None = None,
) -> Source:
    # over eight parameters: the fields of a new source, from its two makers above
    with transaction.atomic():
        source = Source.objects.create(
            programme=programme,
            name=shown,
            role=role,
            original_file=relative,
            size_bytes=size_bytes,
            kind=kind,
            at_sample=at_sample,
            recorded_to=recorded_to or {},
            pile=upload.pile if upload is not None else None,
            pile_place=upload.pile_place if upload is not None else 0,
        )
        if is_placed:
            source.job = start_source_job(INGEST, source)
            source.save(update_fields=["job"])
    return source
