"""From a plan to sound: clips, tracks and stems giving way to speech, their sum, and what leaves the master.

Every function here is pure over a bounded window: any span, rendered alone and in any order, holds the same bits as
the same span of the whole. Preview, verdict and delivery all call render_output.
Held to: tests/core/test_render.py
"""

from collections.abc import Hashable, Iterable, Iterator
from dataclasses import dataclass

import numba
import numpy as np

from recitant_core.gain.limiter import AFTER_SAMPLES, BEFORE_SAMPLES, limit
from recitant_core.processors.model import active
from recitant_core.render.chains import Node, processed
from recitant_core.render.ducking_render import GainOverTime, ducked, hears_around, level_points
from recitant_core.render.laid import BLOCK_SAMPLES, Sources
from recitant_core.render.paths import EVERYTHING, Audibility, StemPath, listened_to
from recitant_core.render.segments import SEGMENT_SAMPLES, Fill
from recitant_core.render.tracks import Tracks
from recitant_core.timeline.model import Plan, Ride
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import SampleSpan
from recitant_core.units.level import factor_from_db
from recitant_core.units.roles import Role
from recitant_core.units.threads import in_order


def render_stems(plan: Plan, sources: Sources, span: SampleSpan, heard: Audibility = EVERYTHING) -> dict[Role, Audio]:
    """Each stem of a span before the master, float32 (frames, channels), in summing order; silence outside clips.

    Args:
        sources: of the plan's clips, by key.
        span: of the programme; any span holds the bits that it holds in the whole.
        heard: solo and mute.
    """
    return _stems_and_sum(Tracks(listened_to(plan, heard), sources, heard), span)[0]


def _stems_and_sum(tracks: Tracks, span: SampleSpan) -> tuple[dict[Role, Audio], Audio]:
    plan = tracks.plan
    fills = {role: _stem(tracks, tracks.paths[role], span) for role in plan.roles}
    shape = (span.length_samples, plan.layout.n_channels)
    stems = {role: np.empty(shape, np.float32) for role in fills}
    mix = np.empty(shape, np.float32)
    bus = plan.layout.silence(min(span.length_samples, BLOCK_SAMPLES))
    for at in range(0, span.length_samples, BLOCK_SAMPLES):
        # Stems are added in their order, in double precision, and rounded once.
        total = bus[: span.length_samples - at]
        for role, fill in fills.items():
            part = stems[role][at : at + BLOCK_SAMPLES]
            fill(span.start_sample + at, part)
            _add_flat(part.reshape(-1), total.reshape(-1))
        _move_flat(total.reshape(-1), mix[at : at + BLOCK_SAMPLES].reshape(-1))
    return stems, mix


def _stem(tracks: Tracks, path: StemPath, span: SampleSpan) -> Fill:
    layout, duck = tracks.plan.layout, path.duck
    trim = GainOverTime(path.trim)

    def added(part: SampleSpan) -> FloatArray:
        total = layout.silence(part.length_samples)
        add = tracks.adder(path, part)
        for at in range(0, len(total), BLOCK_SAMPLES):
            add(part.start_sample + at, total[at : at + BLOCK_SAMPLES])
        return total

    def given_way(part: SampleSpan) -> FloatArray:
        out = added(part) if duck is None else ducked(added, part, duck, tracks.keys.of(duck))
        trim.apply(out, part.start_sample)
        return out

    def fill_in(window: SampleSpan) -> Fill:
        if duck is not None and hears_around(duck):
            return _copying(given_way(window), window)
        add = tracks.adder(path, window)
        dip = GainOverTime(level_points(duck) if duck is not None else ())
        bus = layout.silence(BLOCK_SAMPLES)

        def fill(start_sample: int, out: Audio) -> None:
            total = bus[: len(out)]
            add(start_sample, total)
            dip.apply(total, start_sample)
            trim.apply(total, start_sample)
            _move_flat(total.reshape(-1), out.reshape(-1))

        return fill

    if path.is_straight:
        return fill_in(span)
    node = Node(given_way, path.chain, path.ride, path.identity, layout, tracks.plan.span.end_sample, fill_in)
    return _copying(processed(node, span), span)


def _copying(audio: Audio | FloatArray, span: SampleSpan) -> Fill:
    def fill(start_sample: int, out: Audio) -> None:
        at = start_sample - span.start_sample
        out[:] = audio[at : at + len(out)]

    return fill


def render_mix(plan: Plan, sources: Sources, span: SampleSpan, heard: Audibility = EVERYTHING) -> Audio:
    """The sum of the stems of a span through the master's processors, float32 (frames, channels).

    Args:
        span: see render_stems. The programme's gain and the limiter come behind it; see render_output.
    """
    return _through_master(Tracks(listened_to(plan, heard), sources, heard), span)[1]


def _through_master(tracks: Tracks, span: SampleSpan) -> tuple[dict[Role, Audio], Audio]:
    plan = tracks.plan
    stems, mix = _stems_and_sum(tracks, span)
    chain = active(plan.master_chain)
    if not chain:
        return stems, mix

    def summed(part: SampleSpan) -> FloatArray:
        return _stems_and_sum(tracks, part)[1].astype(np.float64)

    def identity(window: SampleSpan) -> Hashable:
        return tuple(tracks.paths[role].identity(window) for role in plan.roles)

    def fill_in(window: SampleSpan) -> Fill:
        return _copying(_stems_and_sum(tracks, window)[1], window)

    node = Node(summed, chain, Ride(), identity, plan.layout, plan.span.end_sample, fill_in)
    return stems, processed(node, span).astype(np.float32, copy=False)


