"""measure, intake, check, mix, bench: exit 0 done or passed, 1 does not pass, 2 cannot, with one line that says why."""

import argparse
import io
import json
import sys
from dataclasses import replace
from pathlib import Path

from recitant_cli.intake_data import examined_data
from recitant_core.balance.first_balance import first_balance
from recitant_core.balance.first_balance_values import LEADS, NEARER_LU, STEPS, Choices
from recitant_core.delivery.catalogue import CATALOGUE, DEFAULT_SPEC_ID, spec_by_id
from recitant_core.delivery.figures import Delivered, readings_data, verdict_data
from recitant_core.delivery.judge import judge
from recitant_core.errors import RecitantError
from recitant_core.gain.duck_rule import MOST_DEPTH_DB
from recitant_core.intake.findings import Severity
from recitant_core.measure.clearance import DEFAULT_ASKED_LU
from recitant_core.measure.meter import MeterState, Readings, feed_meter, read_meter
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.threads import use_threads
from recitant_io.decode import open_media
from recitant_io.delivery import deliver
from recitant_io.examine import examine_file
from recitant_io.machine import keep_freed_memory, n_cores
from recitant_io.plan_energies import material_of, with_rules_followed
from recitant_io.plan_file import load_plan
from recitant_words.balance_report import balance_data, ducking_data
from recitant_words.report import limit_text, report_data, report_files
from recitant_words.sentences import fit_sentence, sentence, signed


