"""Deliveries on disk: the mix and its stems for each specification, and the report."""

import json
import math
from collections.abc import Mapping, Sequence
from contextlib import ExitStack
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from recitant_core.delivery.fit import Fit, FitState, TrialMeter, fit, written_segments
from recitant_core.delivery.judge import Verdict, judge
from recitant_core.delivery.spec import Spec
from recitant_core.dsp.quantise import audio_from_integers, quantise
from recitant_core.errors import PlanError
from recitant_core.measure.meter import Readings
from recitant_core.ports import Progress, no_progress
from recitant_core.render.mix import Sources
from recitant_core.timeline.model import Plan, Role
from recitant_core.units.channels import STEREO
from recitant_core.units.clock import s_from_samples
from recitant_io.conform import storage_errors
from recitant_io.report import report_html
from recitant_io.wav import wav_writer
from recitant_io.words import fit_sentence

STEM_BIT_DEPTH = 24
FLOAT_BIT_DEPTH = 32


@dataclass(frozen=True)
class WrittenFile:
    """One file of a delivery."""

    kind: str
    file: str
    bit_depth: int
    role: str | None = None


@dataclass(frozen=True)
class Delivered:
    """What one specification came to: judged on the samples in the file."""

    fit: Fit
    verdict: Verdict
    readings: Readings
    files: tuple[WrittenFile, ...]


def deliver(
    plan: Plan,
    sources: Sources,
    specs: Sequence[Spec],
    folder: Path,
    progress: Progress = no_progress,
    more: Mapping[str, Any] | None = None,
) -> list[Delivered]:
    """Fit a plan to each specification and write mix-SPEC.wav and stem-ROLE-SPEC.wav, report.json and report.html.

    The stems carry the gain of their mix and add up to it as it is before its last limiter. They are 24 bit, or
    32 bit float where a stem alone passes full scale.

    Args:
        plan: its own master is replaced.
        sources: every source the plan names.
        specs: at least one.
        folder: made if missing; files of the same names are replaced when the new ones are whole.
        progress: told the share done; may raise Cancelled.
        more: what the report says beside the deliveries, such as speech, ducking and clearance.

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
    report = report_data(plan, done) | dict(more or {})
    with storage_errors():
        for name, text in (("report.json", json.dumps(report, indent=2)), ("report.html", report_html(report))):
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
    meter = TrialMeter(found.trial.master)
    with ExitStack() as stack:
        mix = stack.enter_context(wav_writer(folder / mix_file.file, STEREO.n_channels, spec.bit_depth, length))
        stems = {
            role: stack.enter_context(wav_writer(folder / file.file, STEREO.n_channels, stem_bits, length))
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
    verdict = judge(trial.readings, spec, STEREO.n_channels, found.trial.dialogue_lufs)
    return Delivered(found, verdict, trial.readings, (mix_file, *stem_files.values()))


def report_data(plan: Plan, done: Sequence[Delivered]) -> dict[str, Any]:
    """The report as JSON data: null where there is no value."""
    untouched = done[0].fit.untouched
    return {
        "report": 1,
        "title": plan.title,
        "duration_s": s_from_samples(plan.span.length_samples),
        "frame_rate": plan.frame_rate,
        "before": readings_data(untouched.readings),
        "stems": [role.value for role in plan.roles],
        "deliveries": [_delivery_data(delivered) for delivered in done],
    }


def _delivery_data(delivered: Delivered) -> dict[str, Any]:
    found, spec = delivered.fit, delivered.fit.spec
    return {
        "spec": spec.spec_id,
        "name": spec.name,
        "source": spec.source + (" (figures from memory)" if spec.is_from_memory else ""),
        "note": spec.note,
        "passes": delivered.verdict.is_passed,
        "reached": found.state is FitState.REACHED,
        "state": found.state.value,
        "explanation": fit_sentence(found),
        "measured_on": delivered.verdict.anchor.value,
        "gain_db": finite(found.trial.master.gain_db),
        "ceiling_dbtp": found.trial.master.ceiling_dbtp,
        "most_limiting_db": finite(found.trial.most_reduction_db),
        "limited_share": found.trial.limited_share,
        "range_lost_lu": finite(found.range_lost_lu),
        "figures": verdict_data(delivered.verdict),
        **readings_data(delivered.readings),
        "files": [asdict(file) for file in delivered.files],
    }


def verdict_data(verdict: Verdict) -> list[dict[str, Any]]:
    """Every finding of a verdict as JSON data."""
    return [
        {**asdict(finding), "measured": finite(finding.measured), "miss": finite(finding.miss)}
        for finding in verdict.findings
    ]


def readings_data(readings: Readings) -> dict[str, float | None]:
    """Readings as JSON data: null for silence and for what is too short to say."""
    return {name: finite(value) for name, value in asdict(readings).items()}


def finite(value: float | None) -> float | None:
    """The value, or None where it is none or infinite; JSON has no infinity."""
    return value if value is not None and math.isfinite(value) else None
