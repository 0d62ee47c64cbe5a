"""Chains over the timeline: every segment from rest after a warm-up, so that any cut of the whole has its bits.

A segment is a pure function of the chain, of what goes in around it and of its place on the grid: it can be made
alone, anywhere, in any order, and is kept under exactly those things. A clip's chain runs on its recording's own clock,
so that moving, cutting and copying a clip changes nothing of its sound.
Held to: tests/core/test_chains.py
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import zip_longest
from threading import Event, Lock
from typing import Final

import numpy as np

from recitant_core.ports import SampleSource
from recitant_core.processors.chain import (
    GRID_SAMPLES,
    MOST_LANE_CHANNELS,
    PIECE_SAMPLES,
    chain_reach,
    through_chain,
)
from recitant_core.processors.lanes import LanePass, aligned, goes_in_lanes, run_of, widest
from recitant_core.processors.model import Chain, active, chain_key
from recitant_core.render.giving_way import Signal, ridden
from recitant_core.timeline.model import Ride
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.clock import RATE_HZ, SampleSpan

SEGMENT_SAMPLES: Final = 16 * RATE_HZ
MOST_KEPT_BYTES: Final = 256 << 20
Identity = Callable[[SampleSpan], Hashable | None]
"""What goes into a chain in a window, as a value that is equal where the samples are."""
Fill = Callable[[SampleSpan, Audio], None]
"""Writes the samples of any span: float32 (frames, channels)."""
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
    for part in window.blocks(PIECE_SAMPLES):
        at = part.start_sample - window.start_sample
        fill(part, audio[at : at + part.length_samples])
    before = segment_span(job.index).start_sample - window.start_sample
    return through_chain(job.chain, audio, window.start_sample)[before : before + SEGMENT_SAMPLES].copy()


def _side_by_side(group: Sequence[Job]) -> list[Audio]:
    # Every job begins at the start of its own window and ends when its segment does; nothing after it counts.
    n_lanes = 2 if len(group) == 1 else widest()
    run = LanePass([run_of(job.chain) for job in group], n_lanes)
    piece = aligned(n_lanes * PIECE_SAMPLES, np.float32).reshape(n_lanes // 2, PIECE_SAMPLES, 2)
    windows = [job.window for job in group]
    fills = [job.fill_in(window) for job, window in zip(group, windows, strict=True)]
    befores = [
        segment_span(job.index).start_sample - window.start_sample for job, window in zip(group, windows, strict=True)
    ]
    out = [np.empty((SEGMENT_SAMPLES, job.n_channels), np.float32) for job in group]
    mono = np.empty((PIECE_SAMPLES, 1), np.float32)
    for start in range(0, SEGMENT_SAMPLES + max(befores), PIECE_SAMPLES):
        n = min(PIECE_SAMPLES, SEGMENT_SAMPLES + max(befores) - start)
        for row, (job, fill, window, before) in enumerate(zip(group, fills, windows, befores, strict=True)):
            m = max(0, min(n, SEGMENT_SAMPLES + before - start))
            part = SampleSpan(window.start_sample + start, m)
            if job.n_channels == 1:
                fill(part, mono[:m])
                piece[row, :m] = mono[:m]
            elif m:
                fill(part, piece[row, :m])
            piece[row, m:n] = 0.0
        run.take(piece, n)
        for row, (job, before) in enumerate(zip(group, befores, strict=True)):
            first, last = max(start, before), min(start + n, SEGMENT_SAMPLES + before)
            if last > first:
                out[row][first - before : last - before] = piece[row, first - start : last - start, : job.n_channels]
    return out


def sounding(source: SampleSource, chain: Chain) -> SampleSource:
    """A recording as it sounds through a chain; the recording itself where nothing acts."""
    return ChainedSource(source, active(chain)) if active(chain) else source


class ChainedSource:
    """A recording through a chain, readable at any place."""

    def __init__(self, source: SampleSource, chain: Chain) -> None:
        self._source = source
        self._chain = chain

    @property
    def key(self) -> str:
        """A hash of the content."""
        return f"{self._source.key}+{chain_key(self._chain)}"

    @property
    def layout(self) -> ChannelLayout:
        """What the channels mean: those of the recording."""
        return self._source.layout

    @property
    def length_samples(self) -> int:
        """Length of the recording: tails after it are not kept."""
        return self._source.length_samples

    def read(self, start_sample: int, length_samples: int) -> Audio:
        """The samples of a span that lies wholly inside: float32 (length_samples, channels)."""
        span = SampleSpan(start_sample, length_samples)
        out = np.empty((length_samples, self._source.layout.n_channels), np.float32)
        for index in _indices(span):
            place = segment_span(index)
            part = place.intersect(span)
            if part is not None:
                begin, at = part.start_sample - place.start_sample, part.start_sample - start_sample
                out[at : at + part.length_samples] = self._segment(index)[begin : begin + part.length_samples]
        return out

    def _segment(self, index: int) -> Audio:
        def job(index: int) -> Job:
            key = ("source", self.key, index)
            return Job(key, self._chain, index, self._source.layout.n_channels, lambda _window: self._fill)

        return made(job(index), list)

    def _fill(self, span: SampleSpan, out: Audio) -> None:
        part = span.intersect(SampleSpan(0, self._source.length_samples))
        if part is None:
            out[:] = 0.0
            return
        at = part.start_sample - span.start_sample
        out[:at] = 0.0
        out[at : at + part.length_samples] = self._source.read(part.start_sample, part.length_samples)
        out[at + part.length_samples :] = 0.0


@dataclass(frozen=True)
class Node:
    """A signal in programme time that goes through a ride and a chain, in the ride's order."""

    signal: Signal
    """What goes in; silence before the programme's start is part of it."""
    chain: Chain
    """Processors that act."""
    ride: Ride
    identity: Identity
    """Of what goes in, ride and chain included; None where it is silence."""
    layout: ChannelLayout
    end_sample: int
    """Where the programme ends: segments after it are silence."""
    fill_in: FillIn | None = None
    """Writes the same as ``signal`` in float32, where that is quicker."""

    def entering(self, span: SampleSpan) -> FloatArray:
        """What enters the chain, float64 (frames, channels), fresh."""
        audio = self.signal(span)
        if self.ride.points and self.ride.is_first:
            ridden(audio, span.start_sample, self.ride.points)
        return audio

    def job(self, index: int) -> Job | None:
        """The segment of an index as work to be done; None where it is silence."""
        if index * SEGMENT_SAMPLES >= self.end_sample:
            return None
        identity = self.identity(segment_span(index).widen(*chain_reach(self.chain)))
        if identity is None:
            return None
        rides_first = self.ride.points and self.ride.is_first
        fill_in = self.fill_in
        if fill_in is None or rides_first:
            fill_in = lambda _window: self._fill_entering  # noqa: E731
        return Job(("node", identity, index), self.chain, index, self.layout.n_channels, fill_in)

    def _fill_entering(self, span: SampleSpan, out: Audio) -> None:
        out[:] = self.entering(span)

    def leaving(
        self, span: SampleSpan, companions: Callable[[int], Iterable[Job]] = lambda _index: ()
    ) -> Iterator[tuple[SampleSpan, Audio | FloatArray]]:
        """What leaves, piece by piece in order: each part of the span that sounds with its frames (frames, channels).

        Args:
            companions: of an index: jobs that will be wanted too.
        """
        if not self.chain:
            out = self.entering(span)
            if not self.ride.is_first:
                self._ride(out, span)
            yield span, out
            return
        sounding_span = span.intersect(SampleSpan(span.start_sample, max(0, self.end_sample - span.start_sample)))
        if sounding_span is None:
            return
        for index in _indices(sounding_span):
            job = self.job(index)
            place = segment_span(index)
            part = place.intersect(sounding_span)
            if job is None or part is None:
                continue
            begin = part.start_sample - place.start_sample
            audio = made(job, partial(companions, index))[begin : begin + part.length_samples]
            if self.ride.points and not self.ride.is_first:
                out = audio.astype(np.float64)
                self._ride(out, part)
                yield part, out
            else:
                yield part, audio

    def _ride(self, audio: FloatArray, span: SampleSpan) -> None:
        if self.ride.points:
            ridden(audio, span.start_sample, self.ride.points)


def processed(node: Node, span: SampleSpan) -> FloatArray | Audio:
    """All that leaves a node in a span; (frames, channels)."""
    parts = list(node.leaving(span))
    if len(parts) == 1 and parts[0][0] == span:
        return parts[0][1]
    out = np.zeros((span.length_samples, node.layout.n_channels), parts[0][1].dtype if parts else np.float32)
    for part, audio in parts:
        at = part.start_sample - span.start_sample
        out[at : at + part.length_samples] = audio
    return out


def segment_span(index: int) -> SampleSpan:
    """Where the segment of an index lies."""
    return SampleSpan(index * SEGMENT_SAMPLES, SEGMENT_SAMPLES)


def _indices(span: SampleSpan) -> range:
    return range(span.start_sample // SEGMENT_SAMPLES, -(-span.end_sample // SEGMENT_SAMPLES))
