"""Chains over the timeline: every segment from rest after a warm-up, so that any cut of the whole has its bits.

A segment is a pure function of the chain, of what goes in around it and of its place on the grid: it can be made
alone, anywhere, in any order, and is kept under exactly those things. A clip's chain runs on its recording's own clock,
so that moving, cutting and copying a clip changes nothing of its sound.
Held to: tests/core/test_chains.py
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Final

import numpy as np

from recitant_core.ports import SampleSource
from recitant_core.processors.chain import GRID_SAMPLES, PIECE_SAMPLES, ChainWatch, chain_reach, through_chain
from recitant_core.processors.model import Chain, active, chain_key
from recitant_core.render.giving_way import Signal, ridden
from recitant_core.timeline.model import Ride
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.clock import RATE_HZ, SampleSpan

SEGMENT_SAMPLES: Final = 16 * RATE_HZ
MOST_KEPT_BYTES: Final = 256 << 20
Identity = Callable[[SampleSpan], Hashable]
"""What goes into a chain in a window, as a value that is equal where the samples are."""

assert SEGMENT_SAMPLES % GRID_SAMPLES == 0


class _Kept:
    """Segments, least recently used out first."""

    def __init__(self) -> None:
        self._audio: OrderedDict[Hashable, Audio] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    def get(self, key: Hashable) -> Audio | None:
        with self._lock:
            found = self._audio.get(key)
            if found is not None:
                self._audio.move_to_end(key)
            return found

    def put(self, key: Hashable, audio: Audio) -> None:
        with self._lock:
            if key not in self._audio:
                self._audio[key] = audio
                self._bytes += audio.nbytes
            while self._bytes > MOST_KEPT_BYTES:
                _, gone = self._audio.popitem(last=False)
                self._bytes -= gone.nbytes

    def clear(self) -> None:
        with self._lock:
            self._audio.clear()
            self._bytes = 0


_kept: Final = _Kept()


def forget_segments() -> None:
    """Drop every kept segment; costs time, nothing else."""
    _kept.clear()


def sounding(source: SampleSource, chain: Chain) -> SampleSource:
    """A recording as it sounds through a chain; the recording itself where nothing acts."""
    return ChainedSource(source, active(chain)) if active(chain) else source


class ChainedSource:
    """A recording through a chain, readable at any place."""

    def __init__(self, source: SampleSource, chain: Chain) -> None:
        self._source = source
        self._chain = chain
        self._reach = chain_reach(chain)

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
        return _gathered(span, self._source.layout.n_channels, self._segment)

    def watched(self, span: SampleSpan, watch: ChainWatch) -> None:
        """Run the chain over the segments that a span touches, telling every gain of each whole segment's window."""
        for index in range(span.start_sample // SEGMENT_SAMPLES, -(-span.end_sample // SEGMENT_SAMPLES)):
            self._made(index, watch)

    def _segment(self, index: int) -> Audio:
        key = ("source", self.key, index)
        found = _kept.get(key)
        if found is None:
            found = self._made(index, None)
            _kept.put(key, found)
        return found

    def _made(self, index: int, watch: ChainWatch | None) -> Audio:
        before, after = self._reach
        window = _segment_span(index).widen(before, after)
        audio = np.zeros((window.length_samples, self._source.layout.n_channels), np.float32)
        part = window.intersect(SampleSpan(0, self._source.length_samples))
        if part is not None:
            at = part.start_sample - window.start_sample
            audio[at : at + part.length_samples] = self._source.read(part.start_sample, part.length_samples)
        made = through_chain(self._chain, audio, window.start_sample, watch)
        return made[before : before + SEGMENT_SAMPLES].copy()


def processed(
    signal: Signal, chain: Chain, ride: Ride, span: SampleSpan, identity: Identity, layout: ChannelLayout
) -> FloatArray | Audio:
    """A span of a signal in programme time through a ride and a chain, in the ride's order; (frames, channels).

    Args:
        signal: what goes in; silence before the programme's start is part of it.
        identity: of what goes in, ride and chain included.
        layout: of the signal.
    """

    def entering(part: SampleSpan) -> FloatArray:
        audio = signal(part)
        if ride.points and ride.is_first:
            ridden(audio, part.start_sample, ride.points)
        return audio

    acting = active(chain)
    if acting:
        before, after = chain_reach(acting)

        def segment(index: int) -> Audio:
            window = _segment_span(index).widen(before, after)
            key = ("node", identity(window), index)
            found = _kept.get(key)
            if found is None:
                audio = np.empty((window.length_samples, layout.n_channels), np.float32)
                for part in window.blocks(PIECE_SAMPLES):
                    at = part.start_sample - window.start_sample
                    audio[at : at + part.length_samples] = entering(part)
                made = through_chain(acting, audio, window.start_sample)
                found = made[before : before + SEGMENT_SAMPLES].copy()
                _kept.put(key, found)
            return found

        gathered = _gathered(span, layout.n_channels, segment)
        if not ride.points or ride.is_first:
            return gathered
        out = gathered.astype(np.float64)
    else:
        out = entering(span)
    if ride.points and not ride.is_first:
        ridden(out, span.start_sample, ride.points)
    return out


def _segment_span(index: int) -> SampleSpan:
    return SampleSpan(index * SEGMENT_SAMPLES, SEGMENT_SAMPLES)


def _gathered(span: SampleSpan, n_channels: int, segment: Callable[[int], Audio]) -> Audio:
    out = np.zeros((span.length_samples, n_channels), np.float32)
    for index in range(span.start_sample // SEGMENT_SAMPLES, -(-span.end_sample // SEGMENT_SAMPLES)):
        place = _segment_span(index)
        part = place.intersect(span)
        if part is not None:
            begin = part.start_sample - place.start_sample
            at = part.start_sample - span.start_sample
            out[at : at + part.length_samples] = segment(index)[begin : begin + part.length_samples]
    return out
