"""Shapes of values that come in, as msgspec reads them: each type checks what it gets and says what is wrong with it.

Numbers come as somebody typed them: with a comma, with a true minus sign. What is no value of its type
raises ValueError, which the door turns into one refusal; what a person may have typed raises EditRefused with a
sentence of its own.
"""

import math
import re
from functools import lru_cache
from typing import Any, Final, TypeVar

import msgspec
from django.http import HttpRequest
from django.http.request import RawPostDataException

from recitant_core.errors import EditRefused, MalformedRequest
from recitant_core.units.roles import Role, is_role

_PLACE: Final = re.compile(r"at `\$\.?([\w.\[\]]{1,200})`")
MOST_IDS: Final = 20_000
MOST_POINTS: Final = 5_000
_DAY_SAMPLES: Final = 24 * 3_600 * 48_000
_NOT_OF_SHAPE: Final = (msgspec.MsgspecError, ValueError, TypeError, OverflowError, RecursionError)
Shape = TypeVar("Shape")


class RoleName(str):
    """Role of a track, as text of recitant_core.units.roles.Role."""

    @classmethod
    def read(cls, value: Any) -> "RoleName":
        """From text."""
        if not (isinstance(value, str) and is_role(value)):
            raise ValueError(str(value)[:40])
        return cls(Role(value).value)


class Id(str):
    """The number of a row, as decimal text."""

    @classmethod
    def read(cls, value: Any) -> "Id":
        """From text or a number."""
        text = str(value)
        if not (text.isascii() and text.isdecimal() and len(text) < 19):
            raise ValueError(text)
        return cls(int(text))

    @property
    def number(self) -> int:
        """Of the row."""
        return int(self)


class TargetId(str):
    """The number of a row or the name of a role."""

    @classmethod
    def read(cls, value: Any) -> "TargetId":
        """From text or a number."""
        text = str(value)
        if not (text.isascii() and text.isalnum() and len(text) < 19) and not is_role(text):
            raise ValueError(text)
        return cls(text)


class _Several(list[Any]):
    of: Any

    @classmethod
    def read(cls, value: Any) -> Any:
        """From a list; what is named twice counts once."""
        if not isinstance(value, list) or not 1 <= len(value) <= MOST_IDS:
            raise ValueError("ids")
        return cls(dict.fromkeys(cls.of.read(one) for one in value))


class Ids(_Several):
    """Numbers of rows."""

    of = Id


class TargetIds(_Several):
    """Numbers of rows or names of roles."""

    of = TargetId


class Text(str):
    """Up to 120 printable letters; may be empty."""

    @classmethod
    def read(cls, value: Any) -> "Text":
        """From text; blanks are collapsed."""
        text = " ".join(str(value or "").split())[:120]
        return cls("".join(c for c in text if c.isprintable()))


class Name(Text):
    """Up to 120 printable letters, at least one."""

    @classmethod
    def read(cls, value: Any) -> "Name":
        """From text; blanks are collapsed.

        Raises:
            EditRefused: nothing in it.
        """
        text = Text.read(value)
        if not text:
            raise EditRefused("not_a_name")
        return cls(text)


class Said(Text):
    """Up to 400 printable letters of what somebody says; may be empty."""

    @classmethod
    def read(cls, value: Any) -> "Said":
        """From text; blanks are collapsed."""
        text = " ".join(str(value or "").split())
        return cls("".join(c for c in text if c.isprintable())[:400])


class Lines(str):
    """Up to 1,000 printable letters in lines; may be empty."""

    @classmethod
    def read(cls, value: Any) -> "Lines":
        """From text; blanks are collapsed, lines stay."""
        lines = (" ".join(line.split()) for line in str(value or "").splitlines())
        kept = ("".join(c for c in line if c.isprintable()) for line in lines)
        return cls("\n".join(line for line in kept if line)[:1_000])


class Script(str):
    """A text of up to 400,000 letters, at least one word."""

    @classmethod
    def read(cls, value: Any) -> "Script":
        """From text; blanks are collapsed.

        Raises:
            EditRefused: nothing in it, or too much.
        """
        text = " ".join(str(value or "").split())
        if len(text) > 400_000:
            raise EditRefused("text_too_long", most=400_000)
        kept = "".join(c for c in text if c.isprintable())
        if not kept:
            raise EditRefused("not_a_name")
        return cls(kept)


class Samples(int):
    """Samples at 48 kHz, or another whole number."""

    @classmethod
    def read(cls, value: Any) -> "Samples":
        """From a number, rounded."""
        number = float(value)
        if not math.isfinite(number) or abs(number) > 1e13:
            raise ValueError(value)
        return cls(round(number))


class Place(Samples):
    """A sample of the programme: 0 to 24 hours."""

    @classmethod
    def read(cls, value: Any) -> "Place":
        """From a number, rounded and brought into the programme."""
        return cls(min(max(0, Samples.read(value)), _DAY_SAMPLES))


