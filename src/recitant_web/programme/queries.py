"""Reads of programmes and sources, each starting from what a user may see."""

from pathlib import Path
from typing import Any, Final

from django.contrib.auth.models import User
from django.db.models import QuerySet

from recitant_core.delivery.specification.model import Spec
from recitant_core.errors import UnreadableMedia
from recitant_core.speech.activity import SpeechSpan
from recitant_core.speech.corrections import SpeechMark, corrected
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import SampleSpan
from recitant_core.units.timecode import FRAME_RATES, frame_rate
from recitant_io.store.conform import StoredSource, stored_energy, stored_peaks
from recitant_web.accounts.rights import Right, roles_with
from recitant_web.programme.models import Programme, Source
from recitant_web.programme.signals import copy_missing
from recitant_web.shared.caches import Cache
from recitant_web.shared.media import fetched, fetched_recording
from recitant_web.specifications.queries import spec_named

ZONES: Final = {"quiet_lu": -6.0, "near_lu": 1.0, "loud_lu": 6.0, "peak_dbfs": -6.0}
"""Where the zones of the meters end: LU about the target, and where sample peaks become a warning."""
_recordings: Cache[StoredSource] = Cache("recordings", 2_000_000)
_energies: Cache[FloatArray] = Cache("energies of recordings", 256_000_000)


def programmes_of(user: User, may: Right = "see") -> QuerySet[Programme]:
    """Every programme that is not deleted and on which somebody has a right, newest first."""
    return _of_user(user, may).filter(deleted_at__isnull=True)


def deleted_programmes_of(user: User, may: Right = "see") -> QuerySet[Programme]:
    """Programmes that were deleted and can still be brought back, on which somebody has a right, newest first."""
    return _of_user(user, may).filter(deleted_at__isnull=False)


def note_page(programme: Programme, page: str) -> None:
    """Remember where work on a programme is, for the list of programmes."""
    if programme.last_page != page:
        Programme.objects.filter(pk=programme.pk).update(last_page=page)
        programme.last_page = page


def _of_user(user: User, may: Right) -> QuerySet[Programme]:
    found = Programme.objects.filter(
        workspace__memberships__user=user, workspace__memberships__role__in=roles_with(may)
    )
    return found.select_related("workspace").order_by("-pk")


def spec_of(programme: Programme) -> Spec:
    """The specification a programme is balanced for."""
    return spec_named(programme.workspace_id, programme.spec_id)


def zones_of(programme: Programme) -> dict[str, float]:
    """The zones of a programme's meters."""
    own: dict[str, float] = programme.meter_zones
    return ZONES | own


def frame_rates() -> list[str]:
    """The frame rates to choose from."""
    return list(FRAME_RATES)


def conformed_folder(sha256: str) -> Path:
    """Folder of a recording's conformed copy; one for all programmes that use the same file."""
    return fetched_recording(conformed_name(sha256))


def readable_folder(sha256: str) -> Path:
    """Folder of a recording's conformed copy, to be read.

    Raises:
        UnreadableMedia: it is gone. Where the file as it came is there, the copy is being made again.
    """
    folder = conformed_folder(sha256)
    if folder.exists():
        return folder
    for _, error in copy_missing.send(sender=Source, sha256=sha256):
        if isinstance(error, UnreadableMedia):
            raise error
    raise UnreadableMedia("recording_missing", file=sha256[:12])


def conformed_name(sha256: str) -> str:
    """The name of that folder among the media."""
    return f"conformed/{sha256[:2]}/{sha256}"


def stored_source(sha256: str, n_channels: int) -> StoredSource:
    """A recording ready to be read. Content never changes under a hash, so it stays open."""

    def opened() -> StoredSource:
        return StoredSource(readable_folder(sha256) / "audio.f32", sha256, n_channels)

    return _recordings.get_or_make((sha256, n_channels), opened)


def source_energy(sha256: str) -> FloatArray:
    """The 10 ms energies of a recording, float64 (hops, 3) of two channels, (hops, 1) of any other number."""

    def read() -> FloatArray:
        energy = stored_energy(readable_folder(sha256))
        energy.flags.writeable = False
        return energy

    return _energies.get_or_make(sha256, read)


def peaks(source: Source, samples_per_peak: int, first: int, count: int) -> bytes:
    """Part of a recording's outline as int16, little-endian: lowest and highest of each channel, piece by piece."""
    folder = readable_folder(source.sha256)
    return stored_peaks(folder, source.ready_n_channels, samples_per_peak, first, count).astype("<i2").tobytes()


def heard_speech(source: Source) -> list[SpeechSpan]:
    """Speech of a recording, with corrections."""
    found = [SpeechSpan(start, length, confidence) for start, length, confidence in source.speech]
    return corrected(found, marks_from_data(source.speech_marks))


def marks_from_data(marks: list[Any]) -> tuple[SpeechMark, ...]:
    """Corrections of speech as they are stored."""
    return tuple(SpeechMark(start, length, bool(is_speech)) for start, length, is_speech in marks)


def picture_path(programme: Programme) -> Path | None:
    """The file of a programme's picture that a browser can play; None while there is none."""
    picture = getattr(programme, "picture", None)
    if picture is None or not picture.shown_file:
        return None
    path = fetched(picture.shown_file)
    return path if path.exists() else None


def picture_span(programme: Programme) -> SampleSpan | None:
    """Stretch of a programme that its picture takes; None where it has none."""
    picture = getattr(programme, "picture", None)
    if picture is None:
        return None
    first, length = programme.picture_offset_samples, picture.length_samples
    return SampleSpan(max(0, first), max(0, length + min(0, first)))


def picture_data(programme: Programme) -> dict[str, Any] | None:
    """The picture of a programme, and whether it can be shown yet."""
    picture = getattr(programme, "picture", None)
    if picture is None:
        return None
    return {
        "name": picture.name,
        "is_shown": bool(picture.shown_file),
        "length_samples": picture.length_samples,
        "frame_rate": picture.frame_rate,
        # The light copy counts in a rate of its own where the original has none that stands still.
        "rate_hz": float(frame_rate(picture.frame_rate or programme.frame_rate))
        if picture.proxy_file
        else picture.rate_hz,
        "is_variable_rate": picture.is_variable_rate,
        "reference_samples": picture.reference_samples,
        "is_light": bool(picture.proxy_file),
    }
