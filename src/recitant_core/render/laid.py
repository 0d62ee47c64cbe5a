"""Clips of a track laid on a bus: gains, routing, fades and curves, over any span.

Held to: tests/core/test_render.py
"""

from collections.abc import Mapping
from typing import Final

import numba
import numpy as np

from recitant_core.dsp.lanes import every, like, load_frames, store_frames, times, where_first, widest
from recitant_core.gain.envelope import curve_db
from recitant_core.ports import SampleSource
from recitant_core.render.chains import sounding
from recitant_core.timeline.model import Clip, Track, clip_fade_factors, clip_matrix
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.channels import ChannelLayout
from recitant_core.units.clock import SampleSpan
from recitant_core.units.level import factor_from_db

BLOCK_SAMPLES: Final = 8_192
"""Samples that are mixed at once: a bus of that length stays in the L2 cache while one track after another is added."""
Sources = Mapping[str, SampleSource]
_LIKE: Final = like(widest())


class _LaidClip:
    """A clip of a track, its numbers at hand: a piece of a few milliseconds is asked for again and again."""

    def __init__(self, clip: Clip, source: SampleSource, matrix: FloatArray) -> None:
        self.clip = clip
        self.matrix = matrix
        self.start_sample = clip.start_sample
        self.end_sample = clip.span.end_sample
        # Both sides go straight to their own: the usual case, and the quick one.
        is_straight = source.layout.n_channels == 2 and not (matrix[0, 1] or matrix[1, 0])
        self.sides = (float(matrix[0, 0]), float(matrix[1, 1])) if is_straight else None
        self._source = source
        self._offset = np.array(clip.dc_offset, dtype=np.float32) if any(clip.dc_offset) else None
        steady_from = clip.start_sample + clip.fade_in_samples
        steady_to = self.end_sample - clip.fade_out_samples
        self.steady_from, self.steady_to = (steady_to, steady_from) if clip.curve else (steady_from, steady_to)

    def read(self, start_sample: int, n: int) -> Audio:
        audio = self._source.read(self.clip.in_sample + start_sample - self.start_sample, n)
        return audio if self._offset is None else audio - self._offset


class LaidClips:
    """The clips of a track that touch a span, with their gains, ready to be added to any part of it."""

    def __init__(self, track: Track, gain_db: float, sources: Sources, span: SampleSpan, layout: ChannelLayout) -> None:
        """Clips of a track.

        Args:
            gain_db: on top of each clip's own.
            layout: of the bus.
        """
        self._layout = layout
        self._clips = []
        for clip in track.in_mix:
            if clip.span.intersect(span) is not None:
                source = sounding(sources[clip.source_key], clip.chain)
                matrix = clip_matrix(clip, track, source.layout) * factor_from_db(clip.gain_db + gain_db)
                self._clips.append(_LaidClip(clip, source, matrix))

    def add(self, start_sample: int, bus: FloatArray) -> None:
        """Add the part of the span that begins at a sample to a bus.

        Args:
            start_sample: of the programme, inside the span.
            bus: of that part, float64 (frames, channels).
        """
        end_sample = start_sample + len(bus)
        for laid in self._clips:
            first, last = max(start_sample, laid.start_sample), min(end_sample, laid.end_sample)
            if last > first:
                out = bus[first - start_sample : last - start_sample]
                _add_clip(laid.clip, first, laid.read(first, last - first), laid.matrix, out)

    def fill(self, start_sample: int, out: Audio) -> None:
        """Write the part that begins at a sample: the bits of what is added to silence.

        Args:
            start_sample: of the programme, inside the span.
            out: float32 (frames, channels), written over.
        """
        end_sample = start_sample + len(out)
        found = [one for one in self._clips if one.start_sample < end_sample and one.end_sample > start_sample]
        if not found:
            out[:] = 0.0
        elif len(found) == 1 and found[0].steady_from <= start_sample and end_sample <= found[0].steady_to:
            audio, sides = found[0].read(start_sample, len(out)), found[0].sides
            if sides is None:
                _fill_routed(audio, found[0].matrix, out)
            else:
                _fill_sides(audio.reshape(-1), *sides, out.reshape(-1), _LIKE)
        else:
            total = self._layout.silence(len(out))
            self.add(start_sample, total)
            out[:] = total


def _add_clip(clip: Clip, start_sample: int, audio: Audio, matrix: FloatArray, out: FloatArray) -> None:
    first = start_sample - clip.start_sample
    last = first + len(audio)
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


def _add_steady(audio: Audio, matrix: FloatArray, out: FloatArray) -> None:
    if audio.shape[1] == 2 and not (matrix[0, 1] or matrix[1, 0]):
        _add_sides(audio.reshape(-1), matrix[0, 0], matrix[1, 1], out.reshape(-1))
    else:
        _add_routed(audio, matrix, out)


@numba.njit(cache=True, nogil=True)
def _add_sides(values, left, right, out):  # type: ignore[no-untyped-def]
    for i in range(0, len(values), 2):
        out[i] += values[i] * left
        out[i + 1] += values[i + 1] * right


@numba.njit(cache=True, nogil=True)
def _add_routed(audio, matrix, out):  # type: ignore[no-untyped-def]
    for channel in range(audio.shape[1]):
        left, right = matrix[channel, 0], matrix[channel, 1]
        for i in range(len(audio)):
            out[i, 0] += audio[i, channel] * left
            out[i, 1] += audio[i, channel] * right


# What is filled holds the sums of what is added over silence, rounded once at the end.


@numba.njit(cache=True, nogil=True)
def _fill_sides(values, left, right, out, like):  # type: ignore[no-untyped-def]
    w = len(like)
    gains = where_first(every(left, like), every(right, like))
    whole = len(values) // w * w
    for i in range(0, whole, w):
        store_frames(out, i, 2, times(load_frames(values, i, 2, like), gains))
    for i in range(whole, len(values), 2):
        out[i] = values[i] * left
        out[i + 1] = values[i + 1] * right


@numba.njit(cache=True, nogil=True)
def _fill_routed(audio, matrix, out):  # type: ignore[no-untyped-def]
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
