"""From a plan to sound: clips, tracks and stems giving way to speech, their sum, and what leaves the master.

Every function here is pure over a bounded window: any span, rendered alone and in any order, holds the same bits as
the same span of the whole. Preview, verdict and delivery all call render_output.
Held to: tests/core/test_render.py
"""

from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Final

import numba
import numpy as np

from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES, limit
from recitant_core.gain.trim import trim_points
from recitant_core.processors.model import Chain, active
from recitant_core.render.chains import SEGMENT_SAMPLES, Fill, Job, Node, processed
from recitant_core.render.giving_way import KeySignal, ducked, ridden
from recitant_core.render.laid import BLOCK_SAMPLES, LaidClips, Sources
from recitant_core.timeline.model import Clip, Duck, Plan, Ride, Role, Track
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import STEREO, ChannelLayout
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import factor_from_db

_MOST_AHEAD: Final = 3  # a lone track fills the lanes with its next segments
_DUCK_REACH_SAMPLES: Final = 30 * RATE_HZ  # more than any live key or bell hears around a stretch
Add = Callable[[SampleSpan, FloatArray], None]
"""Adds a part of a span to a bus of that part, float64 (frames, channels)."""


@dataclass(frozen=True)
class Heard:
    """Which tracks sound in a preview; a delivery always hears all."""

    only_tracks: frozenset[str] | None = None
    muted_tracks: frozenset[str] = frozenset()

    def includes(self, track: Track) -> bool:
        """Whether this track sounds."""
        if track.track_id in self.muted_tracks:
            return False
        return self.only_tracks is None or track.track_id in self.only_tracks


EVERYTHING: Final = Heard()


def render_stems(
    plan: Plan, sources: Sources, span: SampleSpan, heard: Heard = EVERYTHING, n_ahead: int = 0
) -> dict[Role, Audio]:
    """Each stem of a span before the master, float32 (frames, channels), in summing order; silence outside clips.

    Args:
        n_ahead: how many segments of chains after the span will be wanted for certain, to be worked out side by side.
    """
    key = Keys(plan, sources)
    tracks = Tracks(plan, sources, heard, n_ahead)
    stems = {role: _stem(plan, role, tracks, span, heard, key) for role in plan.roles}
    return {role: stem.astype(np.float32, copy=False) for role, stem in stems.items()}


def _stem(plan: Plan, role: Role, tracks: "Tracks", span: SampleSpan, heard: Heard, key: "Keys") -> FloatArray | Audio:
    trimmed = trim_points(plan.stem_trim(role))

    def added(part: SampleSpan) -> FloatArray:
        return tracks.added([t for t in plan.tracks if t.role is role and heard.includes(t)], part, key)

    def given_way(part: SampleSpan) -> FloatArray:
        duck = plan.duck_of_stem(role)
        out = added(part) if duck is None else ducked(added, part, duck, key.of(duck))
        if trimmed:
            ridden(out, part.start_sample, trimmed)
        return out

    def identity(window: SampleSpan) -> Hashable:
        return stem_identity(plan, role, window, heard)

    chain, ride = active(plan.stem_chain(role)), plan.stem_ride(role)
    return processed(Node(given_way, chain, ride, identity, plan.layout, plan.span.end_sample), span)


class Tracks:
    """The tracks of a plan on their way into stems; those with chains go through them side by side."""

    def __init__(self, plan: Plan, sources: Sources, heard: Heard, n_ahead: int = 0) -> None:
        """Tracks of a plan.

        Args:
            heard: whose chains are worth working out together.
            n_ahead: how many later segments will be wanted for certain.
        """
        self._plan = plan
        self._sources = sources
        self._n_ahead = n_ahead
        chained = [track for track in plan.tracks if heard.includes(track) and active(track.chain)]
        self._nodes = {track.track_id: self._node(track) for track in chained}

    def added(self, tracks: Sequence[Track], span: SampleSpan, key: "Keys") -> FloatArray:
        """Tracks with their own and their stem's gains, giving way by themselves, added up; float64, fresh."""
        total = self._plan.layout.silence(span.length_samples)
        entering = [self._entering(track, span, key) for track in tracks]
        for part in span.blocks(BLOCK_SAMPLES):
            at = part.start_sample - span.start_sample
            bus = total[at : at + part.length_samples]
            for add in entering:
                add(part, bus)
        return total

    def _entering(self, track: Track, span: SampleSpan, key: "Keys") -> Add:
        duck = self._plan.duck_of_track(track.track_id)
        if duck is None:
            return self._plain(track, span)

        def alone(part: SampleSpan) -> FloatArray:
            total = self._plan.layout.silence(part.length_samples)
            self._plain(track, part)(part, total)
            return total

        return _adder([(span, ducked(alone, span, duck, key.of(duck)))], 1.0)

    def _plain(self, track: Track, span: SampleSpan) -> Add:
        gain_db = track.gain_db + self._plan.stem_gain_db(track.role)
        node = self._nodes.get(track.track_id) or self._node(track)
        return _track_adder(track, gain_db, self._sources, span, node, partial(self._companions, node))

    def _companions(self, node: Node, index: int) -> Iterator[Job]:
        for later in range(self._n_ahead + 1):
            for other in (node, *self._nodes.values()):
                job = other.job(index + later)
                if job is not None:
                    yield job

    def _node(self, track: Track) -> Node:
        return track_node(track, self._sources, self._plan.layout, self._plan.span.end_sample)


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


