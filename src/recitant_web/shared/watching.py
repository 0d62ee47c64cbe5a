"""What the application tells of itself: the number of its request in every line of the log, figures for Prometheus."""

import hmac
import logging
import re
import time
import uuid
from collections.abc import Callable, Iterable
from contextvars import ContextVar
from typing import Final

import prometheus_client
from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_safe
from prometheus_client.core import REGISTRY, GaugeMetricFamily, Metric
from prometheus_client.registry import Collector

from recitant_web.shared.caches import cache_sizes

_NUMBER: Final = re.compile(r"[A-Za-z0-9-]{8,64}")
_METHODS: Final = ("GET", "HEAD", "POST", "PUT", "DELETE")
_request_id: ContextVar[str] = ContextVar("request_id", default="-")
_REQUESTS: Final = prometheus_client.Histogram(
    "recitant_requests_seconds",
    "Time to answer, by view, method and status",
    ["view", "method", "status"],
    buckets=(0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0, 30.0),
)


class RequestNumber(logging.Filter):
    """Gives each line of the log the number of the request that it belongs to."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Always true; the number stands in the record."""
        record.request_id = _request_id.get()
        return True


class WithoutTraceback(logging.Filter):
    """Takes the traceback from lines about requests that were wrong: they are no fault of ours."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Always true."""
        status = getattr(record, "status_code", None)
        if record.name.startswith("django.security") or (isinstance(status, int) and 400 <= status < 500):
            record.exc_info = None
            record.exc_text = None
        return True


class Watching:
    """Numbers requests, as the proxy did where there is one, and measures them."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass on; the number comes back in the answer too."""
        given = request.headers.get("X-Request-ID", "")
        number = given if _NUMBER.fullmatch(given) else uuid.uuid4().hex
        token = _request_id.set(number)
        began = time.perf_counter()
        try:
            response = self.get_response(request)
        finally:
            _request_id.reset(token)
        response["X-Request-ID"] = number
        match = request.resolver_match
        view = (match.view_name or "") if match else "none"
        # Strangers choose methods: each new one would be a line of figures more.
        method = request.method if request.method in _METHODS else "other"
        _REQUESTS.labels(view, method, response.status_code).observe(time.perf_counter() - began)
        return response


class _Caches(Collector):
    def collect(self) -> Iterable[Metric]:
        """Bytes that each cache of this process holds."""
        family = GaugeMetricFamily("recitant_cache_bytes", "What a cache holds", labels=["cache"])
        for name, size in cache_sizes().items():
            family.add_metric([name], size)
        return [family]


REGISTRY.register(_Caches())


@require_safe
def metrics(request: HttpRequest) -> HttpResponse:
    """Figures for Prometheus: with the token of the settings, or asked for on this machine beside any proxy."""
    if not _may_see(request):
        return HttpResponse(status=403)
    return HttpResponse(prometheus_client.generate_latest(), content_type=prometheus_client.CONTENT_TYPE_LATEST)


def _may_see(request: HttpRequest) -> bool:
    if settings.METRICS_TOKEN:
        given = request.headers.get("Authorization", "").removeprefix("Bearer ")
        return hmac.compare_digest(given.encode(), settings.METRICS_TOKEN.encode())
    return request.META.get("REMOTE_ADDR") in ("127.0.0.1", "::1") and "X-Forwarded-For" not in request.headers
