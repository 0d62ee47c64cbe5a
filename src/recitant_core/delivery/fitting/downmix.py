"""A mix in one channel, the mean of both sides, as a specification may ask for it.

Held to: tests/core/test_downmix.py
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from recitant_core.delivery.fitting.summary import MixSummary, PeakSummary
from recitant_core.delivery.fitting.trial import MixStore, Rendered, TrialMeter
from recitant_core.measure.true_peak import sample_peak_factor
from recitant_core.render.mix import MasteredSegment, MixedSegment, mastered_segments
from recitant_core.timeline.model import Master, Plan
from recitant_core.units.arrays import Audio
from recitant_core.units.channels import MONO


@dataclass(frozen=True)
class DownmixedMixes:
    """A premaster, read as one channel. Implements MixStore."""

    mixes: MixStore

    def keep(self, segment: MixedSegment) -> None:
        """Keep the next segment as it is."""
        self.mixes.keep(segment)

    def __iter__(self) -> Iterator[MixedSegment]:
        """The segments in order, downmixed."""
        return map(downmixed_segment, self.mixes)


def downmixed_segment(segment: MixedSegment) -> MixedSegment:
    """A segment whose mix and stems have one channel; the stems still add up to the mix."""
    stems = {role: _downmixed(stem) for role, stem in segment.stems.items()}
    return MixedSegment(segment.span, stems, _downmixed(segment.mix))


class DownmixedPeak:
    """The highest sample of any downmixed stem, while a programme is rendered."""

    def __init__(self) -> None:
        self.factor = 0.0
        """Full scale 1.0."""

    def feed(self, segment: MasteredSegment) -> None:
        """Look at the next segment."""
        self.factor = max([self.factor, *(sample_peak_factor(_downmixed(stem)) for stem in segment.stems.values())])


def downmixed(plan: Plan, known: Rendered, stem_peak_factor: float) -> tuple[Plan, Rendered]:
    """A plan of one channel, and what it comes to, from the mix that is kept: nothing is rendered again.

    Args:
        plan: its master is left out.
        known: the plan rendered.
        stem_peak_factor: as DownmixedPeak found it meanwhile.
    """
    mono, mixes = replace(plan, layout=MONO, master=Master()), DownmixedMixes(known.mixes)
    known = replace(known, stem_peak_factor=stem_peak_factor)
    meter, peaks = TrialMeter(mono, known), PeakSummary()
    for segment in mastered_segments(mono, mixes):
        meter.feed(segment.output, segment)
        peaks.feed(segment.output)
    summary = MixSummary(peaks.peaks(), meter.energies(), known.summary.speech_blocks)
    return mono, replace(known, untouched=meter.trial(), mixes=mixes, summary=summary)


def _downmixed(audio: Audio) -> Audio:
    return np.ascontiguousarray(audio.mean(axis=1, keepdims=True, dtype=np.float32))
