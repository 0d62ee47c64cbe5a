"""Clips of a track laid on a bus: gains, routing, fades and curves, over any span.

Held to: tests/core/test_render.py
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numba
import numpy as np

from recitant_core.gain.envelope import curve_db
from recitant_core.ports import SampleSource
from recitant_core.render.chains import sounding
from recitant_core.timeline.model import Clip, Track, clip_fade_factors, clip_matrix
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import STEREO, ChannelLayout
from recitant_core.units.clock import SampleSpan
from recitant_core.units.level import factor_from_db

BLOCK_SAMPLES: Final = 8_192
"""What is mixed at once: a bus of that length stays near the processor while one track after another is added."""
Sources = Mapping[str, SampleSource]


@dataclass(frozen=True)
class _LaidClip:
    clip: Clip
    source: SampleSource
    matrix: FloatArray
    """How much of each channel goes left and right, gains in it: float64 (channels, 2)."""

    def read(self, part: SampleSpan) -> Audio:
        audio = self.source.read(self.clip.in_sample + part.start_sample - self.clip.start_sample, part.length_samples)
        return audio - np.array(self.clip.dc_offset, dtype=np.float32) if any(self.clip.dc_offset) else audio

    def is_steady(self, part: SampleSpan) -> bool:
        first = part.start_sample - self.clip.start_sample
        last = first + part.length_samples
        is_between = (
            first >= self.clip.fade_in_samples and last <= self.clip.length_samples - self.clip.fade_out_samples
        )
        return is_between and not self.clip.curve


class LaidClips:
    """The clips of a track that touch a span, with their gains, ready to be added to any part of it."""

    def __init__(
        self, track: Track, gain_db: float, sources: Sources, span: SampleSpan, layout: ChannelLayout = STEREO
    ) -> None:
        """Clips of a track.

        Args:
            gain_db: on top of each clip's own.
            layout: of the bus.
        """
        self._layout = layout
        self._clips = []
        for clip in track.clips:
            if clip.span.intersect(span) is not None:
                source = sounding(sources[clip.source_key], clip.chain)
                matrix = clip_matrix(clip, track, source.layout) * factor_from_db(clip.gain_db + gain_db)
                self._clips.append(_LaidClip(clip, source, matrix))

    @property
    def is_empty(self) -> bool:
        """Whether nothing sounds in the span."""
        return not self._clips

    def add(self, span: SampleSpan, total: FloatArray) -> None:
        """Add a part of the span to a bus of that part, float64 (frames, channels)."""
        for laid in self._clips:
            part = laid.clip.span.intersect(span)
            if part is not None:
                out = total[part.start_sample - span.start_sample : part.end_sample - span.start_sample]
                _add_clip(laid.clip, part, laid.read(part), laid.matrix, out)

    def fill(self, span: SampleSpan, out: Audio) -> None:
        """Write a part of the span as float32 (frames, channels): the bits of what ``add`` adds to silence."""
        found = [laid for laid in self._clips if laid.clip.span.intersect(span) is not None]
        if not found:
            out[:] = 0.0
            return
        part = found[0].clip.span.intersect(span)
        if len(found) == 1 and part == span and found[0].is_steady(span):
            _fill_steady(found[0].read(span), found[0].matrix, out)
            return
        total = self._layout.silence(span.length_samples)
        self.add(span, total)
        out[:] = total


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
def _fill_steady(audio, matrix, out):  # type: ignore[no-untyped-def]
    # The sums of _add_steady over silence, channel after channel, rounded once at the end.
    if audio.shape[1] == 2:
        left, right = matrix[0, 0], matrix[0, 1]
        left_of_second, right_of_second = matrix[1, 0], matrix[1, 1]
        for i in range(len(audio)):
            first, second = float(audio[i, 0]), float(audio[i, 1])
            out[i, 0] = first * left + second * left_of_second
            out[i, 1] = first * right + second * right_of_second
        return
    for i in range(len(audio)):
        a, b = 0.0, 0.0
        for channel in range(audio.shape[1]):
            a += audio[i, channel] * matrix[channel, 0]
            b += audio[i, channel] * matrix[channel, 1]
        out[i, 0] = a
        out[i, 1] = b


@numba.njit(cache=True, nogil=True)
def _add_shaped(audio, matrix, factors, out):  # type: ignore[no-untyped-def]
    for channel in range(audio.shape[1]):
        left, right = matrix[channel, 0], matrix[channel, 1]
        for i in range(len(audio)):
            # In this order a factor of exactly 1 gives what _add_steady gives, so a fade's edge may lie anywhere.
            out[i, 0] += audio[i, channel] * (left * factors[i])
            out[i, 1] += audio[i, channel] * (right * factors[i])
