"""What a processor is: a kind, its values in units, curves that move them, and the limits of each.

A chain is a tuple of processors, first to last. All checks of values from outside are made here, by checked_processor.
"""

import hashlib
import json
import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import pairwise
from typing import Any, Final

import numpy as np

from recitant_core.errors import PlanError
from recitant_core.processors.kinds import KINDS, PROFILE_BANDS, Kind, Parameter, Value
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ

VERSION: Final = 2  # raised when the arithmetic of any processor changes
MOST_PROCESSORS: Final = 24
MOST_CURVE_POINTS: Final = 2_000
_DEFAULTS: Final = {(kind.name, p.name): p.default for kind in KINDS.values() for p in kind.parameters}


@dataclass(frozen=True)
class ValuePoint:
    """A value at a place: samples of the recording in a clip's chain, of the programme elsewhere."""

    at_sample: int
    value: float


@dataclass(frozen=True)
class Processor:
    """One link of a chain. Hashable, so that what it made can be found again."""

    kind: str
    values: tuple[tuple[str, Value], ...] = ()
    """Only what differs from the plain values, sorted by name."""
    curves: tuple[tuple[str, tuple[ValuePoint, ...]], ...] = ()
    profile_db: tuple[float, ...] = ()
    """Of noise reduction: level of the noise in each band, dBFS."""
    is_bypassed: bool = False
    outputs_difference: bool = False
    """For hearing only: what it takes away instead of what it leaves."""
    band_alone: str = ""
    """For hearing only: the one of its three bands that is heard; empty for all."""

    def value(self, name: str) -> Value:
        """A value in its unit, plain where it was not set.

        >>> Processor("gain").value("gain_db"), Processor("gain").with_values(gain_db=3.0).value("gain_db")
        (0.0, 3.0)
        """
        for found, value in self.values:
            if found == name:
                return value
        return _DEFAULTS[self.kind, name]

    def number(self, name: str) -> float:
        """A value that is a number."""
        return float(self.value(name))

    def points(self, name: str) -> tuple[ValuePoint, ...]:
        """The curve of a value; empty where it stands still."""
        return next((points for found, points in self.curves if found == name), ())

    def along(self, name: str, places: FloatArray) -> FloatArray | float:
        """A value at each place, float64 (places,), straight between points, by ratios where its scale is logarithmic.

        One number where it has no points."""
        points = self.points(name)
        if not points:
            return self.number(name)
        at = np.array([point.at_sample for point in points], dtype=np.float64)
        values = np.array([point.value for point in points])
        if KINDS[self.kind].parameter(name).is_log:
            found: FloatArray = np.exp(np.interp(places, at, np.log(values)))
            return found
        straight: FloatArray = np.interp(places, at, values)
        return straight

    def with_values(self, **changes: Value) -> "Processor":
        """The same with some values set; one that is set to its default is as if it was never set.

        Raises:
            KeyError: no such value.

        >>> Processor("gain").with_values(gain_db=0.0) == Processor("gain")
        True
        """
        values = dict(self.values) | changes
        kept = {name: v for name, v in values.items() if v != KINDS[self.kind].parameter(name).default}
        return replace(self, values=tuple(sorted(kept.items())))


Chain = tuple[Processor, ...]


def in_default_order(chain: Chain) -> Chain:
    """A chain in the usual order: repair, tone, dynamics, space; within a stage as kinds are ranked, and as they were.

    >>> [one.kind for one in in_default_order((Processor("reverb"), Processor("equaliser")))]
    ['equaliser', 'reverb']
    """
    return tuple(sorted(chain, key=lambda p: KINDS[p.kind].rank))


def place_for(chain: Chain, kind: str) -> int:
    """Index of a new processor: behind the last that usually stands before it or beside it.

    >>> place_for((Processor("equaliser"), Processor("reverb")), "compressor")
    1
    """
    before = [i for i, p in enumerate(chain) if KINDS[p.kind].rank <= KINDS[kind].rank]
    return before[-1] + 1 if before else 0


def chain_from_data(data: Any, field: str = "chain") -> Chain:
    """A chain from JSON data.

    Raises:
        PlanError: not a list, too long, or a processor that cannot be; ``field`` says which.
    """
    if not isinstance(data, list | tuple):
        raise PlanError("chain_not_a_list", field=field)
    if len(data) > MOST_PROCESSORS:
        raise PlanError("chain_too_long", field=field, n=len(data), most=MOST_PROCESSORS)
    return tuple(checked_processor(one, f"{field}[{index}]") for index, one in enumerate(data))


