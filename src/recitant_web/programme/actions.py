"""Use cases of programmes: make one, bring a file in, take it through intake."""

import contextlib
import shutil
import unicodedata
import uuid
from collections.abc import Iterable
from pathlib import Path, PurePosixPath, PureWindowsPath

from django.conf import settings
from django.db import transaction

from recitant_core.errors import PlanError, UnreadableMedia
from recitant_core.ports import Progress
from recitant_io.conform import conform, file_hash, require_room, storage_errors
from recitant_io.delivery import readings_data
from recitant_web.accounts.models import Workspace
from recitant_web.jobs.actions import start_job
from recitant_web.programme.models import ROLES, Programme, Source, SourceState
from recitant_web.programme.queries import conformed_folder
from recitant_web.programme.signals import source_ready

INGEST = "programme.ingest"
_ROOM_FACTOR = 3  # the file itself and its float copy at 48 kHz


def create_programme(workspace: Workspace, title: str, frame_rate: str, spec_id: str) -> Programme:
    """A programme with nothing in it yet."""
    return Programme.objects.create(
        workspace=workspace, title=title.strip()[:200] or "Untitled", frame_rate=frame_rate, spec_id=spec_id
    )


def safe_name(name: str) -> str:
    """What is shown for a file: its last part, without control characters, never empty.

    >>> safe_name("../../etc/passwd")
    'passwd'
    """
    last = PureWindowsPath(PurePosixPath(name).name).name
    # Characters that turn or hide text would let a name pretend to be another.
    kept = "".join(c for c in unicodedata.normalize("NFC", last) if unicodedata.category(c)[0] != "C").strip()
    return kept[:255] or "unnamed"


def bring_in(
    programme: Programme, role: str, name: str, size_bytes: int, chunks: Iterable[bytes], *, is_placed: bool = True
) -> Source:
    """Keep an uploaded file under a name of ours and send it to intake.

    A file that is not to be placed waits for ingest to be called.

    Raises:
        PlanError: no such role. UnreadableMedia: nothing in it. StorageFull: no room for it and its working copy.
    """
    if role not in dict(ROLES):
        raise PlanError("not_a_role", found=role)
    shown = safe_name(name)
    if size_bytes == 0:
        raise UnreadableMedia("empty_file", file=shown)
    root = Path(settings.MEDIA_ROOT)
    relative = f"originals/{programme.pk}/{uuid.uuid4().hex}"
    path = root / relative
    with storage_errors():
        path.parent.mkdir(parents=True, exist_ok=True)
        require_room(root, shown, size_bytes * _ROOM_FACTOR)
        try:
            with path.open("wb") as file:
                for chunk in chunks:
                    file.write(chunk)
        except OSError:
            path.unlink(missing_ok=True)
            raise
    with transaction.atomic():
        source = Source.objects.create(
            programme=programme, name=shown, role=role, original_file=relative, size_bytes=size_bytes
        )
        if is_placed:
            source.job = start_job(programme.workspace, INGEST, {"source_id": source.pk})
            source.save(update_fields=["job"])
    return source


def ingest(source_id: int, progress: Progress) -> str:
    """Take a source through intake: hash, conform, measure; ready or refused with a sentence.

    Raises:
        MediaError, StorageFull: the source is refused; its file stays where it is.
    """
    source = Source.objects.select_related("programme").get(pk=source_id)
    if source.state == SourceState.READY:
        return f"{source.name} is ready."
    original = Path(settings.MEDIA_ROOT) / source.original_file
    # Sentences name the file as the user knows it, so it is read under that name.
    with _shown_as(original, source.name) as path:
        sha256 = file_hash(path)
        conformed = conform(path, conformed_folder(sha256), progress)
    with transaction.atomic():
        source.sha256 = sha256
        source.n_channels = conformed.n_channels
        source.rate_hz = conformed.rate_hz
        source.coding = conformed.coding[:60]
        source.length_samples = conformed.length_samples
        source.readings = readings_data(conformed.readings)
        source.state = SourceState.READY
        source.save()
        if source.job_id is not None:
            source_ready.send(sender=Source, source=source)
    return f"{source.name} is ready."


def refuse_source(source_id: int, words: str) -> None:
    """Mark a source as not usable, and why."""
    Source.objects.filter(pk=source_id).exclude(state=SourceState.READY).update(
        state=SourceState.REFUSED, sentence=words
    )


def remove_refused(source: Source) -> None:
    """Take a refused source and its file away."""
    if source.state == SourceState.REFUSED:
        (Path(settings.MEDIA_ROOT) / source.original_file).unlink(missing_ok=True)
        source.delete()


@contextlib.contextmanager
def _shown_as(path: Path, name: str):  # type: ignore[no-untyped-def]
    folder = path.with_name(f"{path.name}.as")
    folder.mkdir(exist_ok=True)
    shown = folder / name.encode("utf-8")[:200].decode("utf-8", "ignore").replace("/", "_")
    try:
        shown.unlink(missing_ok=True)
        shown.hardlink_to(path)
        yield shown
    finally:
        shutil.rmtree(folder, ignore_errors=True)
