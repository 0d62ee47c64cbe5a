"""Whether the application lives and can work: for the start command, proxies and whoever watches a machine."""

import contextlib
from typing import Final

import redis
from django.conf import settings
from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_safe

_ANSWERS_WITHIN_S: Final = 1.0


@require_safe
def health(request: HttpRequest) -> HttpResponse:  # noqa: ARG001  Django passes it
    """200 as long as the process answers, whatever else is away."""
    return HttpResponse("ok\n", content_type="text/plain")


@require_safe
def ready(request: HttpRequest) -> HttpResponse:  # noqa: ARG001  Django passes it
    """200 where pages and edits work; 503 without the database. Without the queue they do, and jobs wait."""
    found = {"database": _has_database(), "queue": _has_queue()}
    return JsonResponse(found, status=200 if found["database"] else 503)


def _has_database() -> bool:
    with contextlib.suppress(DatabaseError), connection.cursor() as cursor:
        cursor.execute("SELECT 1")
        return True
    return False


def _has_queue() -> bool:
    limits = {"socket_connect_timeout": _ANSWERS_WITHIN_S, "socket_timeout": _ANSWERS_WITHIN_S}
    with contextlib.suppress(redis.RedisError), redis.Redis.from_url(settings.REDIS_URL, **limits) as client:
        return bool(client.ping())
    return False
