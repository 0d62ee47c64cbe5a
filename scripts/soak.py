"""Half an hour of work: whether memory, rows and files level off, as a table and as a drawing.

Runs people as `load` does, on an application of its own. Bounded by --minutes. Standard library only.
"""

import argparse
import json
import os
import subprocess
import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from load import Load, Waited, at_share
from machine import ROOT, CannotGoOn, say
from processes import held_by
from services import database_arguments

_PAGE_BYTES: Final = os.sysconf("SC_PAGE_SIZE")
_WARM_UP_MIN: Final = 5.0
_WIDTH, _HEIGHT, _LEFT, _TOP, _GAP = 720, 110, 120, 24, 26


@dataclass(frozen=True)
class Sample:
    """What stands in memory, database and folder at one moment."""

    at_min: float
    memory_mb: float
    """Resident, of all processes, what they share counted once for each."""
    rows: int
    """Of all tables but the log of edits, which is kept for undo as long as the programme is."""
    edits: int
    n_files: int
    files_mb: float
    block_p95_s: float


def main(arguments: list[str]) -> int:
    """Run it; 0 where nobody got an error."""
    parser = argparse.ArgumentParser(prog="recitant soak", description="Whether memory, rows and files level off.")
    parser.add_argument("--minutes", type=float, default=30.0)
    parser.add_argument("--people", type=int, default=10)
    parser.add_argument("--every", type=float, default=30.0, help="seconds between two looks")
    parser.add_argument("--draw", type=Path, help="an SVG file of the curves")
    chosen = parser.parse_args(arguments)
    samples: list[Sample] = []
    with Load(ROOT / "var" / "load", 10) as load:
        load.run(2, 5.0, 0.15)
        print("| minute | memory, MB | edits | other rows | files | files, MB | block p95, s |", flush=True)
        print("| --- | --- | --- | --- | --- | --- | --- |")
        began, n_seen = time.monotonic(), 0

        def note(waited: Waited) -> None:
            nonlocal n_seen
            p95_s = at_share(waited.block_s[n_seen:], 0.95)
            n_seen = len(waited.block_s)
            one = look(load.folder, (time.monotonic() - began) / 60.0, p95_s)
            samples.append(one)
            counts = f"{one.edits} | {one.rows} | {one.n_files} | {one.files_mb:.0f}"
            print(f"| {one.at_min:.1f} | {one.memory_mb:.0f} | {counts} | {one.block_p95_s:.3f} |", flush=True)

        waited = load.run(chosen.people, 60.0 * chosen.minutes, 0.15, note, chosen.every)
        for words in waited.errors[:3]:
            say(words)
    if chosen.draw is not None:
        chosen.draw.write_text(drawing(samples))
    print(growth(samples))
    return 1 if waited.errors else 0


def look(folder: Path, at_min: float, block_p95_s: float) -> Sample:
    """The state of an application's folder and processes.

    Raises:
        CannotGoOn: the database cannot be read.
    """
    files = [path.stat() for part in ("media", "uploads") for path in (folder / part).rglob("*") if path.is_file()]
    return Sample(
        at_min,
        sum(map(_resident_bytes, _processes(folder))) / 1e6,
        *_rows_and_edits(folder),
        len(files),
        sum(one.st_size for one in files) / 1e6,
        block_p95_s,
    )


def growth(samples: Sequence[Sample]) -> str:
    """How much each figure grew from the end of the warm-up to the end, a sentence."""
    late = [one for one in samples if one.at_min >= _WARM_UP_MIN]
    if len(late) < 2:
        return "too short to say what grows."
    first, last = late[0], late[-1]
    files = f"{first.n_files} to {last.n_files} ({first.files_mb:.0f} to {last.files_mb:.0f} MB)"
    memory = f"{first.memory_mb:.0f} to {last.memory_mb:.0f} MB"
    minutes = f"from minute {first.at_min:.0f} to {last.at_min:.0f}"
    return f"{minutes}: memory {memory}, rows beside edits {first.rows} to {last.rows}, files {files}."


