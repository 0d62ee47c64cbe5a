"""measure: loudness and peaks of sound files."""

import argparse
import json
import sys

from recitant_cli.commands.reading import add_files, read_file
from recitant_core.delivery.judging.figures import readings_data
from recitant_core.errors import RecitantError
from recitant_text.sentences import sentence, signed

add_arguments = add_files


def run(chosen: argparse.Namespace) -> int:
    """0 when all could be read, else 2."""
    worst = 0
    for path in chosen.files:
        try:
            readings, described, _ = read_file(path)
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