def _adder(parts: Sequence[tuple[SampleSpan, Audio | FloatArray]], factor: float) -> Add:
    def add(span: SampleSpan, bus: FloatArray) -> None:
        for place, audio in parts:
            part = place.intersect(span)
            if part is not None:
                first, at = part.start_sample - place.start_sample, part.start_sample - span.start_sample
                n = part.length_samples
                _add_times(audio[first : first + n], factor, bus[at : at + n])

    return add


def track_node(track: Track, sources: Sources, layout: ChannelLayout, end_sample: int) -> Node:
    """A track's clips going through its chain and ride.

    Args:
        layout: of the bus.
        end_sample: where the programme ends.
    """

    def signal(span: SampleSpan) -> FloatArray:
        total = layout.silence(span.length_samples)
        LaidClips(track, 0.0, sources, span, layout).add(span, total)
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
    layout: ChannelLayout = STEREO,
) -> None:
    """Add a track's clips through its chain, with its fader and a stem's gain, to a span.

    Args:
        total: float64 (frames, channels), added to.
        layout: of the bus, which total has.
    """
    node = track_node(track, sources, layout, span.end_sample)
    _track_adder(track, track.gain_db + stem_gain_db, sources, span, node, lambda _index: ())(span, total)


@dataclass(frozen=True)
class TrackIdentity:
    """All that makes what enters and leaves a track's chain in a window: equal values, equal samples."""

    track_id: str
    pan: float
    is_mono: bool
    chain: Chain
    ride: Ride
    clips: tuple[Clip, ...]


def track_identity(track: Track, window: SampleSpan) -> TrackIdentity:
    """What makes a track in a window."""
    clips = tuple(clip for clip in track.clips if clip.span.intersect(window) is not None)
    return TrackIdentity(track.track_id, track.pan, track.is_mono, track.chain, track.ride, clips)


def stem_identity(plan: Plan, role: Role, window: SampleSpan, heard: Heard) -> Hashable:
    """All that makes a stem in a window."""
    wide = window.widen(_DUCK_REACH_SAMPLES, _DUCK_REACH_SAMPLES)
    tracks = tuple(
        (track_identity(track, wide), track.gain_db, plan.stem_gain_db(track.role))
        for track in plan.tracks
        if (track.role is role and heard.includes(track)) or (track.role is Role.DIALOGUE and plan.ducks)
    )
    return (role, tracks, plan.ducks, plan.stem_trim(role), plan.stem_chain(role), plan.stem_ride(role))


class Keys:
    """What live keys listen to: dialogue with its gains, rendered once a window, independent of solo and mute."""

    def __init__(self, plan: Plan, sources: Sources) -> None:
        self._plan = plan
        self._sources = sources
        self._known: dict[tuple[tuple[str, ...], SampleSpan], Audio] = {}

    def of(self, duck: Duck) -> KeySignal:
        keys = duck.rule.keys

        def signal(span: SampleSpan) -> Audio:
            found = self._known.get((keys, span))
            if found is None:
                total = self._plan.layout.silence(span.length_samples)
                for track in self._plan.tracks:
                    if track.role is Role.DIALOGUE and (not keys or track.track_id in keys):
                        stem_gain_db = self._plan.stem_gain_db(Role.DIALOGUE)
                        add_track(track, stem_gain_db, self._sources, span, total, self._plan.layout)
                found = self._known[keys, span] = total.astype(np.float32)
            return found

        return signal


def render_mix(plan: Plan, sources: Sources, span: SampleSpan, heard: Heard = EVERYTHING) -> Audio:
    """The sum of the stems of a span through the master's processors, float32 (frames, channels)."""
    if not active(plan.master_chain):
        return sum_stems(render_stems(plan, sources, span, heard), span.length_samples, plan.layout)

    def summed(part: SampleSpan) -> FloatArray:
        stems = render_stems(plan, sources, part, heard)
        return sum_stems(stems, part.length_samples, plan.layout).astype(np.float64)

    def identity(window: SampleSpan) -> Hashable:
        return tuple(stem_identity(plan, role, window, heard) for role in plan.roles)

    node = Node(summed, active(plan.master_chain), Ride(), identity, plan.layout, plan.span.end_sample)
    return processed(node, span).astype(np.float32, copy=False)


