"""Tracks on their way into stems: their clips, chains and rides, several side by side, and what live keys listen to.

Held to: tests/core/test_render.py, tests/core/test_chains.py
"""

from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from functools import partial
from typing import Final

import numba
import numpy as np

from recitant_core.dsp.lanes import widest
from recitant_core.processors.model import active
from recitant_core.render.chains import Node
from recitant_core.render.ducking_render import GainOverTime, KeySignal, ducked, hears_around
from recitant_core.render.laid import LaidClips, Sources
from recitant_core.render.paths import EVERYTHING, Audibility, StemPath, stem_paths, track_identity
from recitant_core.render.segments import SEGMENT_SAMPLES, Fill, Job, LaneStream, is_kept, made
from recitant_core.timeline.model import Duck, Plan, Ride, Track
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.clock import SampleSpan
from recitant_core.units.level import factor_from_db
from recitant_core.units.threads import at_once, n_threads

_MOST_AHEAD: Final = 3
Add = Callable[[int, FloatArray], None]
"""Adds, from a sample on, to a bus of any part of a span, float64 (frames, channels)."""


class Tracks:
    """The tracks of a plan on their way into stems; those with chains go through them side by side."""

    def __init__(
        self, plan: Plan, sources: Sources, heard: Audibility = EVERYTHING, segment: SampleSpan | None = None
    ) -> None:
        """Tracks of a plan.

        Args:
            plan: as it is listened to, see listened_to.
            heard: whose chains are worth working out together.
            segment: of chains, which is asked for once, as a whole, by all stems in step; what comes after it will be
                wanted next. None where any span may be asked for.
        """
        self.plan: Final = plan
        self.paths: Final = stem_paths(plan, heard)
        self.keys: Final = Keys(plan, sources)
        self._sources = sources
        self._segment = segment
        chained = [track for track in plan.tracks if heard.includes(track) and active(track.chain)]
        self._nodes = {track.track_id: self._node(track) for track in chained}
        self._streams = {} if segment is None else self._streamed(chained, segment)

    def adder(self, path: StemPath, span: SampleSpan) -> Add:
        """A stem's tracks with all their gains, giving way by themselves, ready to be added in a span.

        Args:
            path: of the stem, of this plan.
            span: of the programme; chains of several tracks in it are worked out side by side where that is quicker.
        """
        if self._segment is None:
            self._make_at_once(span)
        entering = [self._entering(track, path, span) for track in path.tracks]

        def add(start_sample: int, bus: FloatArray) -> None:
            for one in entering:
                one(start_sample, bus)

        return add

    def _make_at_once(self, span: SampleSpan) -> None:
        """Segments of all chains in a short span, where several passes are missing and there are cores for them."""
        if n_threads() == 1 or span.length_samples > SEGMENT_SAMPLES:
            return
        indices = range(max(0, span.start_sample) // SEGMENT_SAMPLES, -(-span.end_sample // SEGMENT_SAMPLES))
        jobs = [job for index in indices for node in self._nodes.values() if (job := node.job(index)) is not None]
        missing: dict[Hashable, list[Job]] = {}
        for job in jobs:
            if not is_kept(job):
                missing.setdefault(job.shape, []).append(job)
        passes: list[list[Job]] = [[job] for job in missing.pop(None, [])]
        for same in missing.values():
            passes += [same[first : first + widest() // 2] for first in range(0, len(same), widest() // 2)]
        if len(passes) > 1:
            at_once(partial(made, group[0], partial(list, group[1:]), _frames_in(group[0], span)) for group in passes)

    def _entering(self, track: Track, path: StemPath, span: SampleSpan) -> Add:
        gain_db = track.gain_db + path.gain_db
        duck = self.plan.duck_of_track(track.track_id)
        if duck is None:
            return self._plain(track, gain_db, span)

        def alone(part: SampleSpan) -> FloatArray:
            total = self.plan.layout.silence(part.length_samples)
            self._plain(track, gain_db, part)(part.start_sample, total)
            return total

        return _adder([(span, ducked(alone, span, duck, self.keys.of(duck)))], 1.0)

    def _plain(self, track: Track, gain_db: float, span: SampleSpan) -> Add:
        if span == self._segment and track.track_id in self._streams:
            return _stream_adder(*self._streams[track.track_id], track.ride, factor_from_db(gain_db))
        node = self._nodes.get(track.track_id) or self._node(track)
        return _track_adder(track, gain_db, self._sources, span, node, partial(self._companions, node))

    def _companions(self, node: Node, index: int) -> Iterator[Job]:
        # A lone track of a whole programme fills the lanes with its own next segments.
        for later in range(1 if self._segment is None else _MOST_AHEAD + 1):
            for other in (node, *self._nodes.values()):
                job = other.job(index + later)
                if job is not None:
                    yield job

    def _streamed(self, chained: Sequence[Track], segment: SampleSpan) -> dict[str, tuple[LaneStream, int]]:
        """Tracks whose segment comes out piece by piece beside others, by their ids: the stream, and which of it."""
        plan = self.plan
        if active(plan.master_chain) or any(hears_around(duck) for duck in plan.ducks):
            return {}
        groups: dict[Hashable, list[tuple[Track, Job]]] = {}
        for track in chained:
            is_straight = self.paths[track.role].is_straight
            job = self._nodes[track.track_id].job(segment.start_sample // SEGMENT_SAMPLES)
            if is_straight and not plan.duck_of_track(track.track_id) and job is not None and not is_kept(job):
                groups.setdefault(job.shape, []).append((track, job))
        groups.pop(None, None)
        most = widest() // 2
        found: dict[str, tuple[LaneStream, int]] = {}
        for members in groups.values():
            for first in range(0, len(members), most):
                group = members[first : first + most]
                if 2 * len(group) > most:  # fewer are better off with their next segments beside them
                    stream = LaneStream([job for _, job in group])
                    found |= {track.track_id: (stream, row) for row, (track, _) in enumerate(group)}
        return found

    def _node(self, track: Track) -> Node:
        return track_node(track, self._sources, self.plan.layout, self.plan.span.end_sample)


def _frames_in(job: Job, span: SampleSpan) -> int:
    """Number of frames of a job's segment before the end of a span."""
    return min(SEGMENT_SAMPLES, span.end_sample - job.index * SEGMENT_SAMPLES)


def _track_adder(
    track: Track,
    gain_db: float,
    sources: Sources,
    span: SampleSpan,
    node: Node,
    companions: Callable[[int], Iterable[Job]],
) -> Add:
    if not track.ride.points and not node.chain:
        return LaidClips(track, gain_db, sources, span, node.layout).add
    return _adder(list(node.leaving(span, companions)), factor_from_db(gain_db))


def _stream_adder(stream: LaneStream, row: int, ride: Ride, factor: float) -> Add:
    ride_after = GainOverTime(() if ride.is_first else ride.points)

    def add(start_sample: int, bus: FloatArray) -> None:
        audio: Audio | FloatArray = stream.piece(row, start_sample, len(bus))
        if ride.points and not ride.is_first:
            audio = audio.astype(np.float64)
            ride_after.apply(audio, start_sample)
        _add_times(audio.reshape(-1), factor, bus.reshape(-1))

    return add


def _adder(parts: Sequence[tuple[SampleSpan, Audio | FloatArray]], factor: float) -> Add:
    places = [(place.start_sample, place.end_sample, audio) for place, audio in parts]

    def add(start_sample: int, bus: FloatArray) -> None:
        end_sample = start_sample + len(bus)
        for begin, end, audio in places:
            first, last = max(start_sample, begin), min(end_sample, end)
            if last > first:
                out = bus[first - start_sample : last - start_sample]
                _add_times(audio[first - begin : last - begin].reshape(-1), factor, out.reshape(-1))

    return add


def track_node(track: Track, sources: Sources, layout: ChannelLayout, end_sample: int) -> Node:
    """A track's clips going through its chain and ride.

    Args:
        layout: of the bus.
        end_sample: where the programme ends.
    """

    def signal(span: SampleSpan) -> FloatArray:
        total = layout.silence(span.length_samples)
        LaidClips(track, 0.0, sources, span, layout).add(span.start_sample, total)
        return total

    def fill_in(window: SampleSpan) -> Fill:
        return LaidClips(track, 0.0, sources, window, layout).fill

    def identity(window: SampleSpan) -> Hashable | None:
        found = track_identity(track, window)
        return found if found.clips else None

    return Node(signal, active(track.chain), track.ride, identity, layout, end_sample, fill_in)


def add_track(
    track: Track,
    stem_gain_db: float,
    sources: Sources,
    span: SampleSpan,
    total: FloatArray,
    layout: ChannelLayout,
) -> None:
    """Add a track's clips through its chain, with its fader and a stem's gain, to a span.

    Args:
        total: float64 (frames, channels), added to.
        layout: of the bus, which total has.
    """
    node = track_node(track, sources, layout, span.end_sample)
    _track_adder(track, track.gain_db + stem_gain_db, sources, span, node, lambda _index: ())(span.start_sample, total)


class Keys:
    """Signal for live keys: speech with its gains, rendered once a window, independent of solo and mute."""

    def __init__(self, plan: Plan, sources: Sources) -> None:
        self._plan = plan
        self._sources = sources
        self._known: dict[tuple[tuple[str, ...], SampleSpan], Audio] = {}

    def of(self, duck: Duck) -> KeySignal:
        """The signal that a duck's live key listens to, float32 (frames, channels) of any span.

        Speech with all its gains, whatever is soloed or muted: a preview gives way as the delivery does.
        """
        tracks = self._plan.key_tracks(duck)
        keys = tuple(track.track_id for track in tracks)

        def signal(span: SampleSpan) -> Audio:
            found = self._known.get((keys, span))
            if found is None:
                total = self._plan.layout.silence(span.length_samples)
                for track in tracks:
                    stem_gain_db = self._plan.stem_gain_db(track.role)
                    add_track(track, stem_gain_db, self._sources, span, total, self._plan.layout)
                found = self._known[keys, span] = total.astype(np.float32)
            return found

        return signal


@numba.njit(cache=True, nogil=True)
def _add_times(values, factor, out):  # type: ignore[no-untyped-def]
    for i in range(len(values)):
        out[i] += values[i] * factor
