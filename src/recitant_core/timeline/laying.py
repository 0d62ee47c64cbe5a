"""A pile of recordings laid out: which track each goes on and where it begins.

Held to: tests/core/test_laying.py
"""

import re
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from recitant_core.units.clock import SampleSpan
from recitant_core.units.roles import Role

_COUNTING: Final = re.compile(
    r"[\s._-]*(?:(?:take|tk|part|pt|clip|file|no|nr|ch|track)[\s._-]*)?\(?\d+\)?[a-z]?$", re.I
)


class Laying(StrEnum):
    """Order in which a pile of recordings is laid."""

    ROW = "row"
    """One after another on one track."""
    NAMES = "names"
    """A track for each name without its number, one after another on each."""
    ROLES = "roles"
    """A track for each role, one after another on each."""
    TIMES = "times"
    """Where their time of day says, a track for each name; what carries none follows behind."""
    APART = "apart"
    """Each on a track of its own, at the place it came with."""


AUTOMATIC: Final = "auto"
"""In place of a Laying: as the files suggest once they have been read, see suggestion."""


class LayingOrder(StrEnum):
    """In which order recordings follow one another."""

    NAME = "name"
    TIME = "time"
    CHOSEN = "chosen"


@dataclass(frozen=True)
class Piece:
    """A recording, or a clip of one, that is to be laid."""

    key: str
    name: str
    role: Role
    length_samples: int
    at_sample: int = 0
    """Where it came to lie by itself."""
    reference_samples: int | None = None
    """Time of day at which it begins; None where it carries none."""


@dataclass(frozen=True)
class Laid:
    """A track of a laying with what lies on it."""

    name: str
    role: Role
    pieces: tuple[tuple[Piece, int], ...]
    """Each piece with the sample it begins at, in order of time."""


def laid_out(
    pieces: Sequence[Piece],
    how: Laying,
    order: LayingOrder = LayingOrder.NAME,
    *,
    gap_samples: int = 0,
    origin: int = 0,
) -> list[Laid]:
    """The tracks of a pile of recordings, none over another on its track.

    Args:
        pieces: in the order in which they were chosen.
        order: in which they follow one another, where they do.
        gap_samples: silence from one to the next.
        origin: time of day at the programme's start, in samples; the earliest piece begins there if it is later.
    """
    ordered = _ordered(pieces, order)
    if how is Laying.APART:
        return [Laid(piece.name, piece.role, ((piece, piece.at_sample),)) for piece in ordered]
    if how is Laying.TIMES:
        return _by_time(pieces, gap_samples, origin)
    keys: dict[Laying, Callable[[Piece], tuple[str, Role]]] = {
        Laying.ROW: lambda _piece: (_together(ordered), _usual_role(ordered)),
        Laying.NAMES: lambda piece: (name_stem(piece.name), piece.role),
        Laying.ROLES: lambda piece: (piece.role.label, piece.role),
    }
    key_of = keys[how]
    groups: dict[tuple[str, Role], list[Piece]] = {}
    for piece in ordered:
        groups.setdefault(key_of(piece), []).append(piece)
    return [Laid(name, role, tuple(_in_row(mine, gap_samples))) for (name, role), mine in groups.items()]


def name_stem(name: str) -> str:
    """A name without the number at its end: "interview 01" and "interview_02b" are both "interview".

    >>> name_stem("interview 01"), name_stem("VO_take3"), name_stem("24")
    ('interview', 'VO', '24')
    """
    stem = _COUNTING.sub("", name.strip())
    return stem.strip(" ._-") or name.strip()


def natural_order(name: str) -> tuple[tuple[int, int | str], ...]:
    """A name as people sort it: take 2 before take 10.

    >>> sorted(["take 10", "Take 2"], key=natural_order)
    ['Take 2', 'take 10']
    """
    parts = re.split(r"(\d+)", name.casefold())
    return tuple((0, int(part)) if part.isdecimal() else (1, part) for part in parts if part)


def _ordered(pieces: Sequence[Piece], order: LayingOrder) -> list[Piece]:
    if order is LayingOrder.CHOSEN:
        return list(pieces)
    by_name = sorted(pieces, key=lambda piece: natural_order(piece.name))
    if order is LayingOrder.NAME:
        return by_name
    return sorted(by_name, key=lambda p: (p.reference_samples is None, p.reference_samples or 0))


def _in_row(pieces: Sequence[Piece], gap_samples: int, from_sample: int = 0) -> list[tuple[Piece, int]]:
    found = []
    at = from_sample
    for piece in pieces:
        found.append((piece, at))
        at += piece.length_samples + gap_samples
    return found


def _usual_role(pieces: Sequence[Piece]) -> Role:
    return Counter(piece.role for piece in pieces).most_common(1)[0][0]


def _together(pieces: Sequence[Piece]) -> str:
    stems = {name_stem(piece.name) for piece in pieces}
    return next(iter(stems)) if len(stems) == 1 else _usual_role(pieces).label


def _by_time(pieces: Sequence[Piece], gap_samples: int, origin: int) -> list[Laid]:
    timed = [piece for piece in _ordered(pieces, LayingOrder.TIME) if piece.reference_samples is not None]
    others = [piece for piece in _ordered(pieces, LayingOrder.NAME) if piece.reference_samples is None]
    first = min((piece.reference_samples or 0 for piece in timed), default=0)
    # A start given as a time of day counts where nothing was recorded before it; else the first recording is it.
    begin = origin if origin <= first else 0
    if not begin:
        begin = first
    placed = [(piece, (piece.reference_samples or 0) - begin) for piece in timed]
    end = max((at + piece.length_samples for piece, at in placed), default=0)
    placed += _in_row(others, gap_samples, end)
    tracks: list[tuple[str, Role, list[tuple[Piece, int]]]] = []
    for piece, at in placed:
        stem, span = name_stem(piece.name), SampleSpan(at, piece.length_samples)
        for name, role, mine in tracks:
            # Two recordings of one name at one time lie on two tracks.
            is_free = all(SampleSpan(a, p.length_samples).intersect(span) is None for p, a in mine)
            if name == stem and role is piece.role and is_free:
                mine.append((piece, at))
                break
        else:
            tracks.append((stem, piece.role, [(piece, at)]))
    return [Laid(name, role, tuple(mine)) for name, role, mine in tracks]