def sum_stems(stems: Mapping[Role, Audio], n_frames: int, layout: ChannelLayout = STEREO) -> Audio:
    """Stems added in their order, in double precision, rounded once; float32 (frames, channels of the layout)."""
    total = layout.silence(n_frames)
    for stem in stems.values():
        total += stem
    return total.astype(np.float32)


def render_output(plan: Plan, sources: Sources, span: SampleSpan, heard: Heard = EVERYTHING) -> Audio:
    """What leaves the master in a span: the mix with its gain, limited at a ceiling; float32 (frames, channels)."""
    return render_master(plan, sources, span, heard)[0]


def render_master(plan: Plan, sources: Sources, span: SampleSpan, heard: Heard = EVERYTHING) -> tuple[Audio, Audio]:
    """As render_output, with the limiter's gain factor, float32 (frames, 1)."""
    gain = np.float32(factor_from_db(output_gain_db(plan)))
    if plan.master.ceiling_dbtp is None:
        return render_mix(plan, sources, span, heard) * gain, np.ones((span.length_samples, 1), np.float32)
    around = span.widen(BEFORE_SAMPLES, AFTER_SAMPLES)
    return limit(render_mix(plan, sources, around, heard) * gain, plan.master.ceiling_dbtp)


def output_gain_db(plan: Plan) -> float:
    """Gain between the mix and the limiter: the programme's and the fit's."""
    return plan.programme_gain_db + plan.master.gain_db


@dataclass(frozen=True)
class MixedSegment:
    """A stretch of a programme before the gain and the limiter of its master."""

    span: SampleSpan
    stems: dict[Role, Audio]
    mix: Audio


@dataclass(frozen=True)
class MasteredSegment:
    """A stretch of a delivery: stems with the master's gain, and the limited output."""

    span: SampleSpan
    stems: dict[Role, Audio]
    output: Audio
    limiter_factor: Audio


def mixed_segments(plan: Plan, sources: Sources) -> Iterator[MixedSegment]:
    """The whole programme in order, each sample of each track rendered once; segments as those of chains."""
    for span in plan.span.blocks(SEGMENT_SAMPLES):
        stems = render_stems(plan, sources, span, n_ahead=_MOST_AHEAD)
        # Stems that are rendered already need no second time where nothing comes after their sum.
        is_sum = not active(plan.master_chain)
        mix = sum_stems(stems, span.length_samples, plan.layout) if is_sum else render_mix(plan, sources, span)
        yield MixedSegment(span, stems, mix)


def mastered_segments(plan: Plan, mixed: Iterable[MixedSegment]) -> Iterator[MasteredSegment]:
    """Mixed segments through the programme's gain and the master's, and its limiter, in order; the same bits as
    render_output. Their edges lie a little before those that came, by what the limiter looks ahead.

    Args:
        plan: whose ``master`` counts; the segments are those of any plan that differs in nothing else.
    """
    gain = np.float32(factor_from_db(output_gain_db(plan)))
    ceiling_dbtp = plan.master.ceiling_dbtp
    ahead = AFTER_SAMPLES if ceiling_dbtp is not None else 0
    # What the limiter reads before the next output, and what has come but is not out yet.
    joined = plan.layout.silence(BEFORE_SAMPLES).astype(np.float32)
    waiting: dict[Role, Audio] = {}
    end_sample = plan.span.end_sample
    for segment in mixed:
        is_last = segment.span.end_sample >= end_sample
        tail = plan.layout.silence(ahead if is_last else 0).astype(np.float32)
        stems = {role: stem * gain for role, stem in segment.stems.items()}
        if waiting:
            stems = {role: np.concatenate([waiting[role], stem]) for role, stem in stems.items()}
        n_waiting = len(joined) - BEFORE_SAMPLES
        joined = np.concatenate([joined, segment.mix * gain, tail])
        n = len(joined) - BEFORE_SAMPLES - ahead
        span = SampleSpan(segment.span.start_sample - n_waiting, n)
        if ceiling_dbtp is None:
            output, factor = joined[BEFORE_SAMPLES : BEFORE_SAMPLES + n], np.ones((n, 1), np.float32)
        else:
            output, factor = limit(joined, ceiling_dbtp)
        yield MasteredSegment(span, {role: stem[:n] for role, stem in stems.items()}, output, factor)
        waiting = {role: stem[n:] for role, stem in stems.items()}
        joined = joined[n:]


def render_segments(plan: Plan, sources: Sources) -> Iterator[MasteredSegment]:
    """The whole programme in order, as it is handed over."""
    return mastered_segments(plan, mixed_segments(plan, sources))


@numba.njit(cache=True, nogil=True)
def _add_times(audio, factor, out):  # type: ignore[no-untyped-def]
    for i in range(len(audio)):
        out[i, 0] += audio[i, 0] * factor
        out[i, 1] += audio[i, 1] * factor
