"""The Django project: settings, addresses, doors."""

from recitant_web.config.celery import app as celery_app

__all__ = ["celery_app"]
