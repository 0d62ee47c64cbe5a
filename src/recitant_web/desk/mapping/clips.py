"""Clips: rows to values and back. A column stands once here, and both ways follow from it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from recitant_core.gain.envelope import CurvePoint, FadeShape
from recitant_core.processors.model import chain_data, chain_from_data
from recitant_core.timeline.model import Balanced, Clip, Take
from recitant_core.units.channels import Routing
from recitant_core.units.clock import SampleSpan
from recitant_web.desk import models


@dataclass(frozen=True)
class Column:
    """Conversion between a column of a clip's row and the field of the same name."""

    to_value: Callable[[Any], Any] = lambda stored: stored
    to_row: Callable[[Any], Any] = lambda value: value


_PLAIN: Final = Column()
_SHAPE: Final = Column(FadeShape, lambda shape: shape.value)
_SEVERAL: Final = Column(tuple, list)
_SPANS: Final = Column(
    lambda stored: tuple(SampleSpan(start, length) for start, length in stored),
    lambda spans: [[span.start_sample, span.length_samples] for span in spans],
)
_TAKE_COLUMNS: Final[dict[str, Column]] = {
    "source_key": _PLAIN,
    "shift_samples": _PLAIN,
    "from_sample": _PLAIN,
    "to_sample": _PLAIN,
    "name": _PLAIN,
    "gain_db": _PLAIN,
    "routing": Column(Routing, lambda routing: routing.value),
    "reversed_channels": _SEVERAL,
    "dc_offset": _SEVERAL,
    "left_out": _SPANS,
    "mended": _SEVERAL,
}
_PLAIN_TAKE: Final = Take("", 0)


def take_from_data(data: Mapping[str, Any]) -> Take:
    """A take as it is stored."""
    return Take(**{name: _TAKE_COLUMNS[name].to_value(stored) for name, stored in data.items()})


def take_to_data(take: Take) -> dict[str, Any]:
    """A take as it is stored; what is plain is left out."""
    needed = ("source_key", "shift_samples")
    return {
        name: column.to_row(getattr(take, name))
        for name, column in _TAKE_COLUMNS.items()
        if name in needed or getattr(take, name) != getattr(_PLAIN_TAKE, name)
    }


def balanced_from_data(data: list[Any] | None) -> Balanced | None:
    """Settings of a first balance from stored data."""
    return None if data is None else Balanced(float(data[0]), float(data[1]), bool(data[2]))


def balanced_to_data(balanced: Balanced | None) -> list[Any] | None:
    """Settings of a first balance as stored data; None for nothing."""
    return None if balanced is None else [balanced.from_db, balanced.to_db, balanced.is_curve_made]


COLUMNS: Final[dict[str, Column]] = {
    "name": _PLAIN,
    "start_sample": _PLAIN,
    "in_sample": _PLAIN,
    "length_samples": _PLAIN,
    "gain_db": _PLAIN,
    "fade_in_samples": _PLAIN,
    "fade_out_samples": _PLAIN,
    "fade_in_shape": _SHAPE,
    "fade_out_shape": _SHAPE,
    "curve": Column(
        lambda stored: tuple(CurvePoint(int(at), float(gain_db)) for at, gain_db in stored),
        lambda curve: [[point.at_sample, point.gain_db] for point in curve],
    ),
    "routing": Column(Routing, lambda routing: routing.value),
    "reversed_channels": _SEVERAL,
    "dc_offset": _SEVERAL,
    "left_out": _SPANS,
    "group": _PLAIN,
    "mended": _SEVERAL,
    "chain": Column(chain_from_data, chain_data),
    "speaker": _PLAIN,
    "is_room_tone": _PLAIN,
    "balanced": Column(balanced_from_data, balanced_to_data),
    "accepted": _SPANS,
    "is_out": _PLAIN,
    "takes": Column(
        lambda stored: tuple(take_from_data(data) for data in stored), lambda takes: [take_to_data(t) for t in takes]
    ),
    "take_index": _PLAIN,
    "unfilled": Column(
        lambda stored: (int(stored[0]), int(stored[1])) if stored else (0, 0),
        lambda unfilled: list(unfilled) if any(unfilled) else [],
    ),
    "sync_sample": _PLAIN,
}
"""Every field of a clip but its id and its recording."""


def clip_of_values(pk: int, source_key: str, values: Sequence[Any]) -> Clip:
    """A clip from the values of its columns, in the order of COLUMNS."""
    fields = {name: column.to_value(stored) for (name, column), stored in zip(COLUMNS.items(), values, strict=True)}
    return Clip(str(pk), source_key, **fields)


def clip_of_row(row: models.Clip, source_key: str) -> Clip:
    """A clip row as the core knows it.

    Args:
        source_key: of its recording.
    """
    return clip_of_values(row.pk, source_key, [getattr(row, name) for name in COLUMNS])


def clip_fields(clip: Clip) -> dict[str, Any]:
    """The columns of a clip row that the core decides on; its track and source are told apart from it."""
    return {name: column.to_row(getattr(clip, name)) for name, column in COLUMNS.items()}


def clips_of_kept_rows(rows: Mapping[str, Mapping[str, Any]], keys: Mapping[int, str]) -> dict[int, list[Clip]]:
    """Clips of rows that a version keeps, by track; those whose recording is gone are left out.

    Args:
        rows: values of each row; one that an older release kept lacks newer columns.
        keys: of recordings, by number.
    """
    found: dict[int, list[Clip]] = {}
    for values in rows.values():
        row = models.Clip(**values)
        if row.source_id in keys:
            found.setdefault(row.track_id, []).append(clip_of_row(row, keys[row.source_id]))
    return found
