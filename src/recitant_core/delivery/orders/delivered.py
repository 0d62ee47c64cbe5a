"""What a delivery is asked for, and what it came to."""

from dataclasses import dataclass
from typing import Any, Final

from recitant_core.delivery.fitting.fit import Fit
from recitant_core.delivery.fitting.history import History
from recitant_core.delivery.judging.judge import Verdict
from recitant_core.delivery.judging.quality import Look
from recitant_core.delivery.playback.platforms import PlatformResult
from recitant_core.delivery.specification.model import Spec
from recitant_core.errors import PlanError, RecitantError
from recitant_core.measure.meter import Readings
from recitant_core.units.clock import RATE_HZ
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
class Wanted:
    """Kinds of files that a delivery shall hold."""

    kinds: tuple[str, ...] = ("mix", "stems")
    """Of KINDS."""
    codecs: tuple[tuple[str, int | None], ...] = ()
    """Compressed copies of the mix: name of the codec, and kbit/s or None for its usual rate."""
    film_tracks: tuple[str, ...] = ()
    """Of FILM_TRACKS, where a film is among the kinds."""

    @property
    def words(self) -> list[str]:
        """Each of them as a word that wanted_from_text reads."""
        film = f"film:{'+'.join(self.film_tracks)}" if self.film_tracks else "film"
        kinds = [film if kind == "film" else kind for kind in self.kinds]
        return [*kinds, *(f"{name}:{rate}" if rate else name for name, rate in self.codecs)]

    @property
    def text(self) -> str:
        """It as the list that wanted_from_text reads."""
        return ",".join(self.words)


def wanted_from_text(text: str, codecs: frozenset[str]) -> Wanted:
    """Kinds of files from a list such as "mix,stems,film:original,mp3:128".

    Args:
        codecs: names of those that can be written.

    Raises:
        PlanError: a word that names no file; ``field`` is "files".
    """
    kinds: list[str] = []
    compressed: list[tuple[str, int | None]] = []
    tracks: list[str] = []
    for word in filter(None, (part.strip() for part in text.split(","))):
        name, _, rate = word.partition(":")
        if name in codecs and (not rate or (rate.isdecimal() and len(rate) <= _MOST_DIGITS)):
            compressed.append((name, int(rate) if rate else None))
        elif name == "film" and rate and set(rate.split("+")) <= set(FILM_TRACKS):
            kinds.append("film")
            tracks += rate.split("+")
        elif word in KINDS:
            kinds.append(word)
        else:
            known = ", ".join([*KINDS, *sorted(codecs)])
            raise PlanError("unknown_file_kind", field="files", found=word, known=known)
    if not kinds and not compressed:
        raise PlanError("no_files_asked", field="files")
    film_tracks = tuple(one for one in FILM_TRACKS if one in tracks)
    return Wanted(tuple(dict.fromkeys(kinds)), tuple(dict.fromkeys(compressed)), film_tracks)


@dataclass(frozen=True)
class Order:
    """One specification, and the files that are made for it."""

    spec: Spec
    wanted: Wanted = Wanted()


@dataclass(frozen=True)
class WrittenFile:
    """One file of a delivery."""

    kind: str
    file: str
    bit_depth: int | None
    """None where the codec has none."""
    role: str | None = None
    codec: str = "wav"
    sha256: str = ""
    size_bytes: int = 0
    rate_hz: int = RATE_HZ
    decoded: dict[str, Any] | None = None
    """Of a copy of the mix: its figures as it plays back, and what it took to keep the ceiling."""


@dataclass(frozen=True)
class MissedFile:
    """A file that could not be made while the others were."""

    word: str
    """As wanted_from_text reads it, without a bit rate."""
    file: str
    error: RecitantError


@dataclass(frozen=True)
class Delivered:
    """Result for one specification: judged on the samples in the file."""

    fit: Fit
    verdict: Verdict
    readings: Readings
    files: tuple[WrittenFile, ...]
    looks: tuple[Look, ...] = ()
    """What was looked at in the files as they lie on disk."""
    missed: tuple[MissedFile, ...] = ()
    history: History | None = None
    heard: tuple[PlatformResult, ...] = ()
    """What viewers hear of it on each of PLATFORMS."""
    heard_as_balanced: tuple[PlatformResult, ...] = ()
    """The same of the mix before its master."""
