"""A still of a programme's picture, made when it is first asked for and kept."""

from pathlib import Path

from recitant_core.errors import UnreadableMedia
from recitant_io.media.confined_pictures import make_still
from recitant_web.programme.ingesting import shown_as
from recitant_web.programme.models import Picture
from recitant_web.shared.media import fetched, media_path


def still_path(picture: Picture) -> Path | None:
    """The still as JPEG; None where the picture cannot be decoded."""
    target = media_path(f"stills/{picture.pk}.jpg")
    if not target.exists():
        original = fetched(picture.shown_file or picture.original_file)
        try:
            with shown_as(original, picture.name) as path:
                make_still(path, target)
        except (UnreadableMedia, OSError):
            return None
    return target
