"""Segments of the timeline through chains: made alone or side by side, kept, or coming out piece by piece.

A segment is a pure function of the chain, of what goes in around it and of its place on the grid: processed from rest
after a warm-up, it can be made alone, anywhere, in any order and company, and is kept under exactly those things.
Held to: tests/core/test_chains.py, tests/core/test_lanes.py
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass
from threading import Lock
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
        """Span of the input that its samples depend on."""
        return segment_span(self.index).widen(*chain_reach(self.chain))

    @property
    def shape(self) -> Hashable:
        """Equal for jobs that can go side by side; None for one that goes alone."""
        is_wide = self.n_channels > MOST_LANE_CHANNELS
        return None if is_wide or not all(map(goes_in_lanes, self.chain)) else run_of(self.chain).shape


Companions = Callable[[], Iterable[Job]]


class _Segments:
    """Segments of jobs side by side, each from rest at the start of its own window, as far as they were wanted."""

    def __init__(self, group: Sequence[Job]) -> None:
        """Nothing made yet.

        Args:
            group: jobs of one shape, at most widest() / 2, or a single one of none.
        """
        self._group = group
        windows = [job.window for job in group]
        self._starts = [window.start_sample for window in windows]
        self._befores = [
            segment_span(j.index).start_sample - w.start_sample for j, w in zip(group, windows, strict=True)
        ]
        self._ends = [before + SEGMENT_SAMPLES for before in self._befores]
        self._made: list[Audio] | None = None
        self._done = 0
        self._lock = Lock()
        if group[0].shape is not None:
            n_lanes = 2 if len(group) == 1 else widest()
            self._pass: LanePass | None = LanePass([run_of(job.chain) for job in group], n_lanes)
            self._rows = rows_of(n_lanes // 2, max(self._ends))
            self._rows[len(group) :] = 0.0
            self._fills: list[Fill] = []

    @property
    def keys(self) -> list[Hashable]:
        """Under which its segments are kept."""
        return [job.key for job in self._group]

    def job(self, row: int) -> Job:
        """The job of a row of the group."""
        return self._group[row]

    def upto(self, row: int, n_frames: int) -> Audio:
        """A segment, float32 (SEGMENT_SAMPLES, channels), of which at least the first n_frames are made."""
        with self._lock:
            if self._made is not None:
                return self._made[row]
            if self._group[0].shape is None:
                self._made = [_alone(self._group[0])]
                return self._made[0]
            while self._done < self._befores[row] + min(n_frames, SEGMENT_SAMPLES):
                self._advance()
            if self._done >= max(self._ends):
                self._finish()
                assert self._made is not None
                return self._made[row]
            return self._rows[row, self._befores[row] : self._ends[row], : self._group[row].n_channels]

    def _advance(self) -> None:
        assert self._pass is not None
        if not self._fills:
            self._fills = [job.fill_in(job.window) for job in self._group]
        n = min(PIECE_SAMPLES, max(self._ends) - self._done)
        for row, (job, fill, end) in enumerate(zip(self._group, self._fills, self._ends, strict=True)):
            # Nothing after its segment counts.
            piece = self._rows[row, self._done : min(self._done + n, end)]
            if len(piece):
                _fill_sides(fill, self._starts[row] + self._done, piece, job.n_channels)
            self._rows[row, max(self._done, end) : self._done + n] = 0.0
        self._pass.take(self._rows, self._done, n)
        self._done += n

    def _finish(self) -> None:
        sides = [
            self._rows[row, before:end] for row, (before, end) in enumerate(zip(self._befores, self._ends, strict=True))
        ]
        out = [side[:, : job.n_channels] for side, job in zip(sides, self._group, strict=True)]
        # Rows of others, or a side that nobody wants, are not kept along.
        is_full = len(self._group) == len(self._rows) and all(job.n_channels == 2 for job in self._group)
        self._made = out if is_full else [one.copy() for one in out]
        self._pass, self._fills = None, []
        del self._rows


class _Kept:
    """Segments, least recently used out first; no two of a key."""

    def __init__(self) -> None:
        self._segments: OrderedDict[Hashable, tuple[_Segments, int]] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    def get_or_begin(self, job: Job, companions: Companions) -> tuple[_Segments, int]:
        """The segments of a job, begun where there are none, and which of them it is."""
        with self._lock:
            found = self._segments.get(job.key)
            if found is not None:
                self._segments.move_to_end(job.key)
                return found
            group, shape = [job], job.shape
            for other in companions() if shape is not None else ():
                if len(group) == widest() // 2:
                    break
                if other.shape == shape and other.key not in self._segments and all(other.key != o.key for o in group):
                    group.append(other)
            begun = _Segments(group)
            for row, one in enumerate(group):
                self._segments[one.key] = begun, row
                self._bytes += _bytes_of(one)
            while self._bytes > MOST_KEPT_BYTES:
                _, (segments, row) = self._segments.popitem(last=False)
                self._bytes -= _bytes_of(segments.job(row))
            return begun, 0

    def holds(self, key: Hashable) -> bool:
        with self._lock:
            return key in self._segments

    def drop(self, segments: _Segments) -> None:
        """Keep these no longer: what went into them could not be read."""
        with self._lock:
            for row, key in enumerate(segments.keys):
                if self._segments.get(key, (None, 0))[0] is segments:
                    del self._segments[key]
                    self._bytes -= _bytes_of(segments.job(row))

    def clear(self) -> None:
        with self._lock:
            self._segments.clear()
            self._bytes = 0


def _bytes_of(job: Job) -> int:
    return SEGMENT_SAMPLES * job.n_channels * 4


_kept: Final = _Kept()


def forget_segments() -> None:
    """Drop every kept segment; costs time, nothing else."""
    _kept.clear()


def made(job: Job, companions: Companions, n_frames: int = SEGMENT_SAMPLES) -> Audio:
    """The segment of a job, float32 (SEGMENT_SAMPLES, channels), kept or made.

    Args:
        companions: jobs that will be wanted too; those of the same shape are made in the same pass and kept.
        n_frames: how many of its first frames are wanted; what comes after them may not be made yet.
    """
    segments, row = _kept.get_or_begin(job, companions)
    try:
        return segments.upto(row, n_frames)
    except BaseException:
        _kept.drop(segments)
        raise


def _alone(job: Job) -> Audio:
    window = job.window
    fill = job.fill_in(window)
    audio = np.zeros((window.length_samples, job.n_channels), np.float32)
    for at in range(0, len(audio), PIECE_SAMPLES):
        fill(window.start_sample + at, audio[at : at + PIECE_SAMPLES])
    before = segment_span(job.index).start_sample - window.start_sample
    return through_chain(job.chain, audio, window.start_sample)[before : before + SEGMENT_SAMPLES].copy()


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
    """Span of the segment of an index."""
    return SampleSpan(index * SEGMENT_SAMPLES, SEGMENT_SAMPLES)
