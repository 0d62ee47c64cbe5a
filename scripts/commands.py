"""What each word after ./recitant does."""

import argparse
import os
import signal
import subprocess
import sys
from pathlib import Path

from keeping import back_up, restore
from machine import (
    BROWSER,
    LIBRARIES,
    PROXY,
    PYTHON,
    ROOT,
    SERVICES,
    CannotGoOn,
    install_packages,
    make_environment,
    make_script_tools,
    require_python,
    say,
)
from processes import Beside, run_beside
from services import empty, held, reached, running
from serving import QUEUES, WORKERS, demo_account, free_port_for_pages, listen_at, serve, work

VAR = ROOT / "var"
APPLICATION = Path(os.environ.get("RECITANT_FOLDER", VAR / "app")).absolute()
"""Folder of database, media and logs."""
HAS_STORE = bool(os.environ.get("RECITANT_MEDIA_STORE"))
TOLD_TO_WORKERS = ("DB_HOST", "DB_PORT", "DB_PASSWORD", "REDIS_HOST", "REDIS_PORT", "REDIS_PASSWORD", "SECRET_KEY")
OWN_BENCHMARKS = ("pages", "answers", "growth", "job", "textpage", "speech", "words", "waits", "ear")
CORE_COMMANDS = ("measure", "intake", "check", "mix", "words", "bench")


def main(arguments: list[str]) -> int:
    """Run one command; its exit code."""
    try:
        require_python()
        if arguments[:1] == ["bench"] and arguments[1:2] and arguments[1] in OWN_BENCHMARKS:
            return _bench(*arguments[1:])
        word = arguments[0] if arguments else ""
        if word in CORE_COMMANDS:
            return _core(arguments)
        if word in _PASSED_ON:
            return _PASSED_ON[word](arguments[1:])
        chosen = _parser().parse_args(arguments)
        return int(chosen.run(chosen))
    except CannotGoOn as error:
        say(str(error))
        return 2
    except KeyboardInterrupt:
        return 130


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="recitant", description="Balance dialogue, music and effects.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    start = commands.add_parser("start", help="set everything up, start the application, print its address")
    start.add_argument("--port", type=int, default=0, help="port of the pages (default: 8420, or a free one)")
    start.add_argument("--proxy", action="store_true", help="nginx before the pages, against slow and half-open lines")
    start.add_argument("--no-demo", action="store_true", help="leave the demo programmes out")
    start.add_argument("--no-words", action="store_true", help="leave out what hears words: 250 MB of packages")
    where = "workers beside the pages, where others run elsewhere"
    start.add_argument("--workers", nargs="+", choices=WORKERS, default=list(WORKERS), help=where)
    start.set_defaults(run=_start)
    commands.add_parser("test", help="run all tests, or those given: ./recitant test tests/core -k limiter")
    lint = commands.add_parser("lint", help="format, style, types, import rules, packages, words, docstrings, scripts")
    lint.add_argument("--fix", action="store_true", help="write what can be mended")
    lint.set_defaults(run=lambda chosen: _lint(fix=chosen.fix))
    for name in CORE_COMMANDS:
        commands.add_parser(name, help=f"see ./recitant {name} --help")
    commands.add_parser("vendor", help="fetch the pinned front-end packages anew").set_defaults(run=_vendor)
    backup = commands.add_parser("backup", help="write database, media and secrets into one file, while people work")
    backup.add_argument("file", type=Path)
    backup.set_defaults(run=_backup)
    restore = commands.add_parser("restore", help="make this checkout what it was when it was backed up")
    restore.add_argument("file", type=Path)
    restore.add_argument("--replace", action="store_true", help="put aside what is there")
    restore.set_defaults(run=_restore)
    work = commands.add_parser("work", help="take jobs of an application that runs on another machine")
    work.add_argument("--queues", nargs="+", choices=QUEUES, default=list(QUEUES), help="a worker for each")
    work.add_argument("--no-words", action="store_true", help="leave out what hears words: 250 MB of packages")
    work.set_defaults(run=_work)
    told = commands.add_parser("worker-settings", help="print what ./recitant work on another machine needs to know")
    told.set_defaults(run=_worker_settings)
    commands.add_parser("mutate", help="put faults into the core, one at a time, and count those that a test notices")
    commands.add_parser("load", help="how long people wait when many work at once")
    commands.add_parser("soak", help="half an hour of edits: whether memory, rows and files level off")
    commands.add_parser("torture", help="kill processes at random while people work, and count what is lost")
    commands.add_parser("user", help="accounts: user add, password, workspace, list; see ./recitant user --help")
    reset = commands.add_parser("reset", help="throw away this checkout's database and media (asks first)")
    reset.add_argument("--yes", action="store_true", help="do not ask")
    reset.set_defaults(run=_reset)
    return parser


