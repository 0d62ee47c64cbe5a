"""Settings for every place; what differs comes from the environment, which ./recitant sets."""

import os
from datetime import timedelta
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from csp.constants import NONE, SELF
from django.core.exceptions import ImproperlyConfigured

BASE_DIR = Path(__file__).resolve().parents[4]
VAR_DIR = Path(os.environ.get("RECITANT_VAR", BASE_DIR / "var"))

SECRET_KEY = os.environ["RECITANT_SECRET_KEY"]
DEBUG = False
ALLOWED_HOSTS = os.environ.get("RECITANT_HOSTS", "127.0.0.1,localhost,[::1]").split(",")

# The address that people type where it is not this machine's, as https://mix.example.org. Everything that only makes
# sense behind a proxy with a certificate is switched on with it.
PUBLIC_URL = os.environ.get("RECITANT_PUBLIC_URL", "")
if PUBLIC_URL:
    _public = urlsplit(PUBLIC_URL)
    if _public.scheme not in ("http", "https") or not _public.hostname:
        raise ImproperlyConfigured("RECITANT_PUBLIC_URL must begin with http:// or https:// and name a host.")
    ALLOWED_HOSTS.append(_public.hostname)
    CSRF_TRUSTED_ORIGINS = [f"{_public.scheme}://{_public.netloc}"]
    if _public.scheme == "https":
        SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
        SECURE_SSL_REDIRECT = True
        SECURE_REDIRECT_EXEMPT = [r"^health$", r"^ready$", r"^metrics$"]  # asked for beside the proxy
        SECURE_HSTS_SECONDS = 365 * 24 * 3600
        SESSION_COOKIE_SECURE = True
        CSRF_COOKIE_SECURE = True
# How many proxies stand before the pages: so many addresses of their own are not those of visitors.
N_PROXIES = int(os.environ.get("RECITANT_PROXIES", "1" if PUBLIC_URL else "0"))

# What Prometheus shows to be given figures; without one they are for this machine alone.
METRICS_TOKEN = os.environ.get("RECITANT_METRICS_TOKEN", "")

# How many cores one job may use; 0 for all. Lower it where several workers share a machine.
RECITANT_THREADS = int(os.environ.get("RECITANT_THREADS", "0"))

# The folder of a faster-whisper model (CTranslate2) that hears words; empty for the small English one.
RECITANT_WORDS_MODEL = os.environ.get("RECITANT_WORDS_MODEL", "")

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "django_htmx",
    "axes",
    "csp",
    "recitant_web.shared",
    "recitant_web.accounts",
    "recitant_web.specifications",
    "recitant_web.jobs",
    "recitant_web.programme",
    "recitant_web.transcript",
    "recitant_web.desk",
    "recitant_web.listening",
    "recitant_web.arrange",
    "recitant_web.balance",
    "recitant_web.level",
    "recitant_web.words",
    "recitant_web.intake",
    "recitant_web.library",
    "recitant_web.delivery",
    "recitant_web.programmes",
]
MIDDLEWARE = [
    "recitant_web.shared.watching.Watching",
    "recitant_web.programme.following.Following",
    "django.middleware.security.SecurityMiddleware",
    "csp.middleware.CSPMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "recitant_web.shared.turns.Turns",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "recitant_web.accounts.middleware.SignedIn",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "recitant_web.shared.middleware.CoreErrors",
    "axes.middleware.AxesMiddleware",
]
SESSION_ENGINE = "recitant_web.accounts.sessions"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]

# Who guesses passwords waits: by name and address together, so that nobody can lock somebody else out from afar.
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = timedelta(minutes=15)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_LOCKOUT_TEMPLATE = "accounts/locked.html"
AXES_CLIENT_IP_CALLABLE = "recitant_web.accounts.queries.address_of"
AXES_RESET_ON_SUCCESS = True
AXES_ENABLE_ADMIN = False
AXES_VERBOSE = False

