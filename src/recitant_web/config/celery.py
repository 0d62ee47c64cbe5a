"""The door for the worker."""

import contextlib
import os
from typing import Final

from celery import Celery
from celery.signals import beat_embedded_init, worker_init
from django.conf import settings

from recitant_core.units.threads import use_threads
from recitant_io.media.machine import collect_rarely, end_with_parent, keep_freed_memory, n_cores
from recitant_io.plan.warm import warm_kernels

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "recitant_web.config.settings.base")
app = Celery("recitant")
app.config_from_object("django.conf:settings", namespace="CELERY")
app.autodiscover_tasks()


@beat_embedded_init.connect
def _with_worker(**_: object) -> None:
    # The clock is a process of its own: without its worker it would go on, beside that of the next one.
    end_with_parent()


BEHIND_PAGES: Final = 10


@worker_init.connect
def _prepare(**_: object) -> None:
    # Whoever presses goes first: what is measured in the background takes what the pages leave.
    with contextlib.suppress(OSError):
        os.nice(BEHIND_PAGES)
    keep_freed_memory()
    use_threads(settings.RECITANT_THREADS or n_cores())
    warm_kernels()
    collect_rarely()
