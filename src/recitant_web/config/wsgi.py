"""The door for the web server."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "recitant_web.config.settings.base")
application = get_wsgi_application()
