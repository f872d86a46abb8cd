"""What a monitoring system reads: requests, tasks and units as figures (docs/running.md, Metrics).

In the open text format that such systems have in common. Told only to who holds the key of the
environment; neither tags nor names of people are in it.
"""

import os
from collections.abc import Iterator

from django.conf import settings
from django.db import connection
from django.db.models import Count, Min
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from django.utils.crypto import constant_time_compare
from django_tasks_db.models import DBTaskResult
from prometheus_client import CollectorRegistry, generate_latest
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.exposition import CONTENT_TYPE_PLAIN_0_0_4
from prometheus_client.multiprocess import MultiProcessCollector
from prometheus_client.registry import REGISTRY, Collector

from sortis_core.stages import Stage
from sortis_server.arrive.models import Unit
from sortis_server.background.alive import alive
from sortis_server.problems import problem


class Waiting(Collector):
    """What waits, as the database has it at the moment of asking."""

    def collect(self) -> Iterator[Metric]:
        """Units by stage, tasks by state, and how long the oldest task waits."""
        units = GaugeMetricFamily("sortis_units", "Units, by stage.", labels=["stage"])
        counted = dict(Unit.objects.values_list("stage").annotate(n=Count("pk")))
        for stage in Stage:
            units.add_metric([stage.value], counted.get(stage, 0))
        yield units
        blocked = Unit.objects.filter(blocked=True).count()
        yield GaugeMetricFamily("sortis_units_blocked", "Units with an open danger.", blocked)
        tasks = GaugeMetricFamily("sortis_tasks", "Tasks of the worker.", labels=["state"])
        for state, n in DBTaskResult.objects.values_list("status").annotate(n=Count("pk")):
            tasks.add_metric([str(state).lower()], n)
        yield tasks
        yield GaugeMetricFamily("sortis_workers", "Workers that live.", alive().count())
        first = DBTaskResult.objects.filter(status="READY").aggregate(at=Min("enqueued_at"))["at"]
        age = max(0.0, (timezone.now() - first).total_seconds()) if first else 0.0
        yield GaugeMetricFamily("sortis_oldest_task_seconds", "How long the oldest waits.", age)
        yield from self._standbys()

    @staticmethod
    def _standbys() -> Iterator[Metric]:
        with connection.cursor() as cursor:
            cursor.execute("SHOW GLOBAL STATUS LIKE 'Rpl_semi_sync_master_%%'", [])
            told = dict(cursor.fetchall())
        there = int(told.get("Rpl_semi_sync_master_clients", 0))
        yield GaugeMetricFamily("sortis_standbys", "Databases that follow.", there)
        confirms = there and told.get("Rpl_semi_sync_master_status") == "ON"
        yield GaugeMetricFamily(
            "sortis_standby_confirms", "Whether what is written waits for one.", int(confirms)
        )


def metrics(request: HttpRequest) -> HttpResponse:
    """All figures, to who sends the key as a bearer token."""
    if not settings.METRICS_KEY:
        return problem(
            404, "Not found", "Metrics are off here. SORTIS_METRICS_KEY switches them on."
        )
    sent = request.headers.get("Authorization", "")
    if not constant_time_compare(sent.encode(), f"Bearer {settings.METRICS_KEY}".encode()):
        return problem(401, "Who asks?", "Send SORTIS_METRICS_KEY as a bearer token.")
    registry = REGISTRY
    if "PROMETHEUS_MULTIPROC_DIR" in os.environ:
        registry = CollectorRegistry()
        MultiProcessCollector(registry)
    figures = CollectorRegistry()
    figures.register(Waiting())
    told = generate_latest(registry) + generate_latest(figures)
    return HttpResponse(told, content_type=CONTENT_TYPE_PLAIN_0_0_4)
