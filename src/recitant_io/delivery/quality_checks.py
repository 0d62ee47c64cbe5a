"""The finished files of an order looked at, as they lie on disk.

Held to: tests/io/test_quality.py
"""

from collections.abc import Sequence
from contextlib import ExitStack
from dataclasses import replace

from recitant_core.delivery.fitting.fit import Fit
from recitant_core.delivery.fitting.trial import Rendered
from recitant_core.delivery.judging.quality import QualityCheck, SoundChecks, StemsRest, same_check
from recitant_core.ports import Progress
from recitant_core.render.mix import output_gain_db
from recitant_core.timeline.model import Plan
from recitant_core.units.arrays import Audio
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.level import factor_from_db
from recitant_io.delivery.writing import WrittenSound
from recitant_io.formats.sound_file import SoundReader

_LOOKED_AT = ("mix", "m-and-e", "without-narration")
"""Kinds of files that are heard alone; stems begin and end where they like."""


def quality_checks_of(
    plan: Plan, known: Rendered, found: Fit, sounds: Sequence[WrittenSound], progress: Progress
) -> list[QualityCheck]:
    """Looks at the uncompressed files of an order; each is read once.

    Args:
        plan: in the layout of the files.
        known: it rendered; its stems add up to the mix where the master has no processors.
        found: the fit that they were written with.
        sounds: as they were written.
        progress: told the share done; may raise Cancelled.
    """
    gain = factor_from_db(output_gain_db(replace(plan, master=found.trial.master)))
    with ExitStack() as stack:
        readers = [SoundReader(one.path, one.shape, stack) for one in sounds]
        checks = [
            SoundChecks(one.path.name, one.shape.n_channels, one.shape.form.rate_hz, one.shape.full_scale)
            if one.kind in _LOOKED_AT
            else None
            for one in sounds
        ]
        is_stem = [one.kind == "stem" and one.shape.form.rate_hz == RATE_HZ for one in sounds]
        # The master's processors stand between stems and mix.
        rest = StemsRest() if any(is_stem) and not plan.master_chain else None
        for segment in known.mixes:
            stems: list[Audio] = []
            for sound, reader, one, adds in zip(sounds, readers, checks, is_stem, strict=True):
                block = reader.read(_frames(segment.span.end_sample, sound) - _frames(segment.span.start_sample, sound))
                if one is not None:
                    one.feed(block)
                if adds:
                    stems.append(block)
            if rest is not None:
                rest.feed(stems, segment.mix, gain, segment.span.start_sample)
            progress(segment.span.end_sample / plan.span.length_samples)
    same = [
        same_check(one.path.name, is_same=one.checksum == reader.checksum)
        for one, reader in zip(sounds, readers, strict=True)
    ]
    sums = (
        []
        if rest is None
        else [rest.quality_check(next(one.path.name for one in sounds if one.kind == "stem"), sum(is_stem))]
    )
    return [found for one in checks if one is not None for found in one.quality_checks()] + sums + same


def _frames(at_sample: int, sound: WrittenSound) -> int:
    # Where a place of the mix lies in the file; the last frame is the file's last.
    return -(-at_sample * sound.shape.form.rate_hz // RATE_HZ)
