"""The uncompressed files of one order of a delivery, while the segments of the mix pass by."""

from collections.abc import Callable, Iterator
from contextlib import ExitStack
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from zlib import crc32

import numpy as np

from recitant_core.delivery.fitting.fit import Fit
from recitant_core.delivery.fitting.history import LimiterHistory, history
from recitant_core.delivery.fitting.trial import Rendered, TrialMeter
from recitant_core.delivery.orders.orders import PARTS
from recitant_core.delivery.orders.results import Delivered, WrittenFile
from recitant_core.delivery.playback.platforms import platform_results
from recitant_core.dsp.quantise import audio_from_integers, quantise
from recitant_core.render.mix import Mastering, MixedSegment, output_gain_db
from recitant_core.timeline.model import Master
from recitant_core.units.arrays import Audio
from recitant_core.units.level import factor_from_db
from recitant_core.units.roles import ROLES, Role
from recitant_io.delivery.planned import Planned, stem_bit_depth
from recitant_io.formats.sound_file import SoundFileForm, SoundWriter, sound_writer


@dataclass(frozen=True)
class WrittenSound:
    """An uncompressed file, or a pair, that was written."""

    kind: str
    path: Path
    shape: SoundFileForm
    checksum: int
    """CRC-32 of its samples as they went in."""


class Writing:
    """Mix, stems and mixes without some stems of one order, under way."""

    def __init__(self, planned: Planned, known: Rendered, found: Fit, folder: Path, stack: ExitStack) -> None:
        """Opens the files.

        Args:
            known: the plan rendered, in the layout of the files.
            found: with whose master the mix is written.
            stack: closes the files.
        """
        plan, spec, wanted = planned.plan, planned.order.spec, planned.order.wanted
        mastered = replace(plan, master=found.trial.master)
        self._fit = found
        self._known = known
        self._gain = np.float32(factor_from_db(output_gain_db(mastered)))
        self._mastering = Mastering(mastered)
        self._meter = TrialMeter(mastered, known)
        self._limiter = LimiterHistory()
        self._files: list[WrittenFile] = []
        self._opened: list[tuple[str, Path, SoundFileForm, SoundWriter]] = []
        self._mix: SoundWriter | None = None
        self._stems: dict[Role, SoundWriter] = {}
        self._parts: list[tuple[frozenset[Role], Mastering, SoundWriter]] = []

        def opened(kind: str, role: str, bit_depth: int, stem: str | None = None) -> SoundWriter:
            self._files += planned.written(kind, role, bit_depth, stem)
            path, shape = planned.sound_path(folder, role, bit_depth), planned.shape(role, bit_depth)
            writer = stack.enter_context(sound_writer(path, shape))
            self._opened.append((kind, path, shape, writer))
            return writer

        if planned.writes_mix:
            self._mix = opened("mix", "mix", spec.bit_depth)
        if "stems" in wanted.kinds:
            bit_depth = stem_bit_depth(found.trial.stem_peak_dbfs, spec.form.rate_hz)
            for role in plan.roles:
                self._stems[role] = opened("stem", f"stem-{role.file_part}", bit_depth, role.value)
        for kind in planned.parts:
            self._parts.append((PARTS[kind], Mastering(mastered), opened(kind, kind, spec.bit_depth)))

    def works(self, segment: MixedSegment) -> Iterator[Callable[[], None]]:
        """Work that the next segment asks for; each touches a file of its own."""
        yield partial(self._write_mix, segment)
        for role, writer in self._stems.items():
            yield partial(self._write_stem, role, writer, segment.stems[role])
        for left_out, mastering, writer in self._parts:
            yield partial(_write_part, left_out, mastering, writer, segment)

    def _write_mix(self, segment: MixedSegment) -> None:
        bit_depth = self._fit.spec.bit_depth
        mastered = self._mastering.feed(replace(segment, stems={}))
        values = quantise(mastered.output, bit_depth, mastered.span.start_sample)
        if self._mix is not None:
            self._mix.write_integers(values)
        self._meter.feed(audio_from_integers(values, bit_depth), mastered)
        self._limiter.feed(mastered.limiter_factor)

    def _write_stem(self, role: Role, writer: SoundWriter, stem: Audio) -> None:
        # Each stem has a noise of its own, or the noises would add up in step.
        seed = (1 + role.order[0] + len(ROLES) * (crc32(role.own_name.encode()) % 1_000)) << 50
        writer.write_audio(stem * self._gain, seed)

    def end(self) -> None:
        """Put what was measured into the mix; before its file is closed."""
        if self._mix is not None:
            self._mix.measured(self._meter.trial().readings)

    def sounds(self) -> list[WrittenSound]:
        """Files that were written, once they are closed."""
        return [WrittenSound(kind, path, shape, writer.checksum) for kind, path, shape, writer in self._opened]

    def delivered(self) -> Delivered:
        """Result for the order, judged on what was written."""
        readings = self._meter.trial().readings
        curve = history(self._meter.energies(), self._limiter.reduction_db())
        known, untouched = self._known, self._known.untouched.readings
        return Delivered(
            self._fit,
            self._fit.judged(readings),
            readings,
            tuple(self._files),
            history=curve,
            heard=tuple(platform_results(known.summary, untouched, self._fit.trial.master)),
            heard_as_balanced=tuple(platform_results(known.summary, untouched, Master())),
        )


def _write_part(left_out: frozenset[Role], mastering: Mastering, writer: SoundWriter, segment: MixedSegment) -> None:
    total = np.zeros(segment.mix.shape, np.float64)
    for role, stem in segment.stems.items():
        if role.kind not in left_out:
            total += stem
    mastered = mastering.feed(MixedSegment(segment.span, {}, total.astype(np.float32)))
    writer.write_audio(mastered.output)
