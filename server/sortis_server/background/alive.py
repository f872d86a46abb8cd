"""Workers tell that they live; what one had begun that is gone for good, another one ends.

A machine may lose its power and never come back, and no other can see that but by its silence.
"""

import logging
import time
from datetime import timedelta
from threading import Event, Thread

from django.db import connection
from django.db.models import DateTimeField, Func, QuerySet
from django_tasks_db.models import DBTaskResult

from sortis_server.background.left import take_up
from sortis_server.background.models import WorkerSeen

EVERY_SECONDS = 5.0
GONE_SECONDS = 60.0
"""Far longer than a long computation keeps a worker from telling."""
KEPT = timedelta(days=1)
log = logging.getLogger(__name__)


class UtcNow(Func):
    """The database's clock."""

    template = "UTC_TIMESTAMP(6)"
    output_field = DateTimeField()


def tell_alive(name: str) -> None:
    """Say that a worker of this name lives."""
    now = UtcNow()
    WorkerSeen.objects.update_or_create(name=name, defaults={"seen_at": now})


def tell_over(name: str) -> None:
    """Say that it ended of itself."""
    WorkerSeen.objects.filter(name=name).delete()


def alive() -> QuerySet[WorkerSeen]:
    """All that told it lately."""
    return WorkerSeen.objects.filter(seen_at__gt=UtcNow() - timedelta(seconds=GONE_SECONDS))


def take_up_from_gone() -> int:
    """Let go on what workers had begun that are silent for long.

    :returns: how many tasks go on.
    """
    there = set(alive().values_list("name", flat=True))
    going_on = 0
    for left in DBTaskResult.objects.running():
        worker = (left.worker_ids or [""])[-1]
        if worker not in there:
            going_on += take_up(left, worker)
    WorkerSeen.objects.filter(seen_at__lt=UtcNow() - KEPT).delete()
    return going_on


def keep_telling(name: str, over: Event) -> Thread:
    """Do so beside whatever else the worker does, until it is over."""
    tell_alive(name)

    def telling() -> None:
        # Whoever was away from the database itself has heard nobody: all others seem gone to it.
        since = time.monotonic()
        while not over.wait(EVERY_SECONDS):
            try:
                tell_alive(name)
                if time.monotonic() - since > GONE_SECONDS and (count := take_up_from_gone()):
                    log.warning("taken up from workers that are gone: %d tasks", count)
            except Exception:
                # Whatever it was: one that ceased to tell would be taken for gone while it works.
                log.exception("it cannot be told that this worker lives")
                since = time.monotonic()
            finally:
                connection.close()

    thread = Thread(target=telling, daemon=True)
    thread.start()
    return thread
