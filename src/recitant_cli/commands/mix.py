"""mix: a plan mixed, fitted to specifications and written, with its stems and a report."""

import argparse
import json
import sys
from dataclasses import replace
from pathlib import Path

from recitant_core.balance.first_balance import first_balance
from recitant_core.balance.first_balance_values import LEADS, NEARER_LU, STEPS, Choices
from recitant_core.delivery.catalogue import DEFAULT_SPEC_ID, spec_by_id
from recitant_core.delivery.delivered import Delivered
from recitant_core.gain.duck_rule import MOST_DEPTH_DB
from recitant_core.measure.clearance import DEFAULT_ASKED_LU
from recitant_core.units.clock import RATE_HZ
from recitant_io.delivery import deliver
from recitant_io.plan_energies import material_of, with_rules_followed
from recitant_io.plan_file import load_plan
from recitant_words.balance_report import balance_data, ducking_data
from recitant_words.fits import fit_sentence
from recitant_words.report import report_data, report_files


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("plan", metavar="PLAN", type=Path)
    parser.add_argument("--out", required=True, metavar="DIR", type=Path)
    parser.add_argument("--spec", action="append", metavar="ID", help="may stand several times")
    parser.add_argument("--json", action="store_true", help="the report as JSON on standard output")
    parser.add_argument(
        "--first-balance",
        action="store_true",
        help="prepare the whole mix first, for the first specification, and say how",
    )
    parser.add_argument("--music", default="middle", choices=list(NEARER_LU), help="how near, with --first-balance")
    parser.add_argument("--effects", default="middle", choices=list(NEARER_LU), help="how near, with --first-balance")
    parser.add_argument(
        "--ducking", default="clear", choices=list(MOST_DEPTH_DB), help="how deep, with --first-balance"
    )
    parser.add_argument("--leads", default=LEADS[0], choices=LEADS, help="what leads, with --first-balance")
    parser.add_argument("--skip", action="append", default=[], choices=STEPS, help="a step to leave out; several times")
    parser.add_argument(
        "--clearance", type=_clearance, default=DEFAULT_ASKED_LU, metavar="LU", help="asked for; 7 unless told"
    )


def run(chosen: argparse.Namespace) -> int:
    """0 when all specifications pass, else 1."""
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
