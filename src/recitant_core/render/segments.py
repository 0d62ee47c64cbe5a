"""Segments of the timeline through chains: made alone or side by side, kept, or coming out piece by piece.

A segment is a pure function of the chain, of what goes in around it and of its place on the grid: processed from rest
after a warm-up, it can be made alone, anywhere, in any order and company, and is kept under exactly those things.
Held to: tests/core/test_chains.py, tests/core/test_lanes.py
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass
from itertools import zip_longest
from threading import Event, Lock
from typing import Final

import numpy as np

from recitant_core.dsp.lanes import widest
from recitant_core.processors.chain import (
    GRID_SAMPLES,
    MOST_LANE_CHANNELS,
    PIECE_SAMPLES,
    chain_reach,
    through_chain,
)
from recitant_core.processors.dynamics_kernels import CONTROL_SAMPLES
from recitant_core.processors.lanes import LanePass, goes_in_lanes, rows_of, run_of
from recitant_core.processors.model import Chain
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ, SampleSpan

SEGMENT_SAMPLES: Final = 16 * RATE_HZ
MOST_KEPT_BYTES: Final = 256 << 20
Fill = Callable[[int, Audio], None]
"""Writes the samples from one on: float32 (frames, channels)."""
FillIn = Callable[[SampleSpan], Fill]
"""Gets ready to write any part of a window."""

assert SEGMENT_SAMPLES % GRID_SAMPLES == 0


@dataclass(frozen=True)
class Job:
    """A segment to be made: what goes in, and through what."""

    key: Hashable
    """Equal where what leaves is equal."""
    chain: Chain
    """Processors that act."""
    index: int
    n_channels: int
    fill_in: FillIn

    @property
    def window(self) -> SampleSpan:
        """What has to go in."""
        return segment_span(self.index).widen(*chain_reach(self.chain))

    @property
    def shape(self) -> Hashable:
        """Equal for jobs that can go side by side; None for one that goes alone."""
        is_wide = self.n_channels > MOST_LANE_CHANNELS
        return None if is_wide or not all(map(goes_in_lanes, self.chain)) else run_of(self.chain).shape


Companions = Callable[[], Iterable[Job]]


class _Kept:
    """Segments, least recently used out first; one that is being made is waited for, never made twice."""

    def __init__(self) -> None:
        self._audio: OrderedDict[Hashable, Audio] = OrderedDict()
        self._under_way: dict[Hashable, Event] = {}
        self._bytes = 0
        self._lock = Lock()

    def get_or_claim(self, key: Hashable) -> Audio | None:
        """The segment, waited for where somebody makes it; None where it is now the caller's to make and put."""
        while True:
            with self._lock:
                found = self._audio.get(key)
                if found is not None:
                    self._audio.move_to_end(key)
                    return found
                under_way = self._under_way.get(key)
                if under_way is None:
                    self._under_way[key] = Event()
                    return None
            under_way.wait()

    def holds(self, key: Hashable) -> bool:
        with self._lock:
            return key in self._audio

    def claims(self, key: Hashable) -> bool:
        """Whether it was neither kept nor being made, and is now the caller's to make and put."""
        with self._lock:
            if key in self._audio or key in self._under_way:
                return False
            self._under_way[key] = Event()
            return True

    def put(self, key: Hashable, audio: Audio | None) -> None:
        """Keep a claimed segment; None gives the claim back."""
        with self._lock:
            if audio is not None:
                self._audio[key] = audio
                self._bytes += audio.nbytes
            while self._bytes > MOST_KEPT_BYTES:
                _, gone = self._audio.popitem(last=False)
                self._bytes -= gone.nbytes
            self._under_way.pop(key).set()

    def clear(self) -> None:
        with self._lock:
            self._audio.clear()
            self._bytes = 0


_kept: Final = _Kept()


def forget_segments() -> None:
    """Drop every kept segment; costs time, nothing else."""
    _kept.clear()


def made(job: Job, companions: Companions) -> Audio:
    """The segment of a job, float32 (SEGMENT_SAMPLES, channels), kept or made.

    Args:
        companions: jobs that will be wanted too; those of the same shape are made in the same pass and kept.
    """
    found = _kept.get_or_claim(job.key)
    if found is not None:
        return found
    group, audio = [job], [None]  # type: tuple[list[Job], list[Audio | None]]
    try:
        most, shape = widest() // 2, job.shape
        if shape is not None:
            for other in companions():
                if len(group) == most:
                    break
                if other.shape == shape and _kept.claims(other.key):
                    group.append(other)
        audio = list(_side_by_side(group) if shape is not None else [_alone(job)])
    finally:
        for one, segment in zip_longest(group, audio):
            _kept.put(one.key, segment)
    assert audio[0] is not None
    return audio[0]


