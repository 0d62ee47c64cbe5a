"""Every kind of processor: values, units, limits and plain values; docs/standards/processors.md lists them."""

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Final

Value = float | str
N_BANDS: Final = 8
PROFILE_BANDS: Final = 32
BAND_SHAPES: Final = ("off", "bell", "low-shelf", "high-shelf", "notch")
ROOMS: Final = ("small-room", "hall", "metal-room", "outdoors")


class Stage(StrEnum):
    """Purpose of a processor; chains go through them in this order by default."""

    REPAIR = "repair"
    TONE = "tone"
    DYNAMICS = "dynamics"
    SPACE = "space"


_EARLY_IN_STAGE: Final = ("clicks", "high-pass", "gate", "expander")
_LATE_IN_STAGE: Final = ("limiter",)


@dataclass(frozen=True)
class Parameter:
    """One value of a processor: its unit, and how far it goes. Labels stand in recitant_text.processors."""

    name: str
    unit: str
    default: Value
    least: float = 0.0
    most: float = 0.0
    is_log: bool = False
    """Whether a step means a ratio, as in Hz."""
    choices: tuple[str, ...] = ()
    may_move: bool = True
    """Whether it can follow a curve over time."""


@dataclass(frozen=True)
class Kind:
    """One sort of processor."""

    name: str
    stage: Stage
    parameters: tuple[Parameter, ...]

    @property
    def rank(self) -> int:
        """Usual place in a chain: by stage; within one, gates before compressors and limiters last."""
        within = -1 if self.name in _EARLY_IN_STAGE else 1 if self.name in _LATE_IN_STAGE else 0
        return 3 * list(Stage).index(self.stage) + 1 + within

    def parameter(self, name: str) -> Parameter:
        """The parameter of this name; KeyError where there is none."""
        return {p.name: p for p in self.parameters}[name]


def _number(name: str, unit: str, default: float, least: float, most: float, *, log: bool = False) -> Parameter:
    return Parameter(name, unit, default, least, most, log)


def _choice(name: str, *choices: str) -> Parameter:
    return Parameter(name, "", choices[0], choices=choices)


_SLOPES: Final = ("12", "6", "18", "24", "36", "48")


def _dynamics(threshold: float, ratio: float, most_ratio: float) -> tuple[Parameter, ...]:
    return (
        _number("threshold_dbfs", "dBFS", threshold, -80.0, 0.0),
        _number("ratio", ": 1", ratio, 1.0, most_ratio, log=True),
    )


def _times(attack: float, release: float) -> tuple[Parameter, ...]:
    return (
        _number("attack_ms", "ms", attack, 0.1, 500.0, log=True),
        _number("release_ms", "ms", release, 5.0, 2000.0, log=True),
    )


def _bands() -> tuple[Parameter, ...]:
    plain_hz = (100.0, 250.0, 400.0, 800.0, 1600.0, 3200.0, 6400.0, 12000.0)
    found = []
    for i in range(1, N_BANDS + 1):
        found += [
            _choice(f"band{i}_shape", *BAND_SHAPES),
            _number(f"band{i}_freq_hz", "Hz", plain_hz[i - 1], 20.0, 20000.0, log=True),
            _number(f"band{i}_gain_db", "dB", 0.0, -24.0, 24.0),
            _number(f"band{i}_q", "", 1.0, 0.1, 40.0, log=True),
        ]
    return tuple(found)


def _three_bands() -> tuple[Parameter, ...]:
    found = [
        _number("low_hz", "Hz", 250.0, 40.0, 1000.0, log=True),
        _number("high_hz", "Hz", 4000.0, 1200.0, 12000.0, log=True),
    ]
    for band in ("low", "middle", "high"):
        found += [
            _number(f"{band}_threshold_dbfs", "dBFS", -30.0, -80.0, 0.0),
            _number(f"{band}_ratio", ": 1", 2.0, 1.0, 20.0, log=True),
            _number(f"{band}_gain_db", "dB", 0.0, -24.0, 24.0),
        ]
    return (*found, _number("knee_db", "dB", 6.0, 0.0, 24.0), *_times(15.0, 150.0))