def checked_processor(data: Any, field: str) -> Processor:
    """A processor from JSON data, every value known and within its limits.

    Args:
        data: kind, and where they differ from plain: values by name, ``curves`` by name as [at_sample, value],
            ``profile_db``, ``is_bypassed``.

    Raises:
        PlanError: an unknown kind or name (perhaps of a newer version), a value out of its limits or not a number.
    """
    if not isinstance(data, Mapping) or data.get("kind") not in KINDS:
        found = data.get("kind") if isinstance(data, Mapping) else data
        raise PlanError("processor_unknown", field=field, found=str(found)[:40])
    kind = KINDS[data["kind"]]
    unknown = set(data) - {"kind", "values", "curves", "profile_db", "is_bypassed"}
    if unknown:
        raise PlanError("processor_field", field=field, processor=kind.name, found=min(map(str, unknown))[:40])
    values = data.get("values", {})
    curves = data.get("curves", {})
    if not isinstance(values, Mapping) or not isinstance(curves, Mapping):
        raise PlanError("processor_field", field=field, processor=kind.name, found="values")
    checked = {name: _checked_value(kind, str(name), value, field) for name, value in values.items()}
    processor = Processor(
        kind.name,
        curves=tuple(
            (str(name), _checked_curve(kind, str(name), points, field))
            for name, points in sorted(curves.items())
            if points
        ),
        profile_db=_checked_profile(data.get("profile_db", ()), field),
        is_bypassed=data.get("is_bypassed") is True,
    )
    return processor.with_values(**checked)


def _known(kind: Kind, name: str, field: str) -> Parameter:
    try:
        return kind.parameter(name)
    except KeyError:
        raise PlanError("processor_field", field=field, processor=kind.name, found=name[:40]) from None


def _checked_value(kind: Kind, name: str, value: Any, field: str) -> Value:
    parameter = _known(kind, name, field)
    if parameter.choices:
        if value not in parameter.choices:
            choices = ", ".join(parameter.choices)
            raise PlanError(
                "processor_choice",
                field=f"{field}.{name}",
                processor=kind.name,
                parameter=parameter.name,
                found=str(value)[:40],
                choices=choices,
            )
        return str(value)
    return _checked_number(kind, parameter, value, f"{field}.{name}")


def _checked_number(kind: Kind, parameter: Parameter, value: Any, field: str) -> float:
    text = str(value).replace("−", "-").replace(",", ".").strip()
    try:
        number = float(text) if not isinstance(value, bool) else math.nan
    except ValueError:
        number = math.nan
    if not math.isfinite(number) or not parameter.least <= number <= parameter.most:
        raise PlanError(
            "processor_number",
            field=field,
            processor=kind.name,
            parameter=parameter.name,
            found=text[:40],
            least=parameter.least,
            most=parameter.most,
            unit=parameter.unit,
        )
    return number


def _checked_curve(kind: Kind, name: str, points: Any, field: str) -> tuple[ValuePoint, ...]:
    parameter = _known(kind, name, field)
    where = f"{field}.curves.{name}"
    if not parameter.may_move:
        raise PlanError("processor_still", field=where, processor=kind.name, parameter=parameter.name)
    if not isinstance(points, list | tuple) or len(points) > MOST_CURVE_POINTS:
        raise PlanError("processor_curve", field=where, processor=kind.name, parameter=parameter.name)
    made = []
    for point in points:
        try:
            at_sample, value = point
            at = int(at_sample)
        except (TypeError, ValueError, OverflowError):
            raise PlanError("processor_curve", field=where, processor=kind.name, parameter=parameter.name) from None
        made.append(ValuePoint(at, _checked_number(kind, parameter, value, where)))
    made.sort(key=lambda p: p.at_sample)
    if any(a.at_sample == b.at_sample for a, b in pairwise(made)):
        raise PlanError("curve_out_of_order", field=where)
    return tuple(made)


def _checked_profile(data: Any, field: str) -> tuple[float, ...]:
    if not data:
        return ()
    try:
        profile = tuple(float(level) for level in data)
    except (TypeError, ValueError):
        profile = ()
    if len(profile) != PROFILE_BANDS or not all(-200.0 <= level <= 20.0 for level in profile):
        raise PlanError("noise_profile", field=f"{field}.profile_db")
    return profile


def processor_data(processor: Processor) -> dict[str, Any]:
    """A processor as JSON data; what is plain is left out."""
    data: dict[str, Any] = {"kind": processor.kind}
    if processor.values:
        data["values"] = dict(processor.values)
    if processor.curves:
        data["curves"] = {name: [[p.at_sample, p.value] for p in points] for name, points in processor.curves}
    if processor.profile_db:
        data["profile_db"] = list(processor.profile_db)
    if processor.is_bypassed:
        data["is_bypassed"] = True
    return data


def chain_data(chain: Chain) -> list[dict[str, Any]]:
    """A chain as JSON data."""
    return [processor_data(processor) for processor in chain]


def active(chain: Chain) -> Chain:
    """The processors of a chain that act: those that are not bypassed.

    >>> active((replace(Processor("gain"), is_bypassed=True), Processor("delay")))[0].kind
    'delay'
    """
    return tuple(processor for processor in chain if not processor.is_bypassed)


@lru_cache(maxsize=4096)
def chain_key(chain: Chain) -> str:
    """A short hash of everything about a chain that sounds; empty where nothing acts.

    Equal chains have equal keys in every process: kept results are found by it.
    """
    acting = active(chain)
    if not acting:
        return ""
    text = json.dumps(
        [[*sorted(processor_data(p).items()), p.outputs_difference, p.band_alone] for p in acting], sort_keys=True
    )
    return hashlib.sha256(f"{VERSION} {text}".encode()).hexdigest()[:24]


def samples_of_ms(time_ms: float) -> int:
    """Nearest whole number of samples of a time in milliseconds.

    >>> samples_of_ms(2.5)
    120
    """
    return round(time_ms * RATE_HZ / 1000.0)
