"""Stretches of a recording that a model hears at once: speech joined to at most half a minute, cut where it is
quietest."""

from collections.abc import Sequence
from typing import Final

import numpy as np

from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import HOP_SAMPLES, SampleSpan, samples_from_s

MOST_S: Final = 28.0
"""Under the 30 s that the models hear at once."""
JOIN_PAUSE_S: Final = 4.0
"""Speech further apart is heard apart, so that music between is not taken for words."""
_LOOK_BACK_S: Final = 8.0


def chunks_of(speech: Sequence[SampleSpan], energy: FloatArray) -> list[SampleSpan]:
    """Stretches to be heard one by one, in order; each holds whole spans of speech where they are short enough.

    Args:
        speech: where somebody speaks, in order.
        energy: float64 (hops,), 10 ms energies, by which a long span is cut.
    """
    most, join = samples_from_s(MOST_S), samples_from_s(JOIN_PAUSE_S)
    chunks: list[SampleSpan] = []
    for span in (part for whole in speech for part in _parts(whole, energy)):
        last = chunks[-1] if chunks else None
        near = last is not None and span.start_sample - last.end_sample <= join
        if last is not None and near and span.end_sample - last.start_sample <= most:
            chunks[-1] = SampleSpan(last.start_sample, span.end_sample - last.start_sample)
        else:
            chunks.append(span)
    return chunks


def _parts(span: SampleSpan, energy: FloatArray) -> list[SampleSpan]:
    most, back = samples_from_s(MOST_S), samples_from_s(_LOOK_BACK_S)
    parts: list[SampleSpan] = []
    start = span.start_sample
    while span.end_sample - start > most:
        first, last = (start + most - back) // HOP_SAMPLES, (start + most) // HOP_SAMPLES
        # The quietest 50 ms, so that a stop inside a word is not taken for a pause.
        quiet = np.convolve(energy[first:last], np.ones(5), mode="valid")
        cut = (first + int(np.argmin(quiet)) + 2) * HOP_SAMPLES if quiet.size else start + most
        parts.append(SampleSpan(start, cut - start))
        start = cut
    parts.append(SampleSpan(start, span.end_sample - start))
    return parts