_ALL: Final = (
    Kind(
        "clicks",
        Stage.REPAIR,
        (
            _choice("what", "both", "clicks", "thumps"),
            _number("over_db", "dB", 18.0, 6.0, 40.0),
            _number("longest_ms", "ms", 6.0, 0.5, 30.0, log=True),
        ),
    ),
    Kind(
        "hum",
        Stage.REPAIR,
        (
            _number("mains_hz", "Hz", 50.0, 40.0, 70.0),
            _number("multiples", "", 8.0, 1.0, 24.0),
            _number("depth_db", "dB", 30.0, 0.0, 60.0),
            _number("width_hz", "Hz", 3.0, 0.5, 12.0, log=True),
        ),
    ),
    Kind(
        "noise",
        Stage.REPAIR,
        (
            _number("amount_db", "dB", 9.0, 0.0, 30.0),
            _number("over_db", "dB over the noise", 3.0, 0.0, 18.0),
            _number("smoothing_ms", "ms", 40.0, 10.0, 400.0, log=True),
        ),
    ),
    Kind(
        "less-room",
        Stage.REPAIR,
        (
            _number("amount_db", "dB", 9.0, 0.0, 24.0),
            _number("decay_s", "s", 0.6, 0.15, 3.0, log=True),
        ),
    ),
    Kind(
        "high-pass",
        Stage.TONE,
        (
            _number("freq_hz", "Hz", 80.0, 16.0, 20000.0, log=True),
            _choice("slope_db_per_octave", *_SLOPES),
        ),
    ),
    Kind(
        "low-pass",
        Stage.TONE,
        (
            _number("freq_hz", "Hz", 16000.0, 40.0, 20000.0, log=True),
            _choice("slope_db_per_octave", *_SLOPES),
        ),
    ),
    Kind("equaliser", Stage.TONE, _bands()),
    Kind(
        "expander",
        Stage.DYNAMICS,
        (
            *_dynamics(-45.0, 2.0, 10.0),
            _number("range_db", "dB", 12.0, 0.0, 60.0),
            _number("knee_db", "dB", 6.0, 0.0, 24.0),
            *_times(3.0, 200.0),
            _number("hold_ms", "ms", 60.0, 0.0, 1000.0),
        ),
    ),
    Kind(
        "gate",
        Stage.DYNAMICS,
        (
            _number("threshold_dbfs", "dBFS", -50.0, -90.0, 0.0),
            _number("range_db", "dB", 30.0, 0.0, 90.0),
            *_times(1.0, 200.0),
            _number("hold_ms", "ms", 80.0, 0.0, 1000.0),
        ),
    ),
    Kind(
        "compressor",
        Stage.DYNAMICS,
        (
            *_dynamics(-24.0, 3.0, 30.0),
            _number("knee_db", "dB", 6.0, 0.0, 24.0),
            *_times(12.0, 150.0),
            _number("make_up_db", "dB", 0.0, -12.0, 24.0),
            _choice("hears", "rms", "peak"),
            _number("lookahead_ms", "ms", 0.0, 0.0, 20.0),
            _number("mix_percent", "%", 100.0, 0.0, 100.0),
        ),
    ),
    Kind("three-band", Stage.DYNAMICS, _three_bands()),
    Kind(
        "de-esser",
        Stage.DYNAMICS,
        (
            _number("freq_hz", "Hz", 6500.0, 2000.0, 14000.0, log=True),
            _number("q", "", 1.2, 0.3, 8.0, log=True),
            _number("threshold_dbfs", "dBFS", -32.0, -80.0, 0.0),
            _number("ratio", ": 1", 4.0, 1.0, 20.0, log=True),
            _number("range_db", "dB", 10.0, 0.0, 24.0),
            *_times(1.0, 60.0),
        ),
    ),
    Kind(
        "limiter",
        Stage.DYNAMICS,
        (
            _number("gain_db", "dB", 0.0, -24.0, 24.0),
            _number("ceiling_db", "dB", -1.0, -36.0, 0.0),
            _choice("hears", "true-peak", "sample-peak"),
        ),
    ),
    Kind("gain", Stage.DYNAMICS, (_number("gain_db", "dB", 0.0, -96.0, 24.0),)),
    Kind("polarity", Stage.REPAIR, (_choice("side", "both", "left", "right"),)),
    Kind(
        "width",
        Stage.SPACE,
        (
            _number("width_percent", "%", 100.0, 0.0, 200.0),
            _number("balance_db", "dB", 0.0, -24.0, 24.0),
        ),
    ),
    Kind(
        "delay",
        Stage.SPACE,
        (
            _number("time_ms", "ms", 0.0, 0.0, 2000.0),
            _number("mix_percent", "%", 100.0, 0.0, 100.0),
        ),
    ),
    Kind(
        "reverb",
        Stage.SPACE,
        (
            _choice("room", *ROOMS),
            _number("wet_db", "dB", -12.0, -60.0, 12.0),
            _number("dry_db", "dB", 0.0, -96.0, 12.0),
            _number("distance_ms", "ms", 8.0, 0.0, 120.0),
        ),
    ),
    Kind(
        "pitch",
        Stage.SPACE,
        (
            _number("semitones", "semitones", 0.0, -12.0, 12.0),
            _number("mix_percent", "%", 100.0, 0.0, 100.0),
        ),
    ),
)
_STILL: Final = {
    "clicks": {"over_db", "longest_ms"},
    "hum": {"multiples"},
    "expander": {"range_db", "knee_db", "hold_ms"},
    "gate": {"range_db", "hold_ms"},
    "compressor": {"knee_db", "lookahead_ms"},
    "three-band": {"low_hz", "high_hz", "knee_db"},
    "reverb": {"distance_ms"},
}


def _settled(kind: Kind) -> Kind:
    """The kind with what cannot move over time marked: choices, and what shapes a window or a curve itself."""
    parameters = tuple(
        replace(p, may_move=not p.choices and p.name not in _STILL.get(kind.name, ())) for p in kind.parameters
    )
    return replace(kind, parameters=parameters)


KINDS: Final = {kind.name: _settled(kind) for kind in _ALL}
