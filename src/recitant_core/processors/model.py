"""What a processor is: a kind, its values in units, curves that move them, and the limits of each.

A chain is a tuple of processors, first to last. All checks of values from outside are made here, by checked_processor.
"""

import hashlib
import json
import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import lru_cache
from itertools import pairwise
from typing import Any, Final

import numpy as np

from recitant_core.errors import PlanError
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ

Value = float | str
VERSION: Final = 1  # raised when the arithmetic of any processor changes
MOST_PROCESSORS: Final = 24
MOST_CURVE_POINTS: Final = 2_000
N_BANDS: Final = 8
PROFILE_BANDS: Final = 32
BAND_SHAPES: Final = ("off", "bell", "low-shelf", "high-shelf", "notch")
ROOMS: Final = ("small-room", "hall", "metal-room", "outdoors")


class Stage(StrEnum):
    """What a processor is for; chains go through them in this order by default."""

    REPAIR = "repair"
    TONE = "tone"
    DYNAMICS = "dynamics"
    SPACE = "space"


@dataclass(frozen=True)
class Parameter:
    """One value of a processor: what it is called, its unit, and how far it goes."""

    name: str
    label: str
    unit: str
    plain: Value
    least: float = 0.0
    most: float = 0.0
    is_log: bool = False
    """Whether a step means a ratio, as in Hz."""
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class Kind:
    """One sort of processor."""

    name: str
    label: str
    stage: Stage
    parameters: tuple[Parameter, ...]

    def parameter(self, name: str) -> Parameter:
        """The parameter of this name; KeyError where there is none."""
        return {p.name: p for p in self.parameters}[name]


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
    gives_taken: bool = False
    """For hearing only: what it takes away instead of what it leaves."""

    def value(self, name: str) -> Value:
        """A value in its unit, plain where it was not set."""
        for found, value in self.values:
            if found == name:
                return value
        return _PLAIN[self.kind, name]

    def number(self, name: str) -> float:
        """A value that is a number."""
        return float(self.value(name))

    def points(self, name: str) -> tuple[ValuePoint, ...]:
        """The curve of a value; empty where it stands still."""
        return next((points for found, points in self.curves if found == name), ())

    def along(self, name: str, places: FloatArray) -> FloatArray | float:
        """A value at each place, straight between its points (by ratios where a step is one); one number if still."""
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
        """The same with some values set."""
        values = dict(self.values) | changes
        kept = {name: v for name, v in values.items() if v != KINDS[self.kind].parameter(name).plain}
        return replace(self, values=tuple(sorted(kept.items())))


Chain = tuple[Processor, ...]


def _number(
    name: str, label: str, unit: str, plain: float, least: float, most: float, *, log: bool = False
) -> Parameter:
    return Parameter(name, label, unit, plain, least, most, log)


def _choice(name: str, label: str, *choices: str) -> Parameter:
    return Parameter(name, label, "", choices[0], choices=choices)


_SLOPES: Final = ("12", "6", "18", "24", "36", "48")


def _dynamics(threshold: float, ratio: float, most_ratio: float) -> tuple[Parameter, ...]:
    return (
        _number("threshold_dbfs", "threshold", "dBFS", threshold, -80.0, 0.0),
        _number("ratio", "ratio", ": 1", ratio, 1.0, most_ratio, log=True),
    )


def _times(attack: float, release: float) -> tuple[Parameter, ...]:
    return (
        _number("attack_ms", "attack", "ms", attack, 0.1, 500.0, log=True),
        _number("release_ms", "release", "ms", release, 5.0, 2000.0, log=True),
    )


def _bands() -> tuple[Parameter, ...]:
    plain_hz = (100.0, 250.0, 400.0, 800.0, 1600.0, 3200.0, 6400.0, 12000.0)
    found = []
    for i in range(1, N_BANDS + 1):
        found += [
            _choice(f"band{i}_shape", f"band {i}", *BAND_SHAPES),
            _number(f"band{i}_freq_hz", "frequency", "Hz", plain_hz[i - 1], 20.0, 20000.0, log=True),
            _number(f"band{i}_gain_db", "gain", "dB", 0.0, -24.0, 24.0),
            _number(f"band{i}_q", "Q", "", 1.0, 0.1, 40.0, log=True),
        ]
    return tuple(found)


def _three_bands() -> tuple[Parameter, ...]:
    found = [
        _number("low_hz", "low to middle", "Hz", 250.0, 40.0, 1000.0, log=True),
        _number("high_hz", "middle to high", "Hz", 4000.0, 1200.0, 12000.0, log=True),
    ]
    for band in ("low", "middle", "high"):
        found += [
            _number(f"{band}_threshold_dbfs", f"{band} threshold", "dBFS", -30.0, -80.0, 0.0),
            _number(f"{band}_ratio", f"{band} ratio", ": 1", 2.0, 1.0, 20.0, log=True),
            _number(f"{band}_gain_db", f"{band} gain", "dB", 0.0, -24.0, 24.0),
        ]
    return (*found, _number("knee_db", "knee", "dB", 6.0, 0.0, 24.0), *_times(15.0, 150.0))