def render_output(plan: Plan, sources: Sources, span: SampleSpan, heard: Audibility = EVERYTHING) -> Audio:
    """Output of the master in a span: the mix with its gain, limited at a ceiling; float32 (frames, channels).

    Args:
        span: see render_stems.
        heard: solo and mute; a delivery plays everything.
    """
    return render_master(plan, sources, span, heard)[0]


def render_master(
    plan: Plan, sources: Sources, span: SampleSpan, heard: Audibility = EVERYTHING
) -> tuple[Audio, Audio]:
    """Output of the master, and the limiter's gain factor, float32 (frames, 1)."""
    output, factor, _ = _render_master(plan, sources, span, heard)
    return output, factor


def render_heard(
    plan: Plan, sources: Sources, span: SampleSpan, heard: Audibility = EVERYTHING
) -> tuple[Audio, dict[Role, Audio]]:
    """Output of the master, and each stem that sounds, with the mix's gain, unlimited; float32 (frames, channels)."""
    output, _, stems = _render_master(plan, sources, span, heard)
    return output, stems


def _render_master(
    plan: Plan, sources: Sources, span: SampleSpan, heard: Audibility
) -> tuple[Audio, Audio, dict[Role, Audio]]:
    gain = np.float32(factor_from_db(output_gain_db(plan)))
    tracks = Tracks(listened_to(plan, heard), sources, heard)
    ceiling_dbtp = plan.master.ceiling_dbtp
    around = span if ceiling_dbtp is None else span.widen(BEFORE_SAMPLES, AFTER_SAMPLES)
    stems, mix = _through_master(tracks, around)
    first = span.start_sample - around.start_sample
    own = {role: stem[first : first + span.length_samples] * gain for role, stem in stems.items()}
    if ceiling_dbtp is None:
        return mix * gain, np.ones((span.length_samples, 1), np.float32), own
    return *limit(mix * gain, ceiling_dbtp), own


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


def mixed_segments(plan: Plan, sources: Sources, part: SampleSpan | None = None) -> Iterator[MixedSegment]:
    """The whole programme in order, each sample of each track rendered once; segments as those of chains.

    Args:
        part: of whole segments, for those alone; they hold the bits that they hold in the whole.
    """

    def mixed(span: SampleSpan) -> MixedSegment:
        return MixedSegment(span, *_through_master(Tracks(plan, sources, segment=span), span))

    return in_order(mixed, (part or plan.span).blocks(SEGMENT_SAMPLES))


class Mastering:
    """The gains and the limiter at the end of a plan, segment after segment; the same bits as render_output."""

    def __init__(self, plan: Plan) -> None:
        """Before the first segment; of the plan its master, its gain and its length count."""
        self._ceiling_dbtp = plan.master.ceiling_dbtp
        self._gain = np.float32(factor_from_db(output_gain_db(plan)))
        self._end_sample = plan.span.end_sample
        self._ahead = AFTER_SAMPLES if self._ceiling_dbtp is not None else 0
        # What the limiter reads before the next output, and what has come but is not out yet.
        self._joined = plan.layout.silence(BEFORE_SAMPLES).astype(np.float32)
        self._waiting: dict[Role, Audio] = {}

    def feed(self, segment: MixedSegment) -> MasteredSegment:
        """Output that has become certain: its edges lie before the segment's by the limiter's lookahead."""
        stems = {role: _after(self._waiting.get(role), stem, self._gain) for role, stem in segment.stems.items()}
        if self._ceiling_dbtp is None:
            output = _after(None, segment.mix, self._gain)
            return MasteredSegment(segment.span, stems, output, np.ones((len(output), 1), np.float32))
        n_waiting = len(self._joined) - BEFORE_SAMPLES
        is_last = segment.span.end_sample >= self._end_sample
        joined = _after(self._joined, segment.mix, self._gain, self._ahead if is_last else 0)
        output, factor = limit(joined, self._ceiling_dbtp)
        n = len(output)
        self._joined = joined[n:]
        self._waiting = {role: stem[n:] for role, stem in stems.items()}
        span = SampleSpan(segment.span.start_sample - n_waiting, n)
        return MasteredSegment(span, {role: stem[:n] for role, stem in stems.items()}, output, factor)


def mastered_segments(plan: Plan, mixed: Iterable[MixedSegment]) -> Iterator[MasteredSegment]:
    """Mixed segments, in order, as they are handed over.

    Args:
        plan: whose ``master`` counts; the segments are those of any plan that differs in nothing else.
    """
    mastering = Mastering(plan)
    return (mastering.feed(segment) for segment in mixed)


def _after(before: Audio | None, audio: Audio, gain: np.float32, n_silent: int = 0) -> Audio:
    """Audio behind what waited, with its gain, then silence; the audio itself where that is all."""
    if before is None and gain == 1.0 and not n_silent:
        return audio
    n = 0 if before is None else len(before)
    out = np.empty((n + len(audio) + n_silent, audio.shape[1]), np.float32)
    if before is not None:
        out[:n] = before
    np.multiply(audio, gain, out=out[n : n + len(audio)])
    out[n + len(audio) :] = 0.0
    return out


def render_segments(plan: Plan, sources: Sources) -> Iterator[MasteredSegment]:
    """The whole programme in order, as it is handed over."""
    return mastered_segments(plan, mixed_segments(plan, sources))


@numba.njit(cache=True, nogil=True)
def _add_flat(values, out):  # type: ignore[no-untyped-def]
    for i in range(len(values)):
        out[i] += values[i]


@numba.njit(cache=True, nogil=True)
def _move_flat(values, out):  # type: ignore[no-untyped-def]
    # And silence where they were, for the next block.
    for i in range(len(values)):
        out[i] = values[i]
        values[i] = 0.0