class Db(float):
    """Decibels as typed."""

    @classmethod
    def read(cls, value: Any) -> "Db":
        """From text or a number.

        Raises:
            EditRefused: no number.
        """
        return cls(_number(value, "not_a_number"))


class Figure(float):
    """A number of a unit, as typed; see figure()."""

    unit = "that"

    @classmethod
    def read(cls, value: Any) -> Any:
        """From text or a number.

        Raises:
            EditRefused: no number; the sentence names the unit.
        """
        return cls(_number(value, "not_a_figure", unit=cls.unit))


@lru_cache
def figure_of(unit: str) -> type[Figure]:
    """The type of a number of a unit."""
    return type("FigureOfUnit", (Figure,), {"unit": unit})


class Lu(Figure):
    """Loudness units."""

    unit = "LU"


class Seconds(Figure):
    """Seconds."""

    unit = "seconds"


class ZoneLevel(Figure):
    """A limit of a meter's zone."""

    unit = "LU/dBFS"


class Share(Figure):
    """A share of 0 to 1, typed in percent."""

    unit = "percent"

    @classmethod
    def read(cls, value: Any) -> "Share":
        """From percent, brought into range."""
        return cls(min(1.0, max(0.0, _number(value, "not_a_figure", unit=cls.unit) / 100.0)))


class LimitDb(Figure):
    """A most change of gain: 0.1 to 60 dB."""

    unit = "dB"

    @classmethod
    def read(cls, value: Any) -> "LimitDb":
        """From dB, brought into range."""
        return cls(min(60.0, max(0.1, _number(value, "not_a_figure", unit=cls.unit))))


class GoalLevel(Figure):
    """Goal of evening out: -70 to 0 LUFS or dBFS."""

    unit = "LUFS/dBFS"

    @classmethod
    def read(cls, value: Any) -> "GoalLevel":
        """From LUFS or dBFS, brought into range."""
        return cls(min(0.0, max(-70.0, _number(value, "not_a_figure", unit=cls.unit))))


class Points(list[tuple[int, float]]):
    """Points of a curve: place in samples, gain in dB."""

    @classmethod
    def read(cls, value: Any) -> "Points":
        """From a list of pairs."""
        if not isinstance(value, list) or len(value) > MOST_POINTS:
            raise ValueError("points")
        return cls((Samples.read(at), Db.read(gain_db)) for at, gain_db in value)


class ClipGains(list[tuple[Id, float]]):
    """Gains by clip."""

    @classmethod
    def read(cls, value: Any) -> "ClipGains":
        """From a list of pairs."""
        if not isinstance(value, list) or not 1 <= len(value) <= MOST_IDS:
            raise ValueError("gains")
        return cls((Id.read(clip_id), Db.read(gain_db)) for clip_id, gain_db in value)


def number_text(value: Any) -> str:
    """A typed number as Python reads it: a point for a comma, a plain minus."""
    return str(value).replace("−", "-").replace(",", ".").strip()


def _number(value: Any, code: str, **facts: str) -> float:
    text = number_text(value)
    try:
        number = float(text)
    except ValueError as error:
        raise EditRefused(code, found=text[:40], **facts) from error
    if not math.isfinite(number):
        raise EditRefused(code, found=text[:40], **facts)
    return number


def read_shape(kind: type, value: Any) -> Any:
    """A value of one of the types above; msgspec asks for it where it does not know a type itself."""
    return kind.read(value)  # type: ignore[attr-defined]


def body_of(request: HttpRequest, shape: Any) -> Any:
    """The body of a request as a value of a shape.

    Args:
        shape: a msgspec struct, or a union of tagged ones.

    Raises:
        MalformedRequest: not of that shape.
    """
    try:
        return msgspec.json.decode(request.body, type=shape, strict=False, dec_hook=read_shape)
    except (*_NOT_OF_SHAPE, RawPostDataException) as error:  # the latter for a form in place of JSON
        raise _malformed(error) from error


def text_as(text: str, shape: type[Shape]) -> Shape:
    """JSON of an address as a value of a shape.

    Raises:
        MalformedRequest: not of that shape.
    """
    try:
        return msgspec.json.decode(text.encode(), type=shape, strict=False, dec_hook=read_shape)
    except _NOT_OF_SHAPE as error:
        raise _malformed(error) from error


def converted(shape: type[Shape], data: Any) -> Shape:
    """Data as a value of a shape.

    Raises:
        MalformedRequest: not of that shape.
    """
    try:
        return msgspec.convert(data, shape, strict=False, dec_hook=read_shape)
    except _NOT_OF_SHAPE as error:
        raise _malformed(error) from error


def _malformed(error: Exception) -> MalformedRequest:
    """Names the place that msgspec found, as ids[0]; the whole where it names none."""
    found = _PLACE.search(str(error))
    return MalformedRequest("malformed", field=found[1][:60] if found else "")


def whole_number(request: HttpRequest, name: str, default: int) -> int:
    """A whole number of an address; the default where it is missing or none."""
    text = request.GET.get(name, "")
    return int(text) if text.removeprefix("-").isdecimal() and len(text) < 16 else default
