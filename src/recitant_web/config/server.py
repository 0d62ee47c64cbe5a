"""Settings of the web server (gunicorn), for the start command and for a deployment's own unit."""

import contextlib
import os
import time
from pathlib import Path
from threading import Thread
from typing import Any

# One process: what it keeps of plans, levels and states serves every request; compiled loops use all cores.
preload_app = True
workers = 1
threads = int(os.environ.get("RECITANT_WEB_THREADS", "12"))
timeout = 0
graceful_timeout = 5
keepalive = 30
loglevel = "warning"
worker_tmp_dir = os.environ.get("RECITANT_VAR")


def post_worker_init(worker: Any) -> None:  # noqa: ARG001  gunicorn passes it
    """Compile what is not compiled yet beside the first requests, which do not wait for it; show that threads run."""
    from recitant_io.plan.warm import warm_kernels

    def warm() -> None:
        # A first start compiles them in a process of its own: twice at once takes longer for both.
        ready, ends_at = Path(os.environ["RECITANT_VAR"], "kernels-ready"), time.monotonic() + 120.0
        while not ready.exists() and time.monotonic() < ends_at:
            time.sleep(0.5)
        warm_kernels()

    Thread(target=warm, name="warm", daemon=True).start()
    Thread(target=_show_a_sign, name="sign", daemon=True).start()


def _show_a_sign() -> None:
    # Read by scripts/watch: where this thread does not come to run for long, no other one does.
    while True:
        with contextlib.suppress(OSError):  # a full disk is no reason to be started again
            Path(os.environ["RECITANT_VAR"], "web-alive").touch()
        time.sleep(1.0)
