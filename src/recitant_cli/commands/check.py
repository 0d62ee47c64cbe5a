"""check: a sound file under a specification."""

import argparse
import json
from pathlib import Path

from recitant_cli.commands.reading import read_file
from recitant_core.delivery.judging.judge import judge
from recitant_core.delivery.specification.catalogue import CATALOGUE
from recitant_io.formats.spec_file import spec_of_text
from recitant_text.checks import check_name, verdict_shown
from recitant_text.report import limit_text
from recitant_text.sentences import signed

SPEC_HELP = f"{', '.join(spec.spec_id for spec in CATALOGUE)}, or a file of your own that ends in .json"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Arguments of the command."""
    parser.add_argument("file", metavar="FILE", type=Path)
    parser.add_argument("--spec", required=True, metavar="ID|FILE", help=SPEC_HELP)
    parser.add_argument("--json", action="store_true", help="the verdict as JSON")


def run(chosen: argparse.Namespace) -> int:
    """0 when it passes, else 1."""
    spec = spec_of_text(chosen.spec)
    readings, described, n_channels = read_file(chosen.file)
    verdict = judge(readings, spec, n_channels)
    if chosen.json:
        data = {**described, "spec": spec.spec_id, "passes": verdict.is_passed, "figures": verdict_shown(verdict)}
        print(json.dumps(data))
    else:
        print(f"{chosen.file}: {'passes' if verdict.is_passed else 'does not pass'} {spec.name}")
        for one in verdict.checks:
            limit = limit_text(one.low, one.high)
            print(f"  {check_name(one):<16} {signed(one.measured, 2):>8} {one.unit:<5} {limit:<18} {one.state}")
        if spec.anchor != verdict.anchor:
            print("  This specification is measured on dialogue; a file alone is judged on the whole programme.")
    return 0 if verdict.is_passed else 1
