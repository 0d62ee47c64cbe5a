"""The door for the worker."""

import os

from celery import Celery

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "recitant_web.config.settings.base")
app = Celery("recitant")
app.config_from_object("django.conf:settings", namespace="CELERY")
app.autodiscover_tasks()