def main(arguments: list[str] | None = None) -> int:
    """Run one command and return its exit code."""
    chosen = _parser().parse_args(arguments)
    keep_freed_memory()
    use_threads(n_cores())
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")  # file names need not be text in any encoding
    try:
        return int(chosen.run(chosen))
    except RecitantError as error:
        print(f"recitant: {sentence(error)}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"recitant: {error.filename or 'a file'}: {error.strerror or error}.", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("recitant: stopped.", file=sys.stderr)
        return 2


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="recitant", description="Loudness, verdicts and mixes without a server.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    measure = commands.add_parser("measure", help="loudness and peaks of sound files")
    measure.add_argument("files", nargs="+", metavar="FILE", type=Path)
    measure.add_argument("--json", action="store_true", help="one JSON object per file and line")
    measure.set_defaults(run=_measure)
    intake = commands.add_parser("intake", help="what is wrong with sound files, and what they probably are")
    intake.add_argument("files", nargs="+", metavar="FILE", type=Path)
    intake.add_argument("--json", action="store_true", help="one JSON object per file and line")
    intake.set_defaults(run=_intake)
    check = commands.add_parser("check", help="judge a sound file against a specification")
    check.add_argument("file", metavar="FILE", type=Path)
    check.add_argument("--spec", required=True, metavar="ID", help=", ".join(spec.spec_id for spec in CATALOGUE))
    check.add_argument("--json", action="store_true", help="the verdict as JSON")
    check.set_defaults(run=_check)
    mix = commands.add_parser("mix", help="mix a plan, fit it to specifications, write mix, stems and report")
    mix.add_argument("plan", metavar="PLAN", type=Path)
    mix.add_argument("--out", required=True, metavar="DIR", type=Path)
    mix.add_argument("--spec", action="append", metavar="ID", help="may stand several times")
    mix.add_argument("--json", action="store_true", help="the report as JSON on standard output")
    mix.add_argument(
        "--first-balance",
        action="store_true",
        help="prepare the whole mix first, for the first specification, and say how",
    )
    mix.add_argument("--music", default="middle", choices=list(NEARER_LU), help="how near, with --first-balance")
    mix.add_argument("--effects", default="middle", choices=list(NEARER_LU), help="how near, with --first-balance")
    mix.add_argument("--ducking", default="clear", choices=list(MOST_DEPTH_DB), help="how deep, with --first-balance")
    mix.add_argument("--leads", default=LEADS[0], choices=LEADS, help="what leads, with --first-balance")
    mix.add_argument("--skip", action="append", default=[], choices=STEPS, help="a step to leave out; several times")
    mix.add_argument(
        "--clearance", type=_clearance, default=DEFAULT_ASKED_LU, metavar="LU", help="asked for; 7 unless told"
    )
    mix.set_defaults(run=_mix)
    bench = commands.add_parser("bench", help="time and memory against references, in one run")
    bench.add_argument("--write", action="store_true", help="write docs/benchmarks.md")
    bench.add_argument("--only", metavar="NAME", help="one benchmark")
    bench.set_defaults(run=_bench)
    return parser


def _read_file(path: Path) -> tuple[Readings, dict[str, object], int]:
    with open_media(path) as (facts, blocks):
        meter = MeterState.at_rest(facts.layout, facts.rate_hz)
        frames = 0
        for block in blocks:
            meter = feed_meter(block, meter)
            frames += len(block)
        readings = read_meter(meter)
    described = {
        "file": str(path),
        "sample_rate": facts.rate_hz,
        "channels": facts.layout.n_channels,
        "duration_s": frames / facts.rate_hz,
    }
    return readings, described, facts.layout.n_channels


def _measure(chosen: argparse.Namespace) -> int:
    worst = 0
    for path in chosen.files:
        try:
            readings, described, _ = _read_file(path)
        except RecitantError as error:
            # The other files are still worth measuring.
            print(f"recitant: {sentence(error)}", file=sys.stderr)
            worst = 2
            continue
        if chosen.json:
            print(json.dumps({**described, **readings_data(readings)}), flush=True)
        else:
            print(f"{path}  {described['channels']} ch, {described['sample_rate']} Hz, {described['duration_s']:.2f} s")
            print(
                f"  integrated {signed(readings.integrated_lufs)} LUFS   range {signed(readings.range_lu)} LU   "
                f"loudest 0.4 s {signed(readings.max_momentary_lufs)}   3 s {signed(readings.max_short_term_lufs)} LUFS"
            )
            print(
                f"  true peak {signed(readings.true_peak_dbtp)} dBTP   "
                f"sample peak {signed(readings.sample_peak_dbfs)} dBFS"
            )
    return worst


def _intake(chosen: argparse.Namespace) -> int:
    worst = 0
    for path in chosen.files:
        try:
            found = examine_file(path)
        except RecitantError as error:
            print(f"recitant: {sentence(error)}", file=sys.stderr)
            worst = 2
            continue
        data = examined_data(path, found)
        if chosen.json:
            print(json.dumps(data), flush=True)
        else:
            reasons = ", ".join(data["role"]["reasons"])
            print(f"{path}  {data['channels']} ch, {data['sample_rate']} Hz, {data['duration_s']:.2f} s")
            print(f"  probably {data['role']['guess']}: {reasons}")
            if found.speech_dbfs is not None:
                print(f"  speech {signed(found.speech_dbfs)} dBFS, noise floor {signed(found.floor_dbfs)} dBFS")
            for finding in data["findings"]:
                print(f"  {finding['severity']:<5} {finding['title']}: {finding['sentence']}")
        if worst == 0 and any(finding.severity is Severity.FAULT for finding in found.findings):
            worst = 1
    return worst


def _check(chosen: argparse.Namespace) -> int:
    spec = spec_by_id(chosen.spec)
    readings, described, n_channels = _read_file(chosen.file)
    verdict = judge(readings, spec, n_channels)
    if chosen.json:
        data = {**described, "spec": spec.spec_id, "passes": verdict.is_passed, "figures": verdict_data(verdict)}
        print(json.dumps(data))
    else:
        print(f"{chosen.file}: {'passes' if verdict.is_passed else 'does not pass'} {spec.name}")
        for finding in verdict.findings:
            limit = limit_text(finding.low, finding.high)
            print(
                f"  {finding.name:<16} {signed(finding.measured, 2):>8} {finding.unit:<5} {limit:<18} {finding.state}"
            )
        if spec.anchor != verdict.anchor:
            print("  This specification is measured on dialogue; a file alone is judged on the whole programme.")
    return 0 if verdict.is_passed else 1


def _mix(chosen: argparse.Namespace) -> int:
    with load_plan(chosen.plan) as found:
        wanted = chosen.spec or [found.spec_id or DEFAULT_SPEC_ID]
        specs = [spec_by_id(spec_id) for spec_id in dict.fromkeys(wanted)]
        tell = _progress_line if sys.stderr.isatty() else (lambda _share: None)
        if chosen.first_balance:
            steps = tuple(step for step in STEPS if step not in chosen.skip)
            choices = Choices(chosen.music, chosen.effects, chosen.ducking, chosen.leads, steps)
            material = material_of(found, specs[0], chosen.clearance)
            balanced = first_balance(material, choices, tell)
            loaded, more = replace(found, plan=balanced.plan), balance_data(balanced, material)
        else:
            loaded = with_rules_followed(found, chosen.clearance)
            more = {"ducking": ducking_data(loaded.plan)}
        done = deliver(
            loaded.plan, loaded.sources, specs, chosen.out, tell, lambda ready: report_files(loaded.plan, ready, more)
        )
        if sys.stderr.isatty():
            print("\r" + " " * 40 + "\r", end="", file=sys.stderr)
        if chosen.json:
            print(json.dumps(report_data(loaded.plan, done) | more))
        else:
            for action in more.get("actions", ()):
                print(f"{action['title']}: {action['measured_words']}")
                for change in action["changed_words"]:
                    print(f"  {change}")
            for close in more.get("clearance", {}).get("left", ()):
                at_s = close["start_sample"] / RATE_HZ
                print(f"  close at {at_s:.1f} s: {close['sentence']}")
            for delivered in done:
                _print_delivered(delivered, chosen.out)
    return 0 if all(delivered.verdict.is_passed for delivered in done) else 1


def _clearance(text: str) -> float:
    try:
        asked_lu = float(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(f"{text!r} is not a number of LU") from error
    if not 0.0 <= asked_lu <= 40.0:
        raise argparse.ArgumentTypeError(f"{text} is not between 0 and 40 LU")
    return asked_lu


def _print_delivered(delivered: Delivered, folder: Path) -> None:
    passes = "passes" if delivered.verdict.is_passed else "does not pass"
    print(f"{delivered.fit.spec.name}: {passes}. {fit_sentence(delivered.fit)}")
    for file in delivered.files:
        print(f"  {folder / file.file}")


def _progress_line(share: float) -> None:
    print(f"\rmixing {100 * share:3.0f} %", end="", file=sys.stderr, flush=True)


def _bench(chosen: argparse.Namespace) -> int:
    from recitant_cli.bench import run  # the references it measures against are needed for nothing else

    return run(only=chosen.only, write=chosen.write)


if __name__ == "__main__":
    sys.exit(main())
