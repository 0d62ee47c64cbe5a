"""Settings under which types are checked: no secret, no service."""

import os

os.environ.setdefault("RECITANT_SECRET_KEY", "only for types")

from recitant_web.config.settings.base import *
