"""A mix rendered once, kept, and tried under master settings: what would be written, measured.

Held to: tests/core/test_fit.py
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np

from recitant_core.delivery.fitting.summary import MixSummary, PeakSummary
from recitant_core.delivery.specification.model import Anchor, Spec
from recitant_core.dsp.kweighting import KState, k_energies
from recitant_core.dsp.quantise import Integers, audio_from_integers, quantise
from recitant_core.measure.clearance import speech_mask
from recitant_core.measure.clip_level import spoken_blocks
from recitant_core.measure.loudness import anchored_lufs, gating_block_powers
from recitant_core.measure.meter import MeterState, Readings, feed_meter, hop_energy, read_meter
from recitant_core.measure.true_peak import sample_peak_factor
from recitant_core.ports import Progress, no_progress
from recitant_core.render.laid import Sources
from recitant_core.render.mix import (
    MasteredSegment,
    MixedSegment,
    mastered_segments,
    mixed_segments,
    output_gain_db,
    render_segments,
)
from recitant_core.timeline.model import Master, Plan
from recitant_core.units.arrays import Audio, FloatArray
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_core.units.level import db_from_factor, factor_from_db
from recitant_core.units.threads import ahead


class MixStore(Protocol):
    """Keeps the mix of a programme, to be read again and again."""

    def keep(self, segment: MixedSegment) -> None:
        """Keep the next segment's mix; its stems need not be kept."""

    def __iter__(self) -> Iterator[MixedSegment]:
        """The segments in order, from the first on, with or without stems."""


class MixInMemory:
    """A short programme's mix. Implements MixStore."""

    def __init__(self) -> None:
        self._segments: list[MixedSegment] = []

    def keep(self, segment: MixedSegment) -> None:
        """Keep the next segment."""
        self._segments.append(replace(segment, stems={}))

    def __iter__(self) -> Iterator[MixedSegment]:
        """The segments in order."""
        return iter(self._segments)


@dataclass(frozen=True)
class Trial:
    """Figures of a plan under a master setting, measured as written."""

    master: Master
    readings: Readings
    dialogue_lufs: float | None
    most_reduction_db: float
    limited_share: float
    stem_peak_dbfs: float
    """Highest sample of any stem, before the last limiter."""
    dialogue_stem_lufs: float | None = None
    """While the stems of dialogue sound, speech or not; None where it is not known who speaks when."""

    def anchor_lufs(self, spec: Spec) -> float | None:
        """The loudness a specification's target is about."""
        if spec.anchor is Anchor.DIALOGUE and self.dialogue_lufs is not None:
            return self.dialogue_lufs
        return self.readings.integrated_lufs


@dataclass(frozen=True)
class Rendered:
    """A programme that was rendered once."""

    untouched: Trial
    """As balanced, before any master."""
    dialogue_blocks: FloatArray
    """Block powers of narration and dialogue together, 0 where nobody speaks, float64 (blocks,)."""
    stem_peak_factor: float
    """Highest sample of any stem before any gain of the master's."""
    mixes: MixStore
    summary: MixSummary
    """Of the mix as balanced, for forecasts."""
    clearance_lu: float | None = None
    """Under which speech never falls; None where that was not measured, or nobody speaks over anything."""
    is_spoken: bool = False
    """Whether it is known where somebody speaks."""


@dataclass(frozen=True)
class WrittenSegment:
    """A stretch of a delivery with the whole numbers that go into its file."""

    mastered: MasteredSegment
    values: Integers