def _environment(extra: dict[str, str] | None = None) -> dict[str, str]:
    paths = [str(ROOT / "src")]
    kernels = {"NUMBA_CACHE_DIR": str(VAR / "kernels")}
    return {**os.environ, **kernels, **(extra or {}), "PYTHONPATH": os.pathsep.join(paths), "PYTHONUNBUFFERED": "1"}


def _core(arguments: list[str]) -> int:
    is_asking = "--help" in arguments
    make_environment(
        with_dev=arguments[0] == "bench" and not is_asking, with_words=arguments[0] == "words" and not is_asking
    )
    command = [str(PYTHON), "-m", "recitant_cli", *arguments]
    return subprocess.run(command, env=_environment(), check=False).returncode


def _bench(name: str, *arguments: str) -> int:
    if name in ("pages", "answers", "growth", "job", "textpage"):
        return _test([f"tests/bench/{name}.py", "-s", *arguments])
    make_environment(with_dev=True)
    command = [str(PYTHON), str(ROOT / "tests" / "bench" / f"{name}.py"), *arguments]
    return subprocess.run(command, env=_environment(), check=False).returncode


EXAMPLES = ("src/recitant_core", "src/recitant_text")
"""Rooms whose docstrings hold examples, which are tests."""


def _test(arguments: list[str]) -> int:
    signal.signal(signal.SIGTERM, _interrupt)
    install_packages({**SERVICES, **LIBRARIES, **BROWSER, **PROXY})
    make_environment(with_dev=True)
    make_script_tools()
    with running(VAR / "test", is_lasting=False) as services:
        environment = _environment(services.environment())
        environment["DJANGO_SETTINGS_MODULE"] = "recitant_web.config.settings.test"
        named = [f"tests/{a}" if (ROOT / "tests" / a).is_dir() else a for a in arguments]
        if any(not a.startswith("-") for a in arguments):
            runs = [[]]
        else:
            # Where one stage fails the next does not begin. Tests are shared out over the cores, but for those that
            # drive a browser: it plays in real time, and needs a core beside that of the server.
            shared = ["-n", str(os.cpu_count()), "--dist", "worksteal"]
            runs = [["tests", *EXAMPLES, "--stage", stage, *(shared if stage != "3" else [])] for stage in "123"]
        for run in runs:
            code = subprocess.run(
                [str(PYTHON), "-m", "pytest", *named, *run], cwd=ROOT, env=environment, check=False
            ).returncode
            if code:
                return code
        return 0


def _lint(*, fix: bool) -> int:
    make_environment(with_dev=True)
    make_script_tools()
    import lint

    return lint.main(fix=fix)


def _mutate(arguments: list[str]) -> int:
    make_environment(with_dev=True, with_mutation=True)
    command = [str(PYTHON), str(ROOT / "tests" / "mutation" / "mutate.py"), *arguments]
    return subprocess.run(command, env=_environment(), check=False).returncode


def _user(arguments: list[str]) -> int:
    install_packages(SERVICES)
    make_environment(with_store=HAS_STORE)
    with reached(APPLICATION) as found:
        environment = _environment({**found, "DJANGO_SETTINGS_MODULE": "recitant_web.config.settings.base"})
        command = [str(PYTHON), "-m", "django", "user", *arguments]
        return subprocess.run(command, env=environment, check=False).returncode


def _backup(chosen: argparse.Namespace) -> int:
    install_packages(SERVICES)
    back_up(APPLICATION, chosen.file)
    return 0


def _restore(chosen: argparse.Namespace) -> int:
    install_packages(SERVICES)
    os.umask(0o077)
    restore(chosen.file, APPLICATION, replaces=chosen.replace)
    return 0


def _vendor(_chosen: argparse.Namespace) -> int:
    import vendoring

    return vendoring.main()


