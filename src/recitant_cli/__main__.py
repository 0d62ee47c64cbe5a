"""measure, intake, check, mix, words, bench: exit 0 done or passed, 1 does not pass, 2 cannot, with one line that
says why."""

import argparse
import importlib
import io
import sys

from recitant_core.errors import RecitantError

COMMANDS = {
    "measure": "loudness and peaks of sound files",
    "intake": "what is wrong with sound files, and what they probably are",
    "check": "judge a sound file against a specification",
    "mix": "mix a plan, fit it to specifications, write mix, stems and report",
    "words": "what is said, by whom, as text or captions, and what is lost in the mix",
    "bench": "time and memory against references, in one run",
}


def main(arguments: list[str] | None = None) -> int:
    """Run one command and return its exit code."""
    given = sys.argv[1:] if arguments is None else arguments
    # Only what the command needs is loaded: libraries take longer than most files.
    chosen = _parser(given[0] if given else "").parse_args(given)
    _settle()
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")  # file names need not be text in any encoding
    try:
        return int(chosen.run(chosen))
    except RecitantError as error:
        from recitant_text.sentences import sentence

        print(f"recitant: {sentence(error)}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"recitant: {error.filename or 'a file'}: {error.strerror or error}.", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("recitant: stopped.", file=sys.stderr)
        return 2


def _parser(wanted: str) -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="recitant", description="Loudness, verdicts and mixes without a server.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    for name, words in COMMANDS.items():
        command = commands.add_parser(name, help=words)
        if name == wanted:
            module = importlib.import_module(f"recitant_cli.commands.{name}")
            module.add_arguments(command)
            command.set_defaults(run=module.run)
    return parser


def _settle() -> None:
    from recitant_core.units.threads import use_threads
    from recitant_io.media.machine import keep_freed_memory, n_cores

    keep_freed_memory()
    use_threads(n_cores())


if __name__ == "__main__":
    sys.exit(main())
