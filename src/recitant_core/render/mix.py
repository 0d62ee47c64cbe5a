"""From a plan to sound: clips, tracks and stems giving way to speech, their sum, and what leaves the master.

Every function here is pure over a bounded window: any span, rendered alone and in any order, holds the same bits as
the same span of the whole. Preview, verdict and delivery all call render_output.
Held to: tests/core/test_render.py
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Final

import numba
import numpy as np

from recitant_core.gain.envelope import curve_db
from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES, limit
from recitant_core.ports import SampleSource
from recitant_core.render.giving_way import KeySignal, Signal, ducked
from recitant_core.timeline.model import Clip, Duck, Plan, Role, Track, clip_fade_factors, clip_matrix
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import factor_from_db

SEGMENT_SAMPLES: Final = 10 * RATE_HZ
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
    """Each stem of a span before the master, float32 (frames, 2), in summing order; silence outside the programme."""
    key = Keys(plan, sources)
    return {role: _stem(plan, role, sources, span, heard, key).astype(np.float32) for role in plan.roles}


def _stem(plan: Plan, role: Role, sources: Sources, span: SampleSpan, heard: Heard, key: "Keys") -> FloatArray:
    def added(part: SampleSpan) -> FloatArray:
        total = np.zeros((part.length_samples, 2))
        for track in plan.tracks:
            if track.role is role and heard.includes(track):
                duck = plan.duck_of_track(track.track_id)
                if duck is None:
                    add_track(track, plan.stem_gain_db(role), sources, part, total)
                else:
                    total += ducked(_alone(track, plan, sources), part, duck, key.of(duck))
        return total

    duck = plan.duck_of_stem(role)
    return added(span) if duck is None else ducked(added, span, duck, key.of(duck))


def add_track(track: Track, stem_gain_db: float, sources: Sources, span: SampleSpan, total: FloatArray) -> None:
    """Add a track's clips with its fader and a stem's gain to a span; ``total`` is float64 (frames, 2)."""
    for clip in track.clips:
        part = clip.span.intersect(span)
        if part is not None:
            source = sources[clip.source_key]
            audio = source.read(clip.in_sample + part.start_sample - clip.start_sample, part.length_samples)
            if any(clip.dc_offset):
                audio = audio - np.array(clip.dc_offset, dtype=np.float32)
            matrix = clip_matrix(clip, track, source.layout)
            out = total[part.start_sample - span.start_sample : part.end_sample - span.start_sample]
            matrix = matrix * factor_from_db(clip.gain_db + track.gain_db + stem_gain_db)
            _add_clip(clip, part, audio, matrix, out)


def _alone(track: Track, plan: Plan, sources: Sources) -> Signal:
    def signal(span: SampleSpan) -> FloatArray:
        total = np.zeros((span.length_samples, 2))
        add_track(track, plan.stem_gain_db(track.role), sources, span, total)
        return total

    return signal


class Keys:
    """What live keys listen to: dialogue with its gains, rendered once a window. It keys whether it is heard or not."""

    def __init__(self, plan: Plan, sources: Sources) -> None:
        self._plan = plan
        self._sources = sources
        self._known: dict[tuple[tuple[str, ...], SampleSpan], Audio] = {}

    def of(self, duck: Duck) -> KeySignal:
        keys = duck.rule.keys

        def signal(span: SampleSpan) -> Audio:
            found = self._known.get((keys, span))
            if found is None:
                total = np.zeros((span.length_samples, 2))
                for track in self._plan.tracks:
                    if track.role is Role.DIALOGUE and (not keys or track.track_id in keys):
                        add_track(track, self._plan.stem_gain_db(Role.DIALOGUE), self._sources, span, total)
                found = self._known[keys, span] = total.astype(np.float32)
            return found

        return signal


def render_mix(plan: Plan, sources: Sources, span: SampleSpan, heard: Heard = EVERYTHING) -> Audio:
    """The sum of the stems of a span before the master, float32 (frames, 2)."""
    return sum_stems(render_stems(plan, sources, span, heard), span.length_samples)


def sum_stems(stems: Mapping[Role, Audio], n_frames: int) -> Audio:
    """Stems added in their order, in double precision, rounded once."""
    total = np.zeros((n_frames, 2))
    for stem in stems.values():
        total += stem
    return total.astype(np.float32)


def render_output(plan: Plan, sources: Sources, span: SampleSpan, heard: Heard = EVERYTHING) -> Audio:
    """What leaves the master in a span: the mix with its gain, limited where a ceiling is set; float32 (frames, 2)."""
    return render_master(plan, sources, span, heard)[0]


def render_master(plan: Plan, sources: Sources, span: SampleSpan, heard: Heard = EVERYTHING) -> tuple[Audio, Audio]:
    """As render_output, with the limiter's gain factor, float32 (frames, 1)."""
    gain = np.float32(factor_from_db(plan.master.gain_db))
    if plan.master.ceiling_dbtp is None:
        return render_mix(plan, sources, span, heard) * gain, np.ones((span.length_samples, 1), np.float32)
    around = span.widen(BEFORE_SAMPLES, AFTER_SAMPLES)
    return limit(render_mix(plan, sources, around, heard) * gain, plan.master.ceiling_dbtp)


@dataclass(frozen=True)
class MasteredSegment:
    """A stretch of a delivery: stems with the master's gain, and the limited output."""

    span: SampleSpan
    stems: dict[Role, Audio]
    output: Audio
    limiter_factor: Audio


def render_segments(plan: Plan, sources: Sources) -> Iterator[MasteredSegment]:
    """The whole programme in order, each sample of each track rendered once; the same bits as render_output."""
    gain = np.float32(factor_from_db(plan.master.gain_db))
    ceiling_dbtp = plan.master.ceiling_dbtp
    ahead = AFTER_SAMPLES if ceiling_dbtp is not None else 0
    before = np.zeros((BEFORE_SAMPLES, 2), np.float32)
    head = render_stems(plan, sources, SampleSpan(0, ahead))
    waiting = {role: stem * gain for role, stem in head.items()}
    waiting_mix = sum_stems(head, ahead) * gain
    for span in plan.span.blocks(SEGMENT_SAMPLES):
        fresh_span = SampleSpan(span.start_sample + ahead, span.length_samples)
        fresh = render_stems(plan, sources, fresh_span)
        fresh_mix = sum_stems(fresh, span.length_samples) * gain
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
