"""bench: time and memory against references, in one run."""

import argparse

from recitant_cli.bench import run as run_benchmarks


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Arguments of the command."""
    parser.add_argument("--write", action="store_true", help="write docs/benchmarks.md")
    parser.add_argument("--only", metavar="NAME", help="one benchmark")


def run(chosen: argparse.Namespace) -> int:
    """0 when all figures are met, else 1."""
    return run_benchmarks(only=chosen.only, write=chosen.write)
