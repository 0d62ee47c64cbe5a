"""Makes the application ready to serve, in parts that ./recitant start runs: tables, rest, words."""

import argparse
import logging
import os
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Final

import django
from django.core.management import call_command

from recitant_text.notices import notice

DEMO_WORKSPACE: Final = "Foundry Films"
KERNELS_READY: Final = "kernels-ready"
"""File that says that kernels are compiled: the web server loads them then, and does not compile them a second time."""
_log = logging.getLogger("recitant.start")


def main() -> int:
    """One part, or all of them in order; safe to run at every start, and again after one that was cut short."""
    parser = argparse.ArgumentParser()
    parser.add_argument("username")
    parser.add_argument("part", nargs="?", choices=("tables", "rest", "words"), help="all of them by default")
    parser.add_argument("--no-demo", action="store_true")
    chosen = parser.parse_args()
    django.setup()
    if chosen.part in (None, "tables"):
        _step("tables and pages", lambda: _tables(chosen.username))
    if chosen.part in (None, "rest"):
        _rest(chosen.username, has_demo=not chosen.no_demo)
    if chosen.part in (None, "words"):
        _words(chosen.username)
    return 0


def _tables(username: str) -> None:
    from django.conf import settings

    from recitant_web.accounts.actions import create_account
    from recitant_web.accounts.models import Workspace
    from recitant_web.shared import start_notices

    call_command("migrate", verbosity=0, interactive=False)
    call_command("collectstatic", verbosity=0, interactive=False)
    if not Workspace.objects.filter(memberships__user__username=username, name=DEMO_WORKSPACE).exists():
        create_account(username, os.environ["RECITANT_DEMO_PASSWORD"], DEMO_WORKSPACE)
    (Path(settings.VAR_DIR) / KERNELS_READY).unlink(missing_ok=True)
    start_notices.keep([])


def _rest(username: str, *, has_demo: bool) -> None:
    from django.conf import settings

    from recitant_web.demo import begin_making, is_loaded
    from recitant_web.shared import start_notices

    # Recordings are made beside everything else: the slowest part of a first start.
    making = begin_making(has_demo=has_demo)
    try:
        if has_demo and not is_loaded():
            start_notices.keep(["demo_under_way"])
        _step("kernels (half a minute the first time)", _warm)
        (Path(settings.VAR_DIR) / KERNELS_READY).touch()
        if making.poll() is None:
            _say("waiting for the recordings of library and demo")
        failed = []
        if making.wait() != 0:
            failed.append("demo_not_made")
            _say(notice("demo_not_made"))
        start_notices.keep(failed + _load(username, has_demo=has_demo))
    finally:
        making.kill()
    _say("everything is ready")


def _load(username: str, *, has_demo: bool) -> list[str]:
    """Names of notices on what could not be loaded; a start goes on without it."""
    from recitant_web.accounts.models import Workspace
    from recitant_web.demo import load, load_library
    from recitant_web.listening.examination import measure_the_unjudged
    from recitant_web.programme.actions import drop_old_uploads
    from recitant_web.programme.ingesting import listen_to_the_unheard
    from recitant_web.programmes.actions import sweep

    workspace = Workspace.objects.filter(memberships__user__username=username, name=DEMO_WORKSPACE).get()
    drop_old_uploads()
    failed = _goes_on_without("library_not_loaded", lambda: load_library(workspace, _say))
    if has_demo:
        failed += _goes_on_without("demo_not_loaded", lambda: load(workspace, _say))
    listen_to_the_unheard()
    measure_the_unjudged()
    sweep()
    return failed


def _words(username: str) -> None:
    """Have the demo transcribed whose words were not: it may have been loaded before the model was there."""
    from recitant_web.accounts.models import Workspace
    from recitant_web.demo import transcribe_demo

    workspace = Workspace.objects.filter(memberships__user__username=username, name=DEMO_WORKSPACE).first()
    if workspace is not None:
        transcribe_demo(workspace)


def _goes_on_without(name: str, work: Callable[[], None]) -> list[str]:
    try:
        work()
    except Exception:  # whatever is wrong with a demo, people's programmes are there
        _log.exception("%s", name)
        _say(notice(name))
        return [name]
    return []


def _step(name: str, work: Callable[[], None]) -> None:
    _say(f"preparing {name}")
    began = time.monotonic()
    work()
    took = time.monotonic() - began
    if took > 1.5:
        _say(f"done in {took:.0f} s")


def _say(text: str) -> None:
    print(f"recitant: {text}", file=sys.stderr, flush=True)


def _warm() -> None:
    from recitant_io.plan.warm import warm_kernels

    warm_kernels()


if __name__ == "__main__":
    sys.exit(main())
