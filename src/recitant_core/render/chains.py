"""Chains over the timeline: every segment from rest after a warm-up, so that any cut of the whole has its bits.

A clip's chain runs on its recording's own clock, so that moving, cutting and copying a clip changes none of its sound.
Held to: tests/core/test_chains.py
"""

from collections.abc import Callable, Hashable, Iterable, Iterator
from dataclasses import dataclass
from functools import partial

import numpy as np

from recitant_core.ports import SampleSource
from recitant_core.processors.chain import chain_reach
from recitant_core.processors.model import Chain, active, chain_key
from recitant_core.render.ducking_render import Signal, ridden
from recitant_core.render.segments import SEGMENT_SAMPLES, FillIn, Job, made, segment_span
from recitant_core.timeline.model import Ride
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.clock import SampleSpan

Identity = Callable[[SampleSpan], Hashable | None]
"""What goes into a chain in a window, as a value that is equal where the samples are; None where it is silence."""


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
        """Meaning of the channels: those of the recording."""
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
                end = begin + part.length_samples
                out[at : at + part.length_samples] = made(self._job(index), list, end)[begin:end]
        return out

    def _job(self, index: int) -> Job:
        key = ("source", self.key, index)
        return Job(key, self._chain, index, self._source.layout.n_channels, lambda _window: self._fill)

    def _fill(self, start_sample: int, out: Audio) -> None:
        first = max(0, start_sample)
        last = min(self._source.length_samples, start_sample + len(out))
        if last <= first:
            out[:] = 0.0
            return
        out[: first - start_sample] = 0.0
        out[first - start_sample : last - start_sample] = self._source.read(first, last - first)
        out[last - start_sample :] = 0.0


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
        """Input of the chain, float64 (frames, channels), fresh."""
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

    def _fill_entering(self, start_sample: int, out: Audio) -> None:
        out[:] = self.entering(SampleSpan(start_sample, len(out)))

    def leaving(
        self, span: SampleSpan, companions: Callable[[int], Iterable[Job]] = lambda _index: ()
    ) -> Iterator[tuple[SampleSpan, Audio | FloatArray]]:
        """Output, piece by piece in order: each part of the span that sounds with its frames (frames, channels).

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
            end = begin + part.length_samples
            audio = made(job, partial(companions, index), end)[begin:end]
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
    """All that leaves a node in a span: float32 behind a chain, float64 without one; (frames, channels).

    Args:
        span: of the programme; behind its end a chain is silent.
    """
    parts = list(node.leaving(span))
    if len(parts) == 1 and parts[0][0] == span:
        return parts[0][1]
    out = np.zeros((span.length_samples, node.layout.n_channels), parts[0][1].dtype if parts else np.float32)
    for part, audio in parts:
        at = part.start_sample - span.start_sample
        out[at : at + part.length_samples] = audio
    return out


def _indices(span: SampleSpan) -> range:
    return range(span.start_sample // SEGMENT_SAMPLES, -(-span.end_sample // SEGMENT_SAMPLES))
