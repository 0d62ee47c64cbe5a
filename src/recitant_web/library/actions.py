"""Use cases of the library: take a sound in, like it, lay it into a programme."""

import uuid
from collections.abc import Iterable
from pathlib import Path

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction

from recitant_core.delivery.judging.figures import readings_data
from recitant_core.errors import UnreadableMedia
from recitant_core.ports import no_progress
from recitant_io.media.storage import require_room, storage_errors
from recitant_io.store.conform import conform, file_hash
from recitant_web.accounts.models import Workspace
from recitant_web.desk.edits.recordings import Use
from recitant_web.desk.log import lock
from recitant_web.library.models import Favourite, Sound
from recitant_web.programme.ingesting import shown_as
from recitant_web.programme.models import Programme, Source, SourceKind, SourceState
from recitant_web.programme.queries import conformed_folder, conformed_name
from recitant_web.shared.media import keep
from recitant_web.shared.names import safe_name
from recitant_web.shared.shapes import converted

MOST_LENGTH_SAMPLES = 10 * 60 * 48_000
MOST_BYTES = 300_000_000


def take_in(
    workspace: Workspace,
    name: str,
    size_bytes: int,
    chunks: Iterable[bytes],
    tags: str,
    role: str = "effects",
    *,
    is_shipped: bool = False,
) -> Sound:
    """A sound for the library; the same file again is the sound that is there.

    Raises:
        MediaError: not a sound, or one over ten minutes. StorageFull: no room for it.
    """
    shown = safe_name(name)
    if size_bytes == 0:
        raise UnreadableMedia("empty_file", file=shown)
    if size_bytes > MOST_BYTES:
        raise UnreadableMedia("too_long_for_library", file=shown)
    root = Path(settings.MEDIA_ROOT)
    relative = f"library/{workspace.pk}/{uuid.uuid4().hex}"
    path = root / relative
    with storage_errors():
        path.parent.mkdir(parents=True, exist_ok=True)
        require_room(root, shown, 3 * size_bytes)
        with path.open("wb") as file:
            for chunk in chunks:
                file.write(chunk)
    try:
        with shown_as(path, shown) as named:
            sha256 = file_hash(named)
            there = Sound.objects.filter(workspace=workspace, sha256=sha256).first()
            if there is not None:
                path.unlink()
                return there
            conformed = conform(named, conformed_folder(sha256), no_progress)
            if conformed.length_samples > MOST_LENGTH_SAMPLES:
                raise UnreadableMedia("too_long_for_library", file=shown)
            keep(relative)
            keep(conformed_name(sha256))
    except UnreadableMedia:
        path.unlink(missing_ok=True)
        raise
    return Sound.objects.create(
        workspace=workspace,
        name=(shown.rsplit(".", 1)[0] or shown)[:120],
        tags=" ".join(tags.lower().replace(",", " ").split())[:200],
        role=role,
        is_shipped=is_shipped,
        original_file=relative,
        sha256=sha256,
        size_bytes=size_bytes,
        n_channels=conformed.n_channels,
        rate_hz=conformed.rate_hz,
        coding=conformed.coding[:60],
        length_samples=conformed.length_samples,
        readings=readings_data(conformed.readings),
    )


def switch_favourite(sound: Sound, user: User) -> bool:
    """Like a sound, or no longer; whether it is liked now."""
    gone, _ = Favourite.objects.filter(sound=sound, user=user).delete()
    if gone:
        return False
    Favourite.objects.get_or_create(sound=sound, user=user)
    return True


def place_sound(programme: Programme, user: User, sound: Sound, at_sample: int, revision: int) -> None:
    """Lay a sound at a place, as one edit.

    Raises:
        EditRefused: out of the programme. StaleRevision: someone else was faster.
    """
    with transaction.atomic():
        locked = lock(programme, revision)
        source = Source.objects.filter(programme=locked, sha256=sound.sha256, state=SourceState.READY).first()
        if source is None:
            source = Source.objects.create(
                programme=locked,
                name=sound.name,
                role=sound.role,
                kind=SourceKind.LIBRARY,
                state=SourceState.READY,
                original_file=sound.original_file,
                size_bytes=sound.size_bytes,
                sha256=sound.sha256,
                n_channels=sound.n_channels,
                rate_hz=sound.rate_hz,
                coding=sound.coding,
                length_samples=sound.length_samples,
                readings=sound.readings,
                is_listened=True,
            )
        use = converted(Use, {"revision": revision, "source_id": source.pk, "at_sample": at_sample})
        use.carry_out(locked, user)
