"""Deliveries on disk: the mix and its stems for each specification, and the texts beside them."""

from collections.abc import Callable, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import replace
from pathlib import Path

from recitant_core.delivery.figures import Delivered, WrittenFile
from recitant_core.delivery.fit import Fit, TrialMeter, fit, written_segments
from recitant_core.delivery.judge import judge
from recitant_core.delivery.spec import Spec
from recitant_core.dsp.quantise import audio_from_integers, quantise
from recitant_core.errors import PlanError
from recitant_core.ports import Progress, no_progress
from recitant_core.render.laid import Sources
from recitant_core.timeline.model import Plan, Role
from recitant_io.conform import storage_errors
from recitant_io.wav import wav_writer

STEM_BIT_DEPTH = 24
FLOAT_BIT_DEPTH = 32
Reports = Callable[[Sequence[Delivered]], Mapping[str, str]]


def deliver(
    plan: Plan,
    sources: Sources,
    specs: Sequence[Spec],
    folder: Path,
    progress: Progress = no_progress,
    reports: Reports = lambda _done: {},
) -> list[Delivered]:
    """Fit a plan to each specification and write mix-SPEC.wav and stem-ROLE-SPEC.wav, and what is reported of them.

    The stems carry the gain of their mix and add up to it as it is before its last limiter. They are 24 bit, or
    32 bit float where a stem alone passes full scale.

    Args:
        plan: its own master is replaced.
        sources: every source the plan names.
        specs: at least one.
        folder: made if missing; files of the same names are replaced when the new ones are whole.
        progress: told the share done; may raise Cancelled.
        reports: texts to write beside them, by file name, from what every specification came to.

    Raises:
        PlanError: nothing to mix. StorageFull: no room. UnreadableMedia: a source turns out damaged.
    """
    if plan.span.length_samples == 0:
        raise PlanError("nothing_to_mix", field="tracks")
    with storage_errors():
        folder.mkdir(parents=True, exist_ok=True)
    done = []
    for index, spec in enumerate(specs):

        def tell(share: float, index: int = index) -> None:
            progress((index + share) / len(specs))

        found = fit(plan, sources, spec, lambda share, tell=tell: tell(0.7 * share))  # type: ignore[misc]
        done.append(_write(plan, sources, found, folder, lambda share, tell=tell: tell(0.7 + 0.3 * share)))  # type: ignore[misc]
    with storage_errors():
        for name, text in reports(done).items():
            part = folder / f".{name}.part"
            part.write_text(text, encoding="utf-8")
            part.replace(folder / name)
    return done


def _write(plan: Plan, sources: Sources, found: Fit, folder: Path, progress: Progress) -> Delivered:
    spec = found.spec
    length = plan.span.length_samples
    mastered_plan = replace(plan, master=found.trial.master)
    stem_peak_dbfs = found.untouched.stem_peak_dbfs + found.trial.master.gain_db
    stem_bits = STEM_BIT_DEPTH if stem_peak_dbfs < -0.01 else FLOAT_BIT_DEPTH
    mix_file = WrittenFile("mix", f"mix-{spec.spec_id}.wav", spec.bit_depth)
    stem_files = {
        role: WrittenFile("stem", f"stem-{role}-{spec.spec_id}.wav", stem_bits, role.value) for role in plan.roles
    }
    meter = TrialMeter(found.trial.master, layout=plan.layout)
    with ExitStack() as stack:
        mix = stack.enter_context(wav_writer(folder / mix_file.file, plan.layout.n_channels, spec.bit_depth, length))
        stems = {
            role: stack.enter_context(wav_writer(folder / file.file, plan.layout.n_channels, stem_bits, length))
            for role, file in stem_files.items()
        }
        for segment in written_segments(mastered_plan, sources, spec.bit_depth):
            mastered = segment.mastered
            mix.write_integers(segment.values)
            for role, stem in mastered.stems.items():
                if stem_bits == FLOAT_BIT_DEPTH:
                    stems[role].write_float(stem)
                else:
                    # Each stem has a noise of its own, or the noises would add up in step.
                    seed = (1 + list(Role).index(role)) << 50
                    stems[role].write_integers(quantise(stem, stem_bits, mastered.span.start_sample + seed))
            meter.feed(audio_from_integers(segment.values, spec.bit_depth), mastered)
            progress(mastered.span.end_sample / length)
    trial = meter.trial()
    verdict = judge(trial.readings, spec, plan.layout.n_channels, found.trial.dialogue_lufs)
    return Delivered(found, verdict, trial.readings, (mix_file, *stem_files.values()))
