"""Makes the application ready to serve: tables, static files, kernels, account, demo. Run by ./recitant start."""

import argparse
import logging
import os
import sys
import time
from collections.abc import Callable
from typing import Final

import django
from django.core.management import call_command

from recitant_words.notices import notice

DEMO_WORKSPACE: Final = "Foundry Films"
_log = logging.getLogger("recitant.start")


def main() -> int:
    """Everything in order; safe to run at every start, and again after one that was cut short."""
    parser = argparse.ArgumentParser()
    parser.add_argument("username")
    parser.add_argument("--no-demo", action="store_true")
    chosen = parser.parse_args()
    django.setup()
    from recitant_web.demo import begin_making
    from recitant_web.shared import start_notices

    # Recordings are made beside everything else: the slowest part of a first start.
    making = begin_making(has_demo=not chosen.no_demo)
    try:
        _step("tables and pages", _tables_and_pages)
        _step("kernels (half a minute the first time)", _warm)
        if making.poll() is None:
            _say("waiting for the recordings of library and demo")
        failed = []
        if making.wait() != 0:
            failed.append("demo_not_made")
            _say(notice("demo_not_made"))
        failed += _load(chosen.username, os.environ["RECITANT_DEMO_PASSWORD"], has_demo=not chosen.no_demo)
        start_notices.keep(failed)
    finally:
        making.kill()
    return 0


def _tables_and_pages() -> None:
    call_command("migrate", verbosity=0, interactive=False)
    call_command("collectstatic", verbosity=0, interactive=False)


def _load(username: str, password: str, *, has_demo: bool) -> list[str]:
    """Names of notices on what could not be loaded; a start goes on without it."""
    from recitant_web.accounts.actions import create_account
    from recitant_web.accounts.models import Workspace
    from recitant_web.demo import load, load_library
    from recitant_web.house.actions import sweep
    from recitant_web.listening.examination import measure_the_unjudged
    from recitant_web.programme.actions import drop_old_uploads
    from recitant_web.programme.ingesting import listen_to_the_unheard

    workspace = Workspace.objects.filter(memberships__user__username=username, name=DEMO_WORKSPACE).first()
    if workspace is None:
        _, workspace = create_account(username, password, DEMO_WORKSPACE)
    drop_old_uploads()
    failed = _goes_on_without("library_not_loaded", lambda: load_library(workspace, _say))
    if has_demo:
        failed += _goes_on_without("demo_not_loaded", lambda: load(workspace, _say))
    listen_to_the_unheard()
    measure_the_unjudged()
    sweep()
    return failed


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
    from recitant_io.warm import warm_kernels

    warm_kernels()


if __name__ == "__main__":
    sys.exit(main())
