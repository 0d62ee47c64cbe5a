"""intake: what is wrong with sound files, and what they probably are."""

import argparse
import json
import sys

from recitant_cli.commands.reading import add_files
from recitant_cli.intake_data import examined_data
from recitant_cli.telling import teller
from recitant_core.errors import RecitantError
from recitant_core.intake.findings import Severity
from recitant_io.plan.examine import examine_file
from recitant_text.sentences import sentence, signed

add_arguments = add_files


def run(chosen: argparse.Namespace) -> int:
    """1 where a fault was found, else 2 where a file cannot be read, else 0."""
    has_fault = is_unreadable = False
    for path in chosen.files:
        try:
            found = examine_file(path, teller(f"looking at {path.name}"))
        except RecitantError as error:
            print(f"recitant: {sentence(error)}", file=sys.stderr)
            is_unreadable = True
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
        has_fault = has_fault or any(finding.severity is Severity.FAULT for finding in found.findings)
    return 1 if has_fault else 2 if is_unreadable else 0
