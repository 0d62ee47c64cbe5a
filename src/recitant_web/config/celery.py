"""The door for the worker."""

import os

from celery import Celery
from celery.signals import worker_init

from recitant_io.warm import warm_kernels

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "recitant_web.config.settings.base")
app = Celery("recitant")
app.config_from_object("django.conf:settings", namespace="CELERY")
app.autodiscover_tasks()


@worker_init.connect
def _warm(**_: object) -> None:
    # Before the pool forks, so that every process of it has the kernels from its first job on.
    warm_kernels()