def drawing(samples: Sequence[Sample]) -> str:
    """The curves under each other, each from zero to its highest, as SVG."""
    curves = [
        ("memory", "MB", [one.memory_mb for one in samples]),
        ("edits", "", [float(one.edits) for one in samples]),
        ("other rows", "", [float(one.rows) for one in samples]),
        ("files", "", [float(one.n_files) for one in samples]),
        ("files", "MB", [one.files_mb for one in samples]),
        ("block p95", "ms", [1_000 * one.block_p95_s for one in samples]),
    ]
    last_min = max((one.at_min for one in samples), default=1.0)
    height = _TOP + len(curves) * (_HEIGHT + _GAP)
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {_LEFT + _WIDTH + 20} {height + 20}" '
        'font-family="sans-serif" font-size="13" fill="#444">'
    ]
    for index, (name, unit, values) in enumerate(curves):
        top = _TOP + index * (_HEIGHT + _GAP)
        highest = max([*values, 1e-9])
        points = " ".join(
            f"{_LEFT + _WIDTH * one.at_min / last_min:.1f},{top + _HEIGHT * (1.0 - value / highest):.1f}"
            for one, value in zip(samples, values, strict=True)
        )
        parts.append(f'<rect x="{_LEFT}" y="{top}" width="{_WIDTH}" height="{_HEIGHT}" fill="none" stroke="#bbb"/>')
        parts.append(f'<polyline points="{points}" fill="none" stroke="#1b6e6a" stroke-width="2"/>')
        parts.append(f'<text x="{_LEFT - 8}" y="{top + 12}" text-anchor="end">{highest:.0f} {unit}</text>')
        parts.append(f'<text x="{_LEFT - 8}" y="{top + _HEIGHT / 2 + 4}" text-anchor="end">{name}</text>')
        parts.append(f'<text x="{_LEFT - 8}" y="{top + _HEIGHT}" text-anchor="end">0</text>')
    parts.append(f'<text x="{_LEFT + _WIDTH}" y="{height + 8}" text-anchor="end">{last_min:.0f} minutes</text></svg>')
    return "\n".join(parts) + "\n"


def _processes(folder: Path) -> set[int]:
    """Those that the start command holds, and what they started."""
    children: dict[int, list[int]] = {}
    for path in Path("/proc").glob("[0-9]*/stat"):
        try:
            children.setdefault(int(path.read_text().rpartition(")")[2].split()[1]), []).append(int(path.parent.name))
        except OSError:
            continue
    found, open_ = set[int](), list(held_by(folder))
    while open_:
        one = open_.pop()
        found.add(one)
        open_ += children.get(one, [])
    return found


def _resident_bytes(process_id: int) -> int:
    try:
        return int(Path(f"/proc/{process_id}/statm").read_text().split()[1]) * _PAGE_BYTES
    except OSError:
        return 0


def _rows_and_edits(folder: Path) -> tuple[int, int]:
    found = dict(json.loads((folder / "environment.json").read_text()))
    command = ["mariadb", "--no-defaults", "--batch", "--skip-column-names"]
    command += [*database_arguments(found), "recitant", "--execute"]
    told = {**os.environ, "MYSQL_PWD": found["RECITANT_DB_PASSWORD"]}

    def ask(statement: str) -> list[str]:
        done = subprocess.run([*command, statement], env=told, capture_output=True, text=True, check=False)
        if done.returncode != 0:
            raise CannotGoOn(f"the rows could not be counted: {done.stderr.strip()}")
        return done.stdout.split()

    tables = [name for name in ask("SHOW TABLES") if name != "desk_edit"]
    rows = ask("SELECT " + " + ".join(f"(SELECT COUNT(*) FROM `{name}`)" for name in tables))[0]
    return int(rows), int(ask("SELECT COUNT(*) FROM desk_edit")[0])
