"""Settings of the tests: passwords hash fast, modules keep their plain names."""

from recitant_web.config.settings.base import *

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
AXES_ENABLED = False  # tests sign in from one address, with wrong passwords too
# Static files come straight from the source folder.
MIDDLEWARE = [name for name in MIDDLEWARE if "whitenoise" not in name]
