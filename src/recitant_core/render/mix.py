"""From a plan to sound: clips, tracks and stems giving way to speech, their sum, and what leaves the master.

Every function here is pure over a bounded window: any span, rendered alone and in any order, holds the same bits as
the same span of the whole. Preview, verdict and delivery all call render_output.
Held to: tests/core/test_render.py
"""

from collections.abc import Hashable, Iterator, Mapping
from dataclasses import dataclass
from typing import Final

import numba
import numpy as np

from recitant_core.gain.envelope import curve_db
from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES, limit
from recitant_core.gain.trim import trim_points
from recitant_core.ports import SampleSource
from recitant_core.processors.model import active
from recitant_core.render.chains import processed, sounding
from recitant_core.render.giving_way import KeySignal, Signal, ducked, ridden
from recitant_core.timeline.model import Clip, Duck, Plan, Ride, Role, Track, clip_fade_factors, clip_matrix
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import STEREO, ChannelLayout
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import factor_from_db

SEGMENT_SAMPLES: Final = 10 * RATE_HZ
_DUCK_REACH_SAMPLES: Final = 30 * RATE_HZ  # more than any live key or bell hears around a stretch
Sources = Mapping[str, SampleSource]


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


def render_stems(plan: Plan, sources: Sources, span: SampleSpan, heard: Heard = EVERYTHING) -> dict[Role, Audio]:
    """Each stem of a span before the master, float32 (frames, channels), in summing order; silence outside clips."""
    key = Keys(plan, sources)
    return {role: _stem(plan, role, sources, span, heard, key).astype(np.float32) for role in plan.roles}


def _stem(plan: Plan, role: Role, sources: Sources, span: SampleSpan, heard: Heard, key: "Keys") -> FloatArray:
    def added(part: SampleSpan) -> FloatArray:
        total = plan.layout.silence(part.length_samples)
        for track in plan.tracks:
            if track.role is role and heard.includes(track):
                duck = plan.duck_of_track(track.track_id)
                if duck is None:
                    add_track(track, plan.stem_gain_db(role), sources, part, total, plan.layout)
                else:
                    total += ducked(_alone(track, plan, sources), part, duck, key.of(duck))
        return total

    trimmed = trim_points(plan.stem_trim(role))

    def given_way(part: SampleSpan) -> FloatArray:
        duck = plan.duck_of_stem(role)
        out = added(part) if duck is None else ducked(added, part, duck, key.of(duck))
        if trimmed:
            ridden(out, part.start_sample, trimmed)
        return out

    def identity(window: SampleSpan) -> Hashable:
        return stem_identity(plan, role, window, heard)

    found = processed(given_way, plan.stem_chain(role), plan.stem_ride(role), span, identity, plan.layout)
    return found.astype(np.float64, copy=False)


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
    if not track.ride.points and not active(track.chain):
        _add_clips(track, track.gain_db + stem_gain_db, sources, span, total)
        return

    def raw(part: SampleSpan) -> FloatArray:
        alone = layout.silence(part.length_samples)
        _add_clips(track, 0.0, sources, part, alone)
        return alone

    def identity(window: SampleSpan) -> Hashable:
        return track_identity(track, window)

    factor = factor_from_db(track.gain_db + stem_gain_db)
    _add_times(processed(raw, track.chain, track.ride, span, identity, layout), factor, total)


def _add_clips(track: Track, gain_db: float, sources: Sources, span: SampleSpan, total: FloatArray) -> None:
    for clip in track.clips:
        part = clip.span.intersect(span)
        if part is not None:
            source = sounding(sources[clip.source_key], clip.chain)
            audio = source.read(clip.in_sample + part.start_sample - clip.start_sample, part.length_samples)
            if any(clip.dc_offset):
                audio = audio - np.array(clip.dc_offset, dtype=np.float32)
            matrix = clip_matrix(clip, track, source.layout)
            out = total[part.start_sample - span.start_sample : part.end_sample - span.start_sample]
            matrix = matrix * factor_from_db(clip.gain_db + gain_db)
            _add_clip(clip, part, audio, matrix, out)


def _alone(track: Track, plan: Plan, sources: Sources) -> Signal:
    def signal(span: SampleSpan) -> FloatArray:
        total = plan.layout.silence(span.length_samples)
        add_track(track, plan.stem_gain_db(track.role), sources, span, total, plan.layout)
        return total

    return signal


