"""Deliveries on disk: the mix and its stems for each specification, and the texts beside them."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import replace
from functools import partial
from pathlib import Path
from types import MappingProxyType
from typing import Final

import numpy as np

from recitant_core.delivery.delivered import Delivered, WrittenFile
from recitant_core.delivery.fit import Fit, fit
from recitant_core.delivery.judge import judge
from recitant_core.delivery.spec import Spec
from recitant_core.delivery.trial import Rendered, TrialMeter, render_once
from recitant_core.dsp.quantise import audio_from_integers, quantise
from recitant_core.errors import PlanError
from recitant_core.ports import Progress, no_progress
from recitant_core.render.laid import Sources
from recitant_core.render.mix import Mastering, MixedSegment, mixed_segments, output_gain_db
from recitant_core.timeline.model import Master, Plan, Role
from recitant_core.units.arrays import Audio
from recitant_core.units.level import factor_from_db
from recitant_core.units.threads import at_once, results_at_once
from recitant_io.conform import storage_errors
from recitant_io.kept_mix import kept_mix
from recitant_io.wav import wav_writer

STEM_BIT_DEPTH: Final = 24
FLOAT_BIT_DEPTH: Final = 32
_RENDERED, _FITTED = 0.3, 0.65  # shares of the work done then
Reports = Callable[[Sequence[Delivered]], Mapping[str, str]]


def deliver(
    plan: Plan,
    sources: Sources,
    specs: Sequence[Spec],
    folder: Path,
    progress: Progress = no_progress,
    reports: Reports = lambda _done: {},
    starts: Mapping[str, Master] = MappingProxyType({}),
) -> list[Delivered]:
    """Fit a plan to each specification and write mix-SPEC.wav and stem-ROLE-SPEC.wav, and what is reported of them.

    The programme is rendered twice, whatever the number of specifications: once to be measured and tried, once for
    all files. The stems carry the gain of their mix and add up to it as it is before its last limiter. They are 24
    bit, or 32 bit float where a stem alone passes full scale.

    Args:
        plan: its own master is replaced.
        sources: every source the plan names.
        specs: at least one.
        folder: made if missing; files of the same names are replaced when the new ones are whole.
        progress: told the share done; may raise Cancelled.
        reports: texts to write beside them, by file name, from what every specification came to.
        starts: the master to try first, by specification, where the same mix was fitted before.

    Raises:
        PlanError: nothing to mix. StorageFull: no room. UnreadableMedia: a source turns out damaged.
    """
    if plan.span.length_samples == 0:
        raise PlanError("nothing_to_mix", field="tracks")
    with kept_mix(folder, plan.layout) as store:
        known = render_once(plan, sources, store, lambda share: progress(_RENDERED * share))
        fits = results_at_once(
            [partial(_fitted, plan, known, spec, starts.get(spec.spec_id)) for spec in specs],
            lambda share: progress(_RENDERED + (_FITTED - _RENDERED) * share),
        )
        done = _write(plan, sources, known, fits, folder, lambda share: progress(_FITTED + (1.0 - _FITTED) * share))
    with storage_errors():
        for name, text in reports(done).items():
            part = folder / f".{name}.part"
            part.write_text(text, encoding="utf-8")
            part.replace(folder / name)
    return done


def _fitted(plan: Plan, known: Rendered, spec: Spec, start: Master | None, progress: Progress) -> Fit:
    return fit(plan, known, spec, progress, start)


def _write(
    plan: Plan, sources: Sources, known: Rendered, fits: Sequence[Fit], folder: Path, progress: Progress
) -> list[Delivered]:
    length = plan.span.length_samples
    with ExitStack() as stack:
        writing = [_Writing(plan, known, found, folder, stack) for found in fits]
        for segment in mixed_segments(plan, sources):
            # Every file of every specification takes its part of the same stems, side by side.
            at_once(work for one in writing for work in one.works(segment))
            progress(segment.span.end_sample / length)
    return [one.delivered() for one in writing]


class _Writing:
    """The files of one specification under way."""

    def __init__(self, plan: Plan, known: Rendered, found: Fit, folder: Path, stack: ExitStack) -> None:
        self._fit = found
        self._known = known
        spec, length, n_channels = found.spec, plan.span.length_samples, plan.layout.n_channels
        mastered = replace(plan, master=found.trial.master)
        self._gain = np.float32(factor_from_db(output_gain_db(mastered)))
        self._stem_bits = STEM_BIT_DEPTH if found.trial.stem_peak_dbfs < -0.01 else FLOAT_BIT_DEPTH
        self._mix_file = WrittenFile("mix", f"mix-{spec.spec_id}.wav", spec.bit_depth)
        self._stem_files = {
            role: WrittenFile("stem", f"stem-{role}-{spec.spec_id}.wav", self._stem_bits, role.value)
            for role in plan.roles
        }
        self._mastering = Mastering(mastered)
        self._meter = TrialMeter(mastered, known)
        self._mix = stack.enter_context(wav_writer(folder / self._mix_file.file, n_channels, spec.bit_depth, length))
        self._stems = {
            role: stack.enter_context(wav_writer(folder / file.file, n_channels, self._stem_bits, length))
            for role, file in self._stem_files.items()
        }

    def works(self, segment: MixedSegment) -> Iterator[Callable[[], None]]:
        """What the next segment asks for; each touches a file of its own."""
        yield partial(self._write_mix, segment)
        for role, stem in segment.stems.items():
            yield partial(self._write_stem, role, stem, segment.span.start_sample)

    def _write_mix(self, segment: MixedSegment) -> None:
        bit_depth = self._fit.spec.bit_depth
        mastered = self._mastering.feed(replace(segment, stems={}))
        values = quantise(mastered.output, bit_depth, mastered.span.start_sample)
        self._mix.write_integers(values)
        self._meter.feed(audio_from_integers(values, bit_depth), mastered)

    def _write_stem(self, role: Role, stem: Audio, start_sample: int) -> None:
        stem = stem * self._gain
        if self._stem_bits == FLOAT_BIT_DEPTH:
            self._stems[role].write_float(stem)
        else:
            # Each stem has a noise of its own, or the noises would add up in step.
            seed = (1 + list(Role).index(role)) << 50
            self._stems[role].write_integers(quantise(stem, self._stem_bits, start_sample + seed))

    def delivered(self) -> Delivered:
        """What came of it."""
        readings = self._meter.trial().readings
        n_channels = self._fit.layout.n_channels
        verdict = judge(readings, self._fit.spec, n_channels, self._fit.trial.dialogue_lufs)
        return Delivered(self._fit, verdict, readings, (self._mix_file, *self._stem_files.values()))
