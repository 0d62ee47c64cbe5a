"""Room tone for a gap between two clips: where the gap is, which stretch of sound suits it, the clip that covers it.

Held to: tests/core/test_room_tone.py
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from recitant_core.errors import EditRefused, NotThere
from recitant_core.gain.envelope import FadeShape
from recitant_core.measure.similarity import quietest_stretch
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.edits import LEAST_CLIP_SAMPLES, NEW
from recitant_core.timeline.model import Clip, Plan
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import HOP_SAMPLES, RATE_HZ, SampleSpan

FADE_SAMPLES: Final = RATE_HZ // 10
_SPEECH_MARGIN_SAMPLES: Final = RATE_HZ // 10
_STRETCH_HOPS: Final = (200, 100, 60, 40)  # the longest that is free is taken


@dataclass(frozen=True)
class Gap:
    """Silence on a track between two clips."""

    track_id: str
    span: SampleSpan
    before: Clip
    after: Clip


@dataclass(frozen=True)
class ToneStretch:
    """A stretch of a recording without speech, as quiet as there is beside a gap."""

    model: Clip
    """Whose recording it lies in, and whose settings the room tone takes."""
    span: SampleSpan
    """In the recording."""


def gap_at(plan: Plan, track_id: str, at_sample: int) -> Gap:
    """The gap on a track at a place.

    Raises:
        NotThere: no such track. EditRefused: a clip lies there, or the place is not between two clips.
    """
    track = next((t for t in plan.tracks if t.track_id == track_id), None)
    if track is None or not track.clips:
        raise NotThere()
    before = [c for c in track.clips if c.span.end_sample <= at_sample]
    after = [c for c in track.clips if c.start_sample > at_sample]
    if not before or not after or len(before) + len(after) < len(track.clips):
        raise EditRefused("no_gap_here")
    earlier = max(before, key=lambda c: c.span.end_sample)
    later = min(after, key=lambda c: c.start_sample)
    start = earlier.span.end_sample
    span = SampleSpan(start, later.start_sample - start)
    if span.length_samples < 2 * LEAST_CLIP_SAMPLES:
        raise EditRefused("no_gap_here")
    return Gap(track_id, span, earlier, later)


def tone_stretch(
    gap: Gap, energies: Mapping[str, FloatArray], speech: Mapping[str, Sequence[SpeechSpan]]
) -> ToneStretch:
    """The quietest stretch without speech in the two clips beside a gap.

    Args:
        energies: 10 ms energies of each recording as two loudspeakers give it, by its key, float64 (hops,).
        speech: of each recording, by its key.

    Raises:
        EditRefused: neither has 0.4 s that are free.
    """
    best: tuple[float, ToneStretch] | None = None
    for clip in (gap.before, gap.after):
        hops = slice(clip.in_sample // HOP_SAMPLES, (clip.in_sample + clip.length_samples) // HOP_SAMPLES)
        part = energies[clip.source_key][hops]
        avoid = [_within(clip, span) for span in speech.get(clip.source_key, ())]
        for n_hops in _STRETCH_HOPS:
            # The longest that is free comes first: a short stretch is heard to repeat.
            found = quietest_stretch(part, n_hops, [span for span in avoid if span is not None])
            if found is not None:
                power = float(part[found : found + n_hops].mean())
                span = SampleSpan(clip.in_sample + found * HOP_SAMPLES, n_hops * HOP_SAMPLES)
                if best is None or power < best[0]:
                    best = (power, ToneStretch(clip, span))
                break
    if best is None:
        raise EditRefused("no_room_tone")
    return best[1]


def _within(clip: Clip, speech: SpeechSpan) -> SampleSpan | None:
    # Speech as it lies in the clip, with what dies away after it.
    last = speech.start_sample + speech.length_samples
    if last <= clip.in_sample or speech.start_sample >= clip.in_sample + clip.length_samples:
        return None
    first = max(0, speech.start_sample - clip.in_sample)
    return SampleSpan(first, last - clip.in_sample - first + _SPEECH_MARGIN_SAMPLES)


def repeated_tone(stretch: Audio, length_samples: int) -> Audio:
    """A stretch played forwards and backwards in turn until it has a length; without a step where it turns.

    Args:
        stretch: float32 (frames, channels), at least two frames.
        length_samples: of what comes back, float32 (length_samples, channels).
    """
    # The frames at which it turns stand once, so the wave goes on from the value it had.
    there_and_back = np.concatenate([stretch, stretch[-2:0:-1]])
    turns = -(-length_samples // len(there_and_back))
    return np.ascontiguousarray(np.tile(there_and_back, (turns, 1))[:length_samples])


def covered_samples(gap: Gap) -> int:
    """Length of the clip that covers a gap, with a fade over each neighbour."""
    first = max(0, gap.span.start_sample - FADE_SAMPLES)
    return gap.span.end_sample + FADE_SAMPLES - first


def with_room_tone(plan: Plan, gap: Gap, model: Clip, source_key: str, in_sample: int) -> Plan:
    """The plan with one clip of room tone over a gap.

    Args:
        model: whose gain, routing and remedies it takes.
        source_key: recording that it plays, long enough from in_sample on.
    """
    length = covered_samples(gap)
    fade = min(FADE_SAMPLES, length // 2)
    clip = replace(
        model,
        clip_id=f"{NEW}0",
        source_key=source_key,
        name="room tone",
        start_sample=gap.span.end_sample + FADE_SAMPLES - length,
        in_sample=in_sample,
        length_samples=length,
        fade_in_samples=fade,
        fade_out_samples=fade,
        fade_in_shape=FadeShape.EQUAL_POWER,
        fade_out_shape=FadeShape.EQUAL_POWER,
        curve=(),
        left_out=(),
        group="",
        speaker="",
        is_room_tone=True,
        balanced=None,
        accepted=(),
        takes=(),
        take_index=0,
        unfilled=(0, 0),
        sync_sample=None,
    )
    tracks = tuple(replace(t, clips=(*t.clips, clip)) if t.track_id == gap.track_id else t for t in plan.tracks)
    return replace(plan, tracks=tracks)
