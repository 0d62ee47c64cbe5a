"""Makes the application ready to serve: tables, static files, kernels, account, demo. Run by ./recitant start."""

import argparse
import sys
import time

import django
from django.core.management import call_command


def main() -> int:
    """Everything in order; safe to run at every start."""
    parser = argparse.ArgumentParser()
    parser.add_argument("username")
    parser.add_argument("password")
    parser.add_argument("--no-demo", action="store_true")
    chosen = parser.parse_args()
    django.setup()
    call_command("migrate", verbosity=0, interactive=False)
    call_command("collectstatic", verbosity=0, interactive=False)
    _step("kernels", _warm)

    from recitant_web.accounts.actions import create_account

    _, workspace = create_account(chosen.username, chosen.password, "Foundry Films")
    from recitant_web.demo import is_loaded, load, load_library
    from recitant_web.programme.actions import drop_old_uploads
    from recitant_web.programme.ingesting import listen_to_the_unheard

    drop_old_uploads()
    listen_to_the_unheard()
    _step("effects library", lambda: load_library(workspace))
    if not chosen.no_demo and not is_loaded(workspace):
        _step("demo", lambda: load(workspace))
    return 0


def _step(name: str, work) -> None:  # type: ignore[no-untyped-def]
    began = time.monotonic()
    work()
    took = time.monotonic() - began
    if took > 1.5:
        print(f"recitant: {name} ready ({took:.0f} s)", file=sys.stderr, flush=True)


def _warm() -> None:
    from recitant_io.warm import warm_kernels

    warm_kernels()


if __name__ == "__main__":
    sys.exit(main())