def _alone(job: Job) -> Audio:
    window = job.window
    fill = job.fill_in(window)
    audio = np.zeros((window.length_samples, job.n_channels), np.float32)
    for at in range(0, len(audio), PIECE_SAMPLES):
        fill(window.start_sample + at, audio[at : at + PIECE_SAMPLES])
    before = segment_span(job.index).start_sample - window.start_sample
    return through_chain(job.chain, audio, window.start_sample)[before : before + SEGMENT_SAMPLES].copy()


def _side_by_side(group: Sequence[Job]) -> list[Audio]:
    # Every job begins at the start of its own window and ends with its segment: nothing after it counts.
    n_lanes = 2 if len(group) == 1 else widest()
    run = LanePass([run_of(job.chain) for job in group], n_lanes)
    windows = [job.window for job in group]
    fills = [job.fill_in(window) for job, window in zip(group, windows, strict=True)]
    befores = [segment_span(j.index).start_sample - w.start_sample for j, w in zip(group, windows, strict=True)]
    ends = [before + SEGMENT_SAMPLES for before in befores]
    rows = rows_of(n_lanes // 2, max(ends))
    rows[len(group) :] = 0.0
    for at in range(0, max(ends), PIECE_SAMPLES):
        for row, (job, window, fill, end) in enumerate(zip(group, windows, fills, ends, strict=True)):
            piece = rows[row, at : min(at + PIECE_SAMPLES, end)]
            if len(piece):
                _fill_sides(fill, window.start_sample + at, piece, job.n_channels)
            rows[row, max(at, end) : at + PIECE_SAMPLES] = 0.0
        run.take(rows, at, min(PIECE_SAMPLES, max(ends) - at))
    sides = [rows[row, before:end] for row, (before, end) in enumerate(zip(befores, ends, strict=True))]
    out = [side[:, : job.n_channels] for side, job in zip(sides, group, strict=True)]
    # Rows of others, or a side that nobody wants, are not kept along.
    return out if len(group) == len(rows) and all(j.n_channels == 2 for j in group) else [one.copy() for one in out]


def _fill_sides(fill: Fill, start_sample: int, piece: Audio, n_channels: int) -> None:
    if n_channels == 2:
        fill(start_sample, piece)
        return
    mono = np.empty((len(piece), 1), np.float32)
    fill(start_sample, mono)
    piece[:] = mono


class LaneStream:
    """Segments of jobs of one shape, side by side, coming out piece by piece in step: nothing of them is kept."""

    def __init__(self, group: Sequence[Job]) -> None:
        """Before the first piece of their segments.

        Args:
            group: at most widest() / 2 jobs of one index.
        """
        self._runs = [run_of(job.chain) for job in group]
        self._jobs = group
        self._pass = LanePass(self._runs, widest())
        self._rows = rows_of(widest() // 2, PIECE_SAMPLES)
        self._rows[:] = 0.0
        self._fills = [job.fill_in(job.window) for job in group]
        self._begins = [job.window.start_sample for job in group]
        self._at_sample = min(self._begins)
        self._first_sample = self._at_sample

    def piece(self, row: int, start_sample: int, n_frames: int) -> Audio:
        """The next frames of a job, float32 (n_frames, channels), at most PIECE_SAMPLES; to be read before the next.

        Args:
            start_sample: where the last piece ended, or where it began: others ask for theirs.
        """
        if start_sample >= self._at_sample:
            # Each begins from rest at the start of its own window, however far the others are.
            stops = sorted({begin for begin in self._begins if begin > self._at_sample} | {start_sample})
            for stop in stops:
                while self._at_sample < stop:
                    self._advance(min(PIECE_SAMPLES, stop - self._at_sample))
            self._advance(n_frames)
        at = start_sample - self._first_sample
        return self._rows[row, at : at + n_frames, : self._jobs[row].n_channels]

    def _advance(self, n_frames: int) -> None:
        n = -(-n_frames // CONTROL_SAMPLES) * CONTROL_SAMPLES
        for row, (job, fill, begin) in enumerate(zip(self._jobs, self._fills, self._begins, strict=True)):
            if self._at_sample == begin:
                self._pass.rest(row, self._runs[row])
            if self._at_sample >= begin:
                _fill_sides(fill, self._at_sample, self._rows[row, :n], job.n_channels)
            else:
                self._rows[row, :n] = 0.0
        self._pass.take(self._rows, 0, n)
        self._first_sample = self._at_sample
        self._at_sample += n_frames


def is_kept(job: Job) -> bool:
    """Whether a segment is at hand."""
    return _kept.holds(job.key)


def segment_span(index: int) -> SampleSpan:
    """Where the segment of an index lies."""
    return SampleSpan(index * SEGMENT_SAMPLES, SEGMENT_SAMPLES)
