"""How a pile of files is laid before anybody chooses: what their names, lengths and times of day suggest.

Held to: tests/core/test_suggestion.py
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from recitant_core.timeline.laying import Laying, name_stem

FEW: Final = 16
"""So many files may be parts of one thing, such as stems, that begin together."""
ALIKE: Final = 0.01
"""Share by which the lengths of such files differ at the most."""
LONG: Final = 60.0
"""Seconds from which a file may be such a part: shorter ones of one length are sounds of a collection."""


@dataclass(frozen=True)
class PileFile:
    """A file that is to be laid with others."""

    name: str
    """Without its ending."""
    length_s: float
    """As far as it is known: from its size before it has been read."""
    has_time: bool = False
    """Whether it carries a time of day."""
    is_film: bool = False
    """Whether it brings a picture; its sound stays with that."""


def suggested(files: Sequence[PileFile]) -> Laying:
    """The way to lay a pile: by time of day where all carry one, from the start where they are parts of one length, one
    after another by name where names count up, else a track for each role.
    """
    sounds = [file for file in files if not file.is_film]
    if len(sounds) < 2:
        return Laying.APART
    if all(file.has_time for file in sounds):
        return Laying.TIMES
    n_stems = len({name_stem(file.name).casefold() for file in sounds})
    if n_stems < len(sounds):
        return Laying.ROW if n_stems == 1 else Laying.NAMES
    lengths = [file.length_s for file in sounds]
    are_parts = min(lengths) >= LONG and max(lengths) <= (1.0 + ALIKE) * min(lengths)
    return Laying.APART if are_parts and len(sounds) <= FEW else Laying.ROLES


def most_at_once(spans: Sequence[tuple[int, int]]) -> int:
    """Largest number of stretches that lie over one another.

    Args:
        spans: start and end of each.
    """
    edges = sorted([(start, 1) for start, _ in spans] + [(end, -1) for _, end in spans])
    most = now = 0
    for _, step in edges:
        now += step
        most = max(most, now)
    return most