_ALL: Final = (
    Kind(
        "clicks",
        "Clicks and thumps",
        Stage.REPAIR,
        (
            _choice("what", "what", "both", "clicks", "thumps"),
            _number("over_db", "stands out by", "dB", 18.0, 6.0, 40.0),
            _number("longest_ms", "longest click", "ms", 6.0, 0.5, 30.0, log=True),
        ),
    ),
    Kind(
        "hum",
        "Hum filter",
        Stage.REPAIR,
        (
            _number("mains_hz", "mains", "Hz", 50.0, 40.0, 70.0),
            _number("multiples", "multiples", "", 8.0, 1.0, 24.0),
            _number("depth_db", "depth", "dB", 30.0, 0.0, 60.0),
            _number("width_hz", "width", "Hz", 3.0, 0.5, 12.0, log=True),
        ),
    ),
    Kind(
        "noise",
        "Noise reduction",
        Stage.REPAIR,
        (
            _number("amount_db", "amount", "dB", 9.0, 0.0, 30.0),
            _number("over_db", "acts up to", "dB over the noise", 3.0, 0.0, 18.0),
            _number("smoothing_ms", "smoothing", "ms", 40.0, 10.0, 400.0, log=True),
        ),
    ),
    Kind(
        "high-pass",
        "High-pass",
        Stage.TONE,
        (
            _number("freq_hz", "frequency", "Hz", 80.0, 16.0, 20000.0, log=True),
            _choice("slope_db_per_octave", "slope", *_SLOPES),
        ),
    ),
    Kind(
        "low-pass",
        "Low-pass",
        Stage.TONE,
        (
            _number("freq_hz", "frequency", "Hz", 16000.0, 40.0, 20000.0, log=True),
            _choice("slope_db_per_octave", "slope", *_SLOPES),
        ),
    ),
    Kind("equaliser", "Equaliser", Stage.TONE, _bands()),
    Kind(
        "expander",
        "Expander",
        Stage.DYNAMICS,
        (
            *_dynamics(-45.0, 2.0, 10.0),
            _number("range_db", "most reduction", "dB", 12.0, 0.0, 60.0),
            _number("knee_db", "knee", "dB", 6.0, 0.0, 24.0),
            *_times(3.0, 200.0),
            _number("hold_ms", "hold", "ms", 60.0, 0.0, 1000.0),
        ),
    ),
    Kind(
        "gate",
        "Gate",
        Stage.DYNAMICS,
        (
            _number("threshold_dbfs", "threshold", "dBFS", -50.0, -90.0, 0.0),
            _number("range_db", "most reduction", "dB", 30.0, 0.0, 90.0),
            *_times(1.0, 200.0),
            _number("hold_ms", "hold", "ms", 80.0, 0.0, 1000.0),
        ),
    ),
    Kind(
        "compressor",
        "Compressor",
        Stage.DYNAMICS,
        (
            *_dynamics(-24.0, 3.0, 30.0),
            _number("knee_db", "knee", "dB", 6.0, 0.0, 24.0),
            *_times(12.0, 150.0),
            _number("make_up_db", "make-up", "dB", 0.0, -12.0, 24.0),
            _choice("hears", "hears", "rms", "peak"),
            _number("lookahead_ms", "lookahead", "ms", 0.0, 0.0, 20.0),
            _number("mix_percent", "mix", "%", 100.0, 0.0, 100.0),
        ),
    ),
    Kind("three-band", "Three-band compressor", Stage.DYNAMICS, _three_bands()),
    Kind(
        "de-esser",
        "De-esser",
        Stage.DYNAMICS,
        (
            _number("freq_hz", "frequency", "Hz", 6500.0, 2000.0, 14000.0, log=True),
            _number("q", "Q", "", 1.2, 0.3, 8.0, log=True),
            _number("threshold_dbfs", "threshold", "dBFS", -32.0, -80.0, 0.0),
            _number("ratio", "ratio", ": 1", 4.0, 1.0, 20.0, log=True),
            _number("range_db", "most reduction", "dB", 10.0, 0.0, 24.0),
            *_times(1.0, 60.0),
        ),
    ),
    Kind(
        "limiter",
        "Limiter",
        Stage.DYNAMICS,
        (
            _number("gain_db", "gain", "dB", 0.0, -24.0, 24.0),
            _number("ceiling_db", "ceiling", "dB", -1.0, -36.0, 0.0),
            _choice("hears", "hears", "true-peak", "sample-peak"),
        ),
    ),
    Kind("gain", "Gain", Stage.DYNAMICS, (_number("gain_db", "gain", "dB", 0.0, -96.0, 24.0),)),
    Kind("polarity", "Polarity", Stage.REPAIR, (_choice("side", "turned", "both", "left", "right"),)),
    Kind(
        "width",
        "Width and balance",
        Stage.SPACE,
        (
            _number("width_percent", "width", "%", 100.0, 0.0, 200.0),
            _number("balance_db", "balance, left to right", "dB", 0.0, -24.0, 24.0),
        ),
    ),
    Kind(
        "delay",
        "Delay",
        Stage.SPACE,
        (
            _number("time_ms", "time", "ms", 0.0, 0.0, 2000.0),
            _number("mix_percent", "mix", "%", 100.0, 0.0, 100.0),
        ),
    ),
    Kind(
        "reverb",
        "Room",
        Stage.SPACE,
        (
            _choice("room", "room", *ROOMS),
            _number("wet_db", "room level", "dB", -12.0, -60.0, 12.0),
            _number("dry_db", "direct level", "dB", 0.0, -96.0, 12.0),
            _number("distance_ms", "before the room answers", "ms", 8.0, 0.0, 120.0),
        ),
    ),
    Kind(
        "pitch",
        "Pitch",
        Stage.SPACE,
        (
            _number("semitones", "pitch", "semitones", 0.0, -12.0, 12.0),
            _number("mix_percent", "mix", "%", 100.0, 0.0, 100.0),
        ),
    ),
)
KINDS: Final = {kind.name: kind for kind in _ALL}
_PLAIN: Final = {(kind.name, p.name): p.plain for kind in _ALL for p in kind.parameters}


