"""Recorded times of steps, and the pace that the core learns from them."""

from collections.abc import Iterable
from threading import Lock

from cachetools import LRUCache
from django.db.models import Max

from sortis_core.route.pace import Pace, RecordedTime, learn_pace
from sortis_core.vocabulary.states import LogWhat
from sortis_server.orders.models import StepLog

TICKED_ALONG = 0.1
"""Below this share of the sheet's figure a step was ticked along with another."""
NEWEST = 4000
"""Lines of the log that a pace is learned from."""
_paces: LRUCache[tuple[str, int], Pace] = LRUCache(64)
_lock = Lock()


def recorded_times(sheet: str) -> list[RecordedTime]:
    """Times of all steps of a model's units; what was taken back does not count."""
    lines = (
        StepLog.objects.filter(order__unit__sheet_key=sheet, what__in=(LogWhat.DONE, LogWhat.BACK))
        .order_by("-pk")
        .values_list("order_id", "what", "key", "seconds", "sheet_minutes", "by__username")
    )[:NEWEST]
    counted: dict[tuple[int, str], RecordedTime] = {}
    for order, what, key, seconds, minutes, person in reversed(lines):
        counted.pop((order, key), None)
        if what != LogWhat.DONE or seconds is None or not minutes:
            continue
        # Two steps ticked in one go: the second took no time of its own and teaches nothing.
        if seconds / 60 >= minutes * TICKED_ALONG:
            counted[order, key] = RecordedTime(
                key=key, person=person, minutes=seconds / 60, sheet_minutes=minutes
            )
    return list(counted.values())


def pace_of(sheet: str) -> Pace:
    """What everybody's recorded times say of a model; kept until somebody ticks a step of it."""
    return paces_of([sheet])[sheet]


def paces_of(sheets: Iterable[str]) -> dict[str, Pace]:
    """The same for several models at once."""
    wanted = list(sheets)
    newest = dict(
        StepLog.objects.filter(order__unit__sheet_key__in=wanted)
        .values_list("order__unit__sheet_key")
        .annotate(last=Max("pk"))
    )
    found: dict[str, Pace] = {}
    for sheet in wanted:
        key = (sheet, newest.get(sheet, 0))
        with _lock:
            known = _paces.get(key)
        if known is None:
            known = learn_pace(recorded_times(sheet)) if key[1] else Pace()
            with _lock:
                _paces[key] = known
        found[sheet] = known
    return found