def _reset(chosen: argparse.Namespace) -> int:
    if not APPLICATION.exists():
        say("there is nothing to reset.")
        return 0
    if not chosen.yes:
        print("This removes every programme, recording and delivery of this checkout for good.")
        if input("Type reset to go on: ").strip() != "reset":
            say("nothing was removed.")
            return 1
    empty(APPLICATION)
    say("done. ./recitant start begins anew.")
    return 0


def _start(chosen: argparse.Namespace) -> int:
    signal.signal(signal.SIGTERM, _interrupt)
    install_packages({**SERVICES, **LIBRARIES, **(PROXY if chosen.proxy else {})})
    make_environment(with_store=HAS_STORE)
    # What is written from here on, by services and workers too, is for this account alone.
    os.umask(0o077)
    proxy_port = free_port_for_pages(chosen.port) if chosen.proxy else None
    with running(APPLICATION) as services, listen_at(chosen.port, is_inner=chosen.proxy) as listening:
        environment = _environment(services.environment())
        environment["DJANGO_SETTINGS_MODULE"] = "recitant_web.config.settings.base"
        account = demo_account(services.folder)
        # A password among the arguments would stand in the list of processes.
        told = {**environment, "RECITANT_DEMO_PASSWORD": account["password"]}
        prepare = [str(PYTHON), "-m", "recitant_web.prepare", account["name"]]
        if run_beside([*prepare, "tables"], told).wait() != 0:
            raise CannotGoOn("preparing failed; the message stands above.")
        # What takes long goes on beside the pages: kernels, library and demo, and what transcribes.
        beside = [Beside([[*prepare, "rest", *(["--no-demo"] if chosen.no_demo else [])]], told)]
        if not chosen.no_words:
            words = [sys.executable, "-c", f"import machine; machine.add_words(with_store={HAS_STORE})"]
            told = {**told, "PYTHONPATH": os.pathsep.join([str(ROOT / "scripts"), told["PYTHONPATH"]])}
            beside.append(Beside([words, [*prepare, "words"]], told))
        return serve(services, environment, listening, account, proxy_port, chosen.workers, beside)


def _work(chosen: argparse.Namespace) -> int:
    signal.signal(signal.SIGTERM, _interrupt)
    missing = [f"RECITANT_{name}" for name in TOLD_TO_WORKERS if not os.environ.get(f"RECITANT_{name}")]
    if missing or not HAS_STORE:
        raise CannotGoOn(
            f"not set: {', '.join(missing) or 'RECITANT_MEDIA_STORE'}. On the machine that has the pages, "
            "./recitant worker-settings prints what a worker must know; docs/deployment.md has the rest."
        )
    install_packages(LIBRARIES)
    make_environment(with_words=not chosen.no_words, with_store=True)
    os.umask(0o077)
    with held(APPLICATION):
        environment = _environment({"RECITANT_VAR": str(APPLICATION)})
        environment["DJANGO_SETTINGS_MODULE"] = "recitant_web.config.settings.base"
        return work(APPLICATION, environment, chosen.queues)


def _worker_settings(_chosen: argparse.Namespace) -> int:
    with reached(APPLICATION) as found:
        told = {f"RECITANT_{name}": found[f"RECITANT_{name}"] for name in TOLD_TO_WORKERS}
    if not HAS_STORE or found["RECITANT_DB_HOST"].startswith(("/", "127.")):
        say("other machines cannot join yet: RECITANT_SERVICES_AT and RECITANT_MEDIA_STORE are not set here.")
    # All must cut a delivery into the same parts.
    shared = ("RECITANT_MEDIA_", "RECITANT_SPREAD_", "AWS_")
    kept = {name: value for name, value in os.environ.items() if name.startswith(shared)}
    print("\n".join(f"{name}={value}" for name, value in {**told, **kept}.items()))
    return 0


def _load(arguments: list[str]) -> int:
    import load

    return load.main(arguments)


def _soak(arguments: list[str]) -> int:
    import soak

    return soak.main(arguments)


def _torture(arguments: list[str]) -> int:
    import torture

    return torture.main(arguments)


def _interrupt(_signal: int, _frame: object) -> None:
    raise KeyboardInterrupt


_PASSED_ON = {"test": _test, "mutate": _mutate, "user": _user, "torture": _torture, "load": _load, "soak": _soak}
"""Words whose arguments somebody else reads."""