def in_default_order(chain: Chain) -> Chain:
    """Repair, tone, dynamics, space; within a stage as they were."""
    stages = list(Stage)
    return tuple(sorted(chain, key=lambda p: stages.index(KINDS[p.kind].stage)))


def place_for(chain: Chain, kind: str) -> int:
    """Where a new processor goes: after the last of its own stage or an earlier one."""
    stages = list(Stage)
    mine = stages.index(KINDS[kind].stage)
    before = [i for i, p in enumerate(chain) if stages.index(KINDS[p.kind].stage) <= mine]
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
        raise PlanError("processor_field", field=field, label=kind.label, found=min(map(str, unknown))[:40])
    values = data.get("values", {})
    curves = data.get("curves", {})
    if not isinstance(values, Mapping) or not isinstance(curves, Mapping):
        raise PlanError("processor_field", field=field, label=kind.label, found="values")
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
        raise PlanError("processor_field", field=field, label=kind.label, found=name[:40]) from None


def _checked_value(kind: Kind, name: str, value: Any, field: str) -> Value:
    parameter = _known(kind, name, field)
    if parameter.choices:
        if value not in parameter.choices:
            choices = ", ".join(parameter.choices)
            raise PlanError(
                "processor_choice",
                field=f"{field}.{name}",
                label=parameter.label,
                found=str(value)[:40],
                choices=choices,
            )
        return str(value)
    return _checked_number(parameter, value, f"{field}.{name}")


def _checked_number(parameter: Parameter, value: Any, field: str) -> float:
    text = str(value).replace("−", "-").replace(",", ".").strip()
    try:
        number = float(text) if not isinstance(value, bool) else math.nan
    except ValueError:
        number = math.nan
    if not math.isfinite(number) or not parameter.least <= number <= parameter.most:
        raise PlanError(
            "processor_number",
            field=field,
            label=parameter.label,
            found=text[:40],
            least=parameter.least,
            most=parameter.most,
            unit=parameter.unit,
        )
    return number


def _checked_curve(kind: Kind, name: str, points: Any, field: str) -> tuple[ValuePoint, ...]:
    parameter = _known(kind, name, field)
    where = f"{field}.curves.{name}"
    if parameter.choices or not isinstance(points, list | tuple) or len(points) > MOST_CURVE_POINTS:
        raise PlanError("processor_curve", field=where, label=parameter.label)
    made = []
    for point in points:
        try:
            at_sample, value = point
            at = int(at_sample)
        except (TypeError, ValueError, OverflowError):
            raise PlanError("processor_curve", field=where, label=parameter.label) from None
        made.append(ValuePoint(at, _checked_number(parameter, value, where)))
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
    """The processors that act."""
    return tuple(processor for processor in chain if not processor.is_bypassed)


@lru_cache(maxsize=4096)
def chain_key(chain: Chain) -> str:
    """A short hash of everything about a chain that sounds; empty where nothing acts."""
    acting = active(chain)
    if not acting:
        return ""
    text = json.dumps([[*sorted(processor_data(p).items()), p.gives_taken] for p in acting], sort_keys=True)
    return hashlib.sha256(f"{VERSION} {text}".encode()).hexdigest()[:24]


def samples_of_ms(time_ms: float) -> int:
    """Nearest whole number of samples of a time in milliseconds."""
    return round(time_ms * RATE_HZ / 1000.0)