# Scripts, styles, fonts and sounds are ours alone; nothing inline, nothing from elsewhere, no frames.
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "img-src": [SELF, "data:"],  # signs of Bootstrap's styles
        "media-src": [SELF, "blob:"],
        "object-src": [NONE],
        "base-uri": [NONE],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}
ROOT_URLCONF = "recitant_web.config.urls"
WSGI_APPLICATION = "recitant_web.config.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [BASE_DIR / "src" / "recitant_web" / "templates"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ]
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "recitant_web.shared.database",
        "NAME": "recitant",
        "USER": "recitant",
        "PASSWORD": os.environ.get("RECITANT_DB_PASSWORD", ""),
        "HOST": os.environ.get("RECITANT_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("RECITANT_DB_PORT", "3306"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {
            "charset": "utf8mb4",
            "sql_mode": "STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION",
            "isolation_level": "read committed",
        },
        "TEST": {"CHARSET": "utf8mb4", "COLLATION": "utf8mb4_bin"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "programmes"
LOGOUT_REDIRECT_URL = "sign-in"

LANGUAGE_CODE = "en"
TIME_ZONE = "UTC"
USE_TZ = True

STATIC_URL = "static/"
STATIC_ROOT = VAR_DIR / "static"
STATICFILES_DIRS = [BASE_DIR / "src" / "recitant_web" / "static"]
# Only our own files are served; what packages bring along is neither used nor hashed.
STATICFILES_FINDERS = ["django.contrib.staticfiles.finders.FileSystemFinder"]
STORAGES: dict[str, dict[str, Any]] = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "recitant_web.shared.storage.HashedModules"},
}
MEDIA_ROOT = VAR_DIR / "media"
# Where several machines share media: s3://bucket/folder, at an address of its own where it is not Amazon's.
MEDIA_STORE = os.environ.get("RECITANT_MEDIA_STORE", "")
if MEDIA_STORE:
    _store = urlsplit(MEDIA_STORE)
    if _store.scheme != "s3" or not _store.netloc:
        raise ImproperlyConfigured("RECITANT_MEDIA_STORE must be s3:// with a bucket, and may go on with a folder.")
    STORAGES["media"] = {
        "BACKEND": "storages.backends.s3.S3Storage",
        "OPTIONS": {
            "bucket_name": _store.netloc,
            "location": _store.path.strip("/"),
            "endpoint_url": os.environ.get("RECITANT_MEDIA_ENDPOINT") or None,
            "max_memory_size": 8 << 20,  # what is read goes through a file from there on
        },
    }
# How much of a shared store this machine keeps copies of; 0 for all that it ever needed.
MEDIA_COPIES_BYTES = int(float(os.environ.get("RECITANT_MEDIA_COPIES_GB", "0")) * 1e9)
FILE_UPLOAD_MAX_MEMORY_SIZE = 1 << 20
FILE_UPLOAD_TEMP_DIR = VAR_DIR / "uploads"
DATA_UPLOAD_MAX_MEMORY_SIZE = 1 << 20

