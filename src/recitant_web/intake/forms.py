"""The shape of what comes in."""

from typing import Annotated, Final

from django.http import HttpRequest
from msgspec import Meta, Struct

from recitant_core.errors import MalformedRequest, NotThere
from recitant_web.desk.edits.clips import BackInSync, PlaceClips
from recitant_web.desk.edits.programme import SetProgramme
from recitant_web.desk.edits.recordings import Mend, Use
from recitant_web.desk.edits.tracks import SetRole
from recitant_web.desk.models import Clip
from recitant_web.intake.queries import offered_place
from recitant_web.programme.models import Picture, Programme, Source
from recitant_web.shared.shapes import body_of, converted

_MOST_BYTES: Final = 1 << 43  # more than disks hold; what there is room for is asked later
_MOST_ROW: Final = (1 << 63) - 1


def whole(text: str, field: str) -> int:
    """A whole number as it came in a field.

    Raises:
        MalformedRequest: it is none.
    """
    if not (text.isascii() and text.isdecimal() and len(text) < 19):
        raise MalformedRequest("malformed", field=field)
    return int(text)


class UploadRequest(Struct, frozen=True, kw_only=True):
    """A file as the page announces it."""

    name: str
    size_bytes: Annotated[int, Meta(ge=0, le=_MOST_BYTES)]
    fingerprint: str
    role: str = ""
    """Empty to have it guessed."""
    pile: Annotated[int, Meta(ge=0, le=_MOST_ROW)] | None = None
    """None where it is laid by itself."""
    pile_place: Annotated[int, Meta(ge=0, le=100_000)] = 0


def upload_request(request: HttpRequest) -> UploadRequest:
    """A file as the page announces it.

    Raises:
        MalformedRequest: not of that shape.
    """
    asked: UploadRequest = body_of(request, UploadRequest)
    return asked


def role_edit(request: HttpRequest, revision: int) -> SetRole:
    """The edit that says which files are what.

    Raises:
        MalformedRequest: not of that shape. EditRefused: no numbers.
    """
    ids = [str(whole(one, "ids")) for one in request.POST.get("ids", "").split(",") if one]
    return converted(SetRole, {"revision": revision, "source_ids": ids, "role": request.POST.get("role", "")})


def rate_edit(programme: Programme) -> SetProgramme:
    """The edit that makes a programme count as its picture does.

    Raises:
        NotThere: it has no picture, or one of no usual rate.
    """
    picture = Picture.objects.filter(programme=programme).first()
    if picture is None or not picture.frame_rate:
        raise NotThere()
    return converted(SetProgramme, {"revision": programme.revision, "frame_rate": picture.frame_rate})


def mend_edit(request: HttpRequest, revision: int, source: Source) -> Mend:
    """The edit that applies a remedy to the clips of a file, or takes it back."""
    asked = {
        "code": request.POST.get("code", ""),
        "is_undone": request.POST.get("undone") == "1",
        "is_for_all": request.POST.get("all") == "1",
    }
    return converted(Mend, {"revision": revision, "source_id": source.pk, **asked})


def sync_edit(programme: Programme, source: Source) -> BackInSync:
    """The edit that moves the clips of a file back to where the picture has them."""
    clips = Clip.objects.filter(track__programme=programme, source=source, sync_sample__isnull=False)
    ids = [str(pk) for pk in clips.values_list("pk", flat=True)]
    return converted(BackInSync, {"revision": programme.revision, "ids": ids or None})


def use_edit(request: HttpRequest, programme: Programme, source: Source) -> Use | PlaceClips:
    """The edit that lays a file or moves its clip: to the place it offers, or a marked part to programme start.

    Raises:
        NotThere: it offers no place, or has no clip to move.
    """
    if request.POST.get("at") == "offered":
        place = offered_place(programme, source)
        clip = Clip.objects.filter(track__programme=programme, source=source).order_by("pk").first()
        if place is None or clip is None:
            raise NotThere()
        # The clip may begin inside the recording; what counts is where the recording's first sample belongs.
        return converted(
            PlaceClips,
            {"revision": programme.revision, "ids": [str(clip.pk)], "at_sample": place[0] + clip.in_sample},
        )
    first, last = whole(request.POST.get("from", "0"), "from"), whole(request.POST.get("to", "0"), "to")
    marked = {"at_sample": 0, "from_sample": first, "to_sample": last}
    return converted(Use, {"revision": programme.revision, "source_id": source.pk, **marked})
