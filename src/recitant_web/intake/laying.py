"""What becomes of a pile of files in each way to lay it, before they are sent: in words, and as places of its clips."""

from collections.abc import Sequence
from pathlib import PurePath
from typing import Any, Final

from msgspec import Struct

from recitant_core.intake.roles import role_named
from recitant_core.timeline.laying import AUTOMATIC, Laid, Laying, LayingOrder, Piece, laid_out
from recitant_core.timeline.suggestion import PileFile, most_at_once, suggested
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role
from recitant_text.notices import laid_words

MOST_FILES: Final = 2_000
_FILMS: Final = (".mp4", ".mov", ".mkv", ".webm", ".m4v", ".avi", ".mxf", ".mpg", ".ts")
_BYTES_A_SECOND: Final = {".mp3": 24_000, ".m4a": 24_000, ".ogg": 16_000, ".opus": 12_000, ".flac": 90_000}
_PCM_BYTES_A_SECOND: Final = 144_000
"""48 kHz, 24 bits, one channel: lengths are guessed from sizes, to draw them."""


class ChosenFile(Struct, frozen=True):
    """A file as the page knows it before it is sent."""

    name: str
    size_bytes: int


class ChosenFiles(Struct, frozen=True):
    """Files that were dropped or chosen together."""

    files: list[ChosenFile]
    order: LayingOrder = LayingOrder.NAME


def layings_of(chosen: ChosenFiles) -> dict[str, Any]:
    """For each way to lay them, and for the automatic one: words, and the clips of each track in seconds."""
    files = [_file(one) for one in chosen.files[:MOST_FILES]]
    how = suggested(files)
    sounds = [file for file in files if not file.is_film]
    ways = {way.value: _preview(laid_out(_pieces(sounds), way, chosen.order), way, len(files)) for way in Laying}
    return {"suggested": how.value, "ways": {AUTOMATIC: ways[how.value], **ways}}


def _file(one: ChosenFile) -> PileFile:
    path = PurePath(one.name)
    ending = path.suffix.lower()
    length_s = max(1.0, one.size_bytes / _BYTES_A_SECOND.get(ending, _PCM_BYTES_A_SECOND))
    return PileFile(path.stem, length_s, is_film=ending in _FILMS)


def _pieces(files: Sequence[PileFile]) -> list[Piece]:
    roles = [role_named(file.name) or Role.DIALOGUE for file in files]
    return [
        Piece(str(k), file.name, role, round(file.length_s * RATE_HZ))
        for k, (file, role) in enumerate(zip(files, roles, strict=True))
    ]


def _preview(laid: Sequence[Laid], way: Laying, n_files: int) -> dict[str, Any]:
    spans = [(at, at + piece.length_samples) for one in laid for piece, at in one.pieces]
    return {
        "words": laid_words(n_files, len(laid), most_at_once(spans), is_by_time=way is Laying.TIMES),
        "tracks": [[[at / RATE_HZ, piece.length_samples / RATE_HZ] for piece, at in one.pieces] for one in laid[:24]],
    }
