"""Jobs as figures for Prometheus: how many there are in each state, and how long the oldest one waits."""

from collections.abc import Iterable

from django.db import DatabaseError
from django.db.models import Count, Min
from django.utils import timezone
from prometheus_client.core import REGISTRY, GaugeMetricFamily, Metric
from prometheus_client.registry import Collector

from recitant_web.jobs.models import Job, JobState


class Jobs(Collector):
    """Counted when they are asked for."""

    def describe(self) -> Iterable[Metric]:
        """Nothing: the database is not asked before somebody wants to know."""
        return []

    def collect(self) -> Iterable[Metric]:
        """Jobs by kind and state, and the age of the oldest that waits by kind, in seconds."""
        counts = GaugeMetricFamily("recitant_jobs", "Jobs by kind and state", labels=["kind", "state"])
        ages = GaugeMetricFamily(
            "recitant_jobs_oldest_waiting_seconds", "Age of the oldest that waits", labels=["kind"]
        )
        try:
            for row in Job.objects.values("kind", "state").annotate(n=Count("pk")):
                counts.add_metric([row["kind"], row["state"]], row["n"])
            waiting = Job.objects.filter(state=JobState.WAITING).values("kind").annotate(first=Min("created_at"))
            for kind, first in waiting.values_list("kind", "first"):
                ages.add_metric([kind], (timezone.now() - first).total_seconds())
        except DatabaseError:
            return []  # the other figures are still worth having
        return [counts, ages]


REGISTRY.register(Jobs())
