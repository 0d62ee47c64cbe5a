"""The door for the web server."""

import os

from django.conf import settings
from django.core.wsgi import get_wsgi_application

from recitant_core.units.threads import use_threads
from recitant_io.media.machine import collect_rarely, keep_freed_memory, n_cores

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "recitant_web.config.settings.base")
application = get_wsgi_application()
keep_freed_memory()
use_threads(settings.RECITANT_THREADS or n_cores())
collect_rarely()