def track_identity(track: Track, window: SampleSpan) -> Hashable:
    """All that makes what enters and leaves a track's chain in a window: equal values, equal samples."""
    clips = tuple(clip for clip in track.clips if clip.span.intersect(window) is not None)
    return (track.track_id, track.pan, track.is_mono, track.chain, track.ride, clips)


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

    return processed(summed, plan.master_chain, Ride(), span, identity, plan.layout).astype(np.float32)


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
class MasteredSegment:
    """A stretch of a delivery: stems with the master's gain, and the limited output."""

    span: SampleSpan
    stems: dict[Role, Audio]
    output: Audio
    limiter_factor: Audio


def render_segments(plan: Plan, sources: Sources) -> Iterator[MasteredSegment]:
    """The whole programme in order, each sample of each track rendered once; the same bits as render_output."""
    gain = np.float32(factor_from_db(output_gain_db(plan)))
    ceiling_dbtp = plan.master.ceiling_dbtp
    ahead = AFTER_SAMPLES if ceiling_dbtp is not None else 0
    before = plan.layout.silence(BEFORE_SAMPLES).astype(np.float32)
    head = render_stems(plan, sources, SampleSpan(0, ahead))
    waiting = {role: stem * gain for role, stem in head.items()}
    waiting_mix = _mix_of(plan, sources, SampleSpan(0, ahead), head) * gain
    for span in plan.span.blocks(SEGMENT_SAMPLES):
        fresh_span = SampleSpan(span.start_sample + ahead, span.length_samples)
        fresh = render_stems(plan, sources, fresh_span)
        fresh_mix = _mix_of(plan, sources, fresh_span, fresh) * gain
        stems = {role: np.concatenate([waiting[role], fresh[role] * gain]) for role in fresh}
        mix = np.concatenate([waiting_mix, fresh_mix])
        n = span.length_samples
        if ceiling_dbtp is None:
            output, factor = mix, np.ones((n, 1), np.float32)
        else:
            joined = np.concatenate([before, mix])
            output, factor = limit(joined, ceiling_dbtp)
            before = joined[n : n + BEFORE_SAMPLES]
        yield MasteredSegment(span, {role: stem[:n] for role, stem in stems.items()}, output, factor)
        waiting = {role: stem[n:] for role, stem in stems.items()}
        waiting_mix = mix[n:]


def _mix_of(plan: Plan, sources: Sources, span: SampleSpan, stems: Mapping[Role, Audio]) -> Audio:
    # Stems that are rendered already need no second time where nothing comes after their sum.
    if active(plan.master_chain):
        return render_mix(plan, sources, span)
    return sum_stems(stems, span.length_samples, plan.layout)


def _add_clip(clip: Clip, part: SampleSpan, audio: Audio, matrix: FloatArray, out: FloatArray) -> None:
    first = part.start_sample - clip.start_sample
    last = first + part.length_samples
    # Between its fades a clip without a curve is steady, and most of every clip is that.
    steady_from = min(max(first, clip.fade_in_samples), last)
    steady_to = max(min(last, clip.length_samples - clip.fade_out_samples), steady_from)
    if clip.curve:
        steady_from = steady_to = last
    for begin, end in ((first, steady_from), (steady_to, last)):
        if end > begin:
            places = np.arange(begin, end, dtype=np.float64)
            factors = clip_fade_factors(clip, places)
            if clip.curve:
                factors *= 10.0 ** (curve_db(clip.curve, places) / 20.0)
            _add_shaped(audio[begin - first : end - first], matrix, factors, out[begin - first : end - first])
    if steady_to > steady_from:
        inside = slice(steady_from - first, steady_to - first)
        _add_steady(audio[inside], matrix, out[inside])


@numba.njit(cache=True, nogil=True)
def _add_times(audio, factor, out):  # type: ignore[no-untyped-def]
    for i in range(len(audio)):
        out[i, 0] += audio[i, 0] * factor
        out[i, 1] += audio[i, 1] * factor


@numba.njit(cache=True, nogil=True)
def _add_steady(audio, matrix, out):  # type: ignore[no-untyped-def]
    for channel in range(audio.shape[1]):
        left, right = matrix[channel, 0], matrix[channel, 1]
        for i in range(len(audio)):
            out[i, 0] += audio[i, channel] * left
            out[i, 1] += audio[i, channel] * right


@numba.njit(cache=True, nogil=True)
def _add_shaped(audio, matrix, factors, out):  # type: ignore[no-untyped-def]
    for channel in range(audio.shape[1]):
        left, right = matrix[channel, 0], matrix[channel, 1]
        for i in range(len(audio)):
            # In this order a factor of exactly 1 gives what _add_steady gives, so a fade's edge may lie anywhere.
            out[i, 0] += audio[i, channel] * (left * factors[i])
            out[i, 1] += audio[i, channel] * (right * factors[i])
