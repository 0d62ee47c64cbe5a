"""Runs of processors that go through one compiled pass, several signals side by side: which, and with what numbers.

A run is as many neighbours of a chain as filters, expanders, gates, compressors and de-essers standing still allow.
Its shape says which operations it is made of; signals whose runs have the same shape share a pass, whatever their
values are, and the bits of each are those it has alone.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np

from recitant_core.dsp.lanes import WIDTHS, like
from recitant_core.processors import filters
from recitant_core.processors.dynamics import RMS_MS, pole_of, reduction_curve
from recitant_core.processors.dynamics_kernels import CONTROL_SAMPLES, FLOOR_DBFS
from recitant_core.processors.lane_kernels import (
    BAND,
    BLOCK_FRAMES,
    GAIN_BY_LEVEL,
    GATE,
    OPERATION_FIELDS,
    SECTIONS,
    through_operations,
)
from recitant_core.processors.model import Chain, Processor, samples_of_ms
from recitant_core.processors.tone import TONE_KINDS, sections_at
from recitant_core.units.arrays import Audio, FloatArray

Operation = tuple[int, int, int]
"""What it does, how many (sections of a filter, steps a level is held), whether it hears peaks (1) or rms (0)."""
_PASS_THROUGH: Final = (1.0, 0.0, 0.0, 0.0, 0.0)
_NO_LIMIT_DB: Final = 1e9
_LINE_BYTES: Final = 64
_ROW_FRAMES, _APART_FRAMES = 256, 16


@dataclass(frozen=True)
class Run:
    """Neighbouring processors of a chain as one pass: its operations and the numbers of one signal in it."""

    shape: tuple[Operation, ...]
    values: tuple[float, ...]
    state: tuple[float, ...]
    """At rest, in a silence that has lasted."""
    gaining: tuple[int, ...]
    """Places, among the processors of the run, of those that tell their gain."""


def goes_in_lanes(processor: Processor) -> bool:
    """Whether a processor can be worked out side by side with others of its kind, as part of a run.

    Curves, listening to what is taken away, and a compressor that looks ahead go alone.
    """
    if processor.curves or processor.outputs_difference:
        return False
    if processor.kind == "compressor":
        return samples_of_ms(processor.number("lookahead_ms")) < CONTROL_SAMPLES
    return processor.kind in TONE_KINDS or processor.kind in ("expander", "gate", "de-esser")


@lru_cache(maxsize=512)
def run_of(chain: Chain) -> Run:
    """The run of a chain whose processors all go in lanes."""
    shape: list[Operation] = []
    values: list[float] = []
    state: list[float] = []
    gaining = []
    sections: list[Sequence[float]] = []
    for index, processor in enumerate(chain):
        if processor.kind in TONE_KINDS:
            sections += [list(section) for section in sections_at(processor, 0.0)]
            continue
        _add_filter(sections, shape, values, state)
        sections = []
        gaining.append(index)
        _add_gain(processor, shape, values, state)
    _add_filter(sections, shape, values, state)
    return Run(tuple(shape), tuple(values), tuple(state), tuple(gaining))


def _add_filter(
    sections: list[Sequence[float]], shape: list[Operation], values: list[float], state: list[float]
) -> None:
    left = list(sections)
    while left:
        # A section that passes everything on changes no bit; five at once cost little more than two by themselves.
        many = 5 if len(left) > 2 else 1
        part, left = left[:many], left[many:]
        part += [_PASS_THROUGH] * (many - len(part))
        shape.append((SECTIONS, many, 0))
        for b0, b1, b2, a1, a2 in part:
            values += [b0, b1, b2, -a1, -a2]
        state += [0.0] * (2 * (many + 1))


def _add_gain(processor: Processor, shape: list[Operation], values: list[float], state: list[float]) -> None:
    number, kind = processor.number, processor.kind
    n_held = samples_of_ms(number("hold_ms")) // CONTROL_SAMPLES if kind in ("gate", "expander") else 0
    if kind == "de-esser":
        b0, b1, b2, a1, a2 = filters.band_pass(number("freq_hz"), number("q"))
        values += [b0, b1, b2, -a1, -a2]
        state += [0.0] * 4
    values.append(pole_of(RMS_MS))
    if kind == "gate":
        shape.append((GATE, 0, 0))
        values += [number("threshold_dbfs"), number("range_db"), float(n_held)]
    else:
        hears_peak = kind == "compressor" and processor.value("hears") == "peak"
        shape.append((BAND if kind == "de-esser" else GAIN_BY_LEVEL, n_held, int(hears_peak)))
        values += _bend(processor)
    # An attack of what opens is less reduction.
    rising, falling = ("release_ms", "attack_ms") if kind in ("gate", "expander") else ("attack_ms", "release_ms")
    share = number("mix_percent") / 100.0 if kind == "compressor" else 1.0
    made_up = 10.0 ** (number("make_up_db") / 20.0) if kind == "compressor" else 1.0
    values += [pole_of(number(rising)), pole_of(number(falling)), 1.0 - share, share * made_up]
    resting_db = -float(reduction_curve(processor, np.array([FLOOR_DBFS]))[0])
    factor = 10.0 ** (-resting_db / 20.0)
    state += [0.0, resting_db, factor - 1.0 if kind == "de-esser" else 1.0 - share + share * made_up * factor]
    if kind == "gate":
        state.append(n_held + 1.0)
    elif n_held:
        state += [FLOOR_DBFS] * (n_held + 2)


def _bend(processor: Processor) -> list[float]:
    # sign, threshold, slope, half the knee, half of its reciprocal, and the most that is taken.
    number = processor.number
    ratio, threshold_dbfs = number("ratio"), number("threshold_dbfs")
    knee_db = 0.0 if processor.kind == "de-esser" else number("knee_db")
    half_reciprocal = 0.5 / knee_db if knee_db else 0.0
    if processor.kind == "expander":
        return [-1.0, threshold_dbfs, ratio - 1.0, knee_db / 2.0, half_reciprocal, number("range_db")]
    most_db = number("range_db") if processor.kind == "de-esser" else _NO_LIMIT_DB
    return [1.0, threshold_dbfs, 1.0 - 1.0 / ratio, knee_db / 2.0, half_reciprocal, most_db]


class LanePass:
    """Runs of one shape under way, one a signal: takes their next pieces, keeps their state."""

    def __init__(self, runs: Sequence[Run], n_lanes: int) -> None:
        """At rest.

        Args:
            runs: at most n_lanes / 2, all of one shape.
            n_lanes: one of dsp.lanes.WIDTHS.
        """
        assert n_lanes in WIDTHS and len(runs) <= n_lanes // 2
        assert all(run.shape == runs[0].shape for run in runs)
        self._like = like(n_lanes)
        self._gaining = len(runs[0].gaining)
        self._values = _rows([run.values for run in runs], n_lanes)
        self._state = _rows([run.state for run in runs], n_lanes)
        at_values, at_state = 0, 0
        operations = []
        for what, many, hears_peak in runs[0].shape:
            operations.append([what, at_values, at_state, many, hears_peak, 0])
            n_values, n_state = _sizes(what, many)
            at_values += n_values * n_lanes
            at_state += n_state * n_lanes
        self._operations = np.array(operations, np.int64).reshape(-1, OPERATION_FIELDS)
        n_work = (2 * BLOCK_FRAMES + BLOCK_FRAMES // CONTROL_SAMPLES) * n_lanes + 2 + len(self._state)
        self._work = aligned(n_work, np.float64)
        self._work[:] = 0.0

    def rest(self, row: int, run: Run) -> None:
        """Bring one signal back to rest, between two pieces that meet on the grid of BLOCK_FRAMES."""
        self._state.reshape(-1, len(self._like))[:, 2 * row : 2 * row + 2] = np.array(run.state)[:, None]
        self._work[-len(self._state) - 1] = 0.0  # whatever was at rest as a whole is so no more

    def take(self, audio: Audio, first: int, n_frames: int, *, is_watched: bool = False) -> FloatArray:
        """Process the next piece of every signal in its place; reductions in dB, float64 (gains, steps, signals).

        Args:
            audio: float32 (n_lanes / 2, frames, 2), one block of memory; what is beyond the runs is written over.
            first, n_frames: the piece; its length is a multiple of CONTROL_SAMPLES.
            is_watched: whether reductions are wanted; else the array is empty.
        """
        n_lanes = len(self._like)
        assert len(audio) == n_lanes // 2 and n_frames % CONTROL_SAMPLES == 0
        steps = n_frames // CONTROL_SAMPLES if is_watched else 0
        told = np.zeros(self._gaining * steps * n_lanes)
        through_operations(
            audio.reshape(-1), first, 2 * audio.shape[1], n_frames,
            self._operations, self._values, self._state, told, self._work, self._like,
        )  # fmt: skip
        return told.reshape(self._gaining, steps, n_lanes)[:, :, ::2]


def _sizes(what: int, many: int) -> tuple[int, int]:
    """Numbers of rows of values and of state of an operation."""
    if what == SECTIONS:
        return 5 * many, 2 * (many + 1)
    if what == GATE:
        return 8, 4
    return (16, 7) if what == BAND else (11, 3 + (many + 2 if many else 0))


def _rows(columns: Sequence[tuple[float, ...]], n_lanes: int) -> FloatArray:
    """One value of every lane after another; both channels of a signal have the same."""
    rows = aligned(len(columns[0]) * n_lanes, np.float64).reshape(-1, n_lanes)
    rows[:] = 0.0
    for j, column in enumerate(columns):
        rows[:, 2 * j] = rows[:, 2 * j + 1] = column
    return rows.reshape(-1)


def rows_of(n_signals: int, n_frames: int) -> Audio:
    """Room for stereo signals side by side, float32 (n_signals, at least n_frames, 2), of any content."""
    # Rows whose distance is a power of two would fall on the same few lines of the nearest cache.
    n_frames = -(-n_frames // _ROW_FRAMES) * _ROW_FRAMES + _APART_FRAMES
    found: Audio = aligned(2 * n_signals * n_frames, np.float32).reshape(n_signals, n_frames, 2)
    return found


def aligned(size: int, kind: type) -> np.ndarray:  # type: ignore[type-arg]
    """An array of any content and of this shape (axis by axis, sizes), that begins where a line of the cache does.

    Registers as wide as a line cross none."""
    extra = _LINE_BYTES // np.dtype(kind).itemsize
    whole: np.ndarray = np.empty(size + extra, kind)  # type: ignore[type-arg]
    begin = -whole.ctypes.data % _LINE_BYTES // whole.itemsize
    return whole[begin : begin + size]