class TrialMeter:
    """Measures a delivery while its segments pass by."""

    def __init__(self, plan: Plan, known: Rendered | None = None, speech: Sequence[SampleSpan] = ()) -> None:
        """Zero state.

        Args:
            plan: what is measured, its master in it.
            known: where the stems are known already; then segments need none.
            speech: where somebody speaks; none where nobody listened for it: then dialogue counts while it sounds.
        """
        self._speech = speech
        self._plan = plan
        self._known = known
        self._meter = MeterState.at_rest(plan.layout)
        self._dialogue = KState.at_rest(plan.layout, RATE_HZ)
        self._dialogue_hops: list[FloatArray] = []
        self._least_factor = 1.0
        gain = np.float32(factor_from_db(output_gain_db(plan)))
        self._stem_peak_factor = 0.0 if known is None else float(np.float32(known.stem_peak_factor) * gain)
        self._limited = 0
        self._total = 0

    def feed(self, audio: Audio, segment: MasteredSegment) -> None:
        """Count one more segment.

        Args:
            audio: output, float32 (frames, channels).
            segment: it came from.
        """
        self._meter = feed_meter(audio, self._meter)
        factor = segment.limiter_factor
        self._least_factor = min(self._least_factor, float(factor.min(initial=1.0)))
        self._limited += int(np.count_nonzero(factor < 0.999))
        self._total += len(factor)
        if self._known is not None:
            return
        speech = [stem for role, stem in segment.stems.items() if role.is_speech]
        if speech:
            hops, self._dialogue = k_energies(sum(speech[1:], speech[0]), self._dialogue)
            self._dialogue_hops.append(hops)
        for stem in segment.stems.values():
            self._stem_peak_factor = max(self._stem_peak_factor, sample_peak_factor(stem))

    def stem_blocks(self) -> FloatArray:
        """Block powers of narration and dialogue together, float64 (blocks,)."""
        if self._known is not None:
            return self._known.summary.speech_blocks
        return gating_block_powers(np.concatenate([np.zeros(0), *self._dialogue_hops]))

    def dialogue_blocks(self) -> FloatArray:
        """Powers of the gating blocks of dialogue, float64 (blocks,); 0 where nobody speaks."""
        if self._known is not None:
            return self._known.dialogue_blocks
        blocks = self.stem_blocks()
        n_hops = len(self.energies())
        return spoken_blocks(blocks, speech_mask(self._speech, n_hops)) if self._speech else blocks

    def energies(self) -> FloatArray:
        """10 ms energies of all that was fed, float64 (hops,)."""
        return hop_energy(self._meter)

    def trial(self) -> Trial:
        """The figures of all that was fed."""
        blocks = gating_block_powers(hop_energy(self._meter))
        is_spoken = bool(self._speech) if self._known is None else self._known.is_spoken
        return Trial(
            self._plan.master,
            read_meter(self._meter),
            _anchored(blocks, self.dialogue_blocks()),
            -db_from_factor(self._least_factor),
            self._limited / max(1, self._total),
            db_from_factor(self._stem_peak_factor),
            _anchored(blocks, self.stem_blocks()) if is_spoken else None,
        )


def _anchored(blocks: FloatArray, anchor_blocks: FloatArray) -> float | None:
    return anchored_lufs(blocks, anchor_blocks) if len(anchor_blocks) == len(blocks) else None


def render_once(
    plan: Plan,
    sources: Sources,
    store: MixStore,
    progress: Progress = no_progress,
    hear: Callable[[MasteredSegment], None] | None = None,
    speech: Sequence[SampleSpan] = (),
    mixed: Iterable[MixedSegment] | None = None,
) -> Rendered:
    """The mix of a plan as balanced, measured and kept.

    Args:
        plan: its master is left out.
        store: gets the mix.
        progress: told the share done; may raise Cancelled.
        hear: given every segment in order, for whoever measures more of it in the same pass.
        speech: where somebody speaks; none where nobody listened for it.
        mixed: its segments in order, where they were rendered before.
    """
    # over eight parameters: one pass, and all who take part in it
    untouched = replace(plan, master=Master())
    meter = TrialMeter(untouched, speech=speech)
    peak = 0.0
    peaks = PeakSummary()

    def kept() -> Iterator[MixedSegment]:
        nonlocal peak
        for segment in mixed_segments(untouched, sources) if mixed is None else mixed:
            store.keep(segment)
            # Stems are handed over too: their highest sample says by how much they must be lowered together.
            peak = max([peak, *(sample_peak_factor(stem) for stem in segment.stems.values())])
            yield segment

    for segment in mastered_segments(untouched, kept()):
        meter.feed(segment.output, segment)
        peaks.feed(segment.output)
        if hear is not None:
            hear(segment)
        progress(segment.span.end_sample / plan.span.length_samples)
    summary = MixSummary(peaks.peaks(), meter.energies(), meter.stem_blocks())
    return Rendered(meter.trial(), meter.dialogue_blocks(), peak, store, summary, is_spoken=bool(speech))


def written_segments(plan: Plan, sources: Sources, bit_depth: int) -> Iterator[WrittenSegment]:
    """The whole delivery of a plan in order, as the whole numbers of its file."""
    for segment in render_segments(plan, sources):
        yield WrittenSegment(segment, quantise(segment.output, bit_depth, segment.span.start_sample))


def tried(plan: Plan, known: Rendered, bit_depth: int, progress: Progress = no_progress) -> Trial:
    """Output of the master over the premaster of a plan: limited, dithered and rounded as it would be written."""
    meter = TrialMeter(plan, known)
    for segment in ahead(mastered_segments(plan, known.mixes)):
        values = quantise(segment.output, bit_depth, segment.span.start_sample)
        meter.feed(audio_from_integers(values, bit_depth), segment)
        progress(segment.span.end_sample / plan.span.length_samples)
    return meter.trial()
