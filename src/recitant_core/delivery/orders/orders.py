"""What a delivery is asked for: specifications, and the files wanted for each."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from recitant_core.delivery.specification.model import Spec
from recitant_core.errors import PlanError
from recitant_core.units.roles import Role

PARTS: Final[dict[str, frozenset[Role]]] = {
    "m-and-e": frozenset({Role.NARRATION, Role.DIALOGUE}),
    "without-narration": frozenset({Role.NARRATION}),
}
"""Mixes without some kinds of stems: the kinds that are left out, by the name of the mix."""

_MOST_DIGITS: Final = 4  # of a bit rate in kbit/s
KINDS: Final = ("mix", "stems", *PARTS, "film")
"""Kinds of files beside compressed copies of the mix."""
FILM_TRACKS: Final = ("stems", "original", "captions")
"""What a film can hold beside its mix, as further sound tracks."""


@dataclass(frozen=True)
class WantedFile:
    """One kind of file that is wanted, and its form."""

    name: str
    """Of KINDS, or of a codec."""
    rate_kbps: int | None = None
    """Of a codec; None for its usual rate."""
    film_tracks: tuple[str, ...] = ()
    """Of FILM_TRACKS, in their order, for a film."""

    @property
    def is_film(self) -> bool:
        """Whether it holds the picture too."""
        return self.name == "film"

    @property
    def text(self) -> str:
        """It as wanted_from_text reads it: "mix", "mp3:128", "film:stems+original"."""
        more = "+".join(self.film_tracks) or (str(self.rate_kbps) if self.rate_kbps else "")
        return f"{self.name}:{more}" if more else self.name


@dataclass(frozen=True)
class Wanted:
    """Kinds of files that a delivery shall hold."""

    kinds: tuple[str, ...] = ("mix", "stems")
    """Of KINDS."""
    codecs: tuple[tuple[str, int | None], ...] = ()
    """Compressed copies of the mix: name of the codec, and kbit/s or None for its usual rate."""
    film_tracks: tuple[str, ...] = ()
    """Of FILM_TRACKS, where a film is among the kinds."""

    @classmethod
    def of(cls, files: Iterable[WantedFile]) -> "Wanted":
        """The files together: each once, a film with the tracks of all that were given."""
        all_files = list(files)
        kinds = dict.fromkeys(one.name for one in all_files if one.name in KINDS)
        codecs = dict.fromkeys((one.name, one.rate_kbps) for one in all_files if one.name not in KINDS)
        tracks = {track for one in all_files for track in one.film_tracks}
        return cls(tuple(kinds), tuple(codecs), tuple(one for one in FILM_TRACKS if one in tracks))

    @property
    def files(self) -> list[WantedFile]:
        """Each of them."""
        kinds = [WantedFile(kind, None, self.film_tracks if kind == "film" else ()) for kind in self.kinds]
        return [*kinds, *(WantedFile(name, rate_kbps) for name, rate_kbps in self.codecs)]

    @property
    def text(self) -> str:
        """It as the list that wanted_from_text reads."""
        return ",".join(file.text for file in self.files)


def wanted_from_text(text: str, codecs: frozenset[str]) -> Wanted:
    """Kinds of files from a list such as "mix,stems,film:original,mp3:128".

    Args:
        codecs: names of those that can be written.

    Raises:
        PlanError: a word that names no file; ``field`` is "files".
    """
    words = [word for word in (part.strip() for part in text.split(",")) if word]
    if not words:
        raise PlanError("no_files_asked", field="files")
    return Wanted.of(_file_from_word(word, codecs) for word in words)


def _file_from_word(word: str, codecs: frozenset[str]) -> WantedFile:
    name, _, more = word.partition(":")
    if name in codecs and (not more or (more.isdecimal() and len(more) <= _MOST_DIGITS)):
        return WantedFile(name, int(more) if more else None)
    if name == "film" and more and set(more.split("+")) <= set(FILM_TRACKS):
        return WantedFile(name, film_tracks=tuple(one for one in FILM_TRACKS if one in more.split("+")))
    if word in KINDS:
        return WantedFile(word)
    known = ", ".join([*KINDS, *sorted(codecs)])
    raise PlanError("unknown_file_kind", field="files", found=word, known=known)


@dataclass(frozen=True)
class Order:
    """One specification, and the files that are made for it."""

    spec: Spec
    wanted: Wanted = Wanted()