_REDIS_PASSWORD = os.environ.get("RECITANT_REDIS_PASSWORD", "")
_REDIS_AT = f"{os.environ.get('RECITANT_REDIS_HOST', '127.0.0.1')}:{os.environ.get('RECITANT_REDIS_PORT', '6379')}"
REDIS_URL = f"redis://:{_REDIS_PASSWORD}@{_REDIS_AT}/0"
CELERY_BROKER_URL = REDIS_URL
# Tasks say what came of them in rows; only parts of a chord say to the queue that they are over.
CELERY_RESULT_BACKEND = REDIS_URL
CELERY_TASK_IGNORE_RESULT = True
CELERY_RESULT_EXPIRES = 3600
# Seconds of a programme that a worker renders at a time, where several share the rendering of a delivery; 0 for none.
SPREAD_S = float(os.environ.get("RECITANT_SPREAD_S", "0"))
# Which worker takes a job, and how urgent it is beside others of its queue: 0 where somebody waits at a page.
CELERY_TASK_ROUTES = {
    "jobs.look_after": {"queue": "intake", "priority": 0},
    "programmes.sweep": {"queue": "intake", "priority": 9},
    "programme.ingest": {"queue": "intake", "priority": 3},
    "desk.vary": {"queue": "measuring", "priority": 0},
    "desk.first_balance": {"queue": "measuring", "priority": 0},
    "desk.examine": {"queue": "measuring", "priority": 3},
    "programme.listen": {"queue": "measuring", "priority": 6},
    # A worker of its own: who hands over waits for no transcription.
    "delivery.deliver": {"queue": "delivering", "priority": 0},
    "delivery.part": {"queue": "delivering", "priority": 0},
    "delivery.finish": {"queue": "delivering", "priority": 0},
    "transcript.hear": {"queue": "long", "priority": 3},
    "listening.words": {"queue": "long", "priority": 3},
    "programme.lighten": {"queue": "long", "priority": 6},
}
CELERY_BEAT_SCHEDULE = {
    # A look that comes late is worth nothing beside the next one.
    "look after jobs": {"task": "jobs.look_after", "schedule": 10.0, "options": {"expires": 10.0}},
    "sweep": {"task": "programmes.sweep", "schedule": 3600.0, "options": {"expires": 3600.0}},
}
CELERY_TASK_ACKS_LATE = True
CELERY_TASK_REJECT_ON_WORKER_LOST = True
CELERY_WORKER_PREFETCH_MULTIPLIER = 1
CELERY_BROKER_TRANSPORT_OPTIONS = {
    "visibility_timeout": 6 * 3600,
    "queue_order_strategy": "priority",
    # Who waits at a page does not wait for a queue that is away: the job is sent again later.
    "socket_connect_timeout": 1.0,
}
# A worker that loses the queue ends and is started anew: after a reconnection it may take no work, and say nothing.
CELERY_BROKER_CONNECTION_RETRY = False
CELERY_TASK_IGNORE_RESULT = True
CELERY_BROKER_CONNECTION_RETRY_ON_STARTUP = True
CELERY_WORKER_HIJACK_ROOT_LOGGER = False

SECURE_CONTENT_TYPE_NOSNIFF = True
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_REFERRER_POLICY = "same-origin"

# Lines for people, or with RECITANT_LOG=json objects for machines; both with the number of the request.
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {
        "request": {"()": "recitant_web.shared.watching.RequestNumber"},
        "without traceback": {"()": "recitant_web.shared.watching.WithoutTraceback"},
    },
    "formatters": {
        "plain": {"format": "%(asctime)s %(levelname)s %(name)s [%(request_id)s] %(message)s"},
        "json": {
            "()": "pythonjsonlogger.json.JsonFormatter",
            "format": "%(asctime)s %(levelname)s %(name)s %(request_id)s %(message)s",
        },
    },
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "filters": ["request", "without traceback"],
            "formatter": "json" if os.environ.get("RECITANT_LOG") == "json" else "plain",
        }
    },
    "root": {"handlers": ["console"], "level": "INFO"},
}

# What one workspace may take up; 0 for no limit. Gigabytes of files as they were brought in, jobs that wait or work,
# deliveries among them, and files that are being sent.
WORKSPACE_GB = float(os.environ.get("RECITANT_WORKSPACE_GB", "0"))
WORKSPACE_JOBS = int(os.environ.get("RECITANT_WORKSPACE_JOBS", "2000"))
WORKSPACE_DELIVERIES = int(os.environ.get("RECITANT_WORKSPACE_DELIVERIES", "200"))
WORKSPACE_UPLOADS = int(os.environ.get("RECITANT_WORKSPACE_UPLOADS", "1000"))

DELETED_KEPT = timedelta(days=30)
"""How long a deleted programme can be brought back."""
