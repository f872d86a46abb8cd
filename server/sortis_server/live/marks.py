"""Marks of what a screen shows: whoever finds one changed asks for that thing again.

A mark is made of the highest numbers of what is only ever added, and of counts by state; nothing
has to remember to tell of a change, so that none is forgotten. They are cheap, and shared by all
who ask within a second.
"""

from datetime import timedelta
from threading import Lock

from cachetools import TTLCache, cached
from django.db.models import Count, Max, Model, QuerySet, Sum
from django.utils import timezone

from sortis_server.arrive.models import ExtraCount, ScanNote, Unit
from sortis_server.day.models import DayPlanRow
from sortis_server.decide.models import CustomerOrder, PinChange, PlanRow
from sortis_server.inspect.models import Hazard, Inspection, Photo
from sortis_server.live.models import Here
from sortis_server.orders.models import Reservation, StepLog, WorkOrderRow
from sortis_server.people.models import Person
from sortis_server.release.models import GateSignature, GateWaiver, Release
from sortis_server.sell.models import Sale, SaleStep
from sortis_server.stock.models import Act, Movement, Purchase

SHARED_SECONDS = 1.0
SEEN_FOR = timedelta(seconds=20)
"""A person who was not heard of for so long is not on the unit any more."""
TOLD_AGAIN = timedelta(seconds=8)
"""A person who stays where they are is written down so often."""


def _last(rows: QuerySet) -> int:
    return rows.aggregate(last=Max("pk"))["last"] or 0


def _of(*parts: object) -> str:
    return ".".join(str(part) for part in parts)


@cached(TTLCache(1024, SHARED_SECONDS), lock=Lock())
def batch_mark(slug: str) -> str:
    """Of the stages of a batch and everything that was seen, planned and done in it."""
    units = Unit.objects.filter(batch__slug=slug)
    stages = units.values_list("stage", "blocked").annotate(n=Count("pk")).order_by("stage")
    counted = _of(*(f"{stage}{'!' if blocked else ''}{n}" for stage, blocked, n in stages))
    numbers = units.aggregate(looks=Sum("inspection_number"))["looks"] or 0
    steps = StepLog.objects.filter(order__unit__batch__slug=slug)
    orders = WorkOrderRow.objects.filter(unit__batch__slug=slug)
    plans = PlanRow.objects.filter(batch__slug=slug)
    newest = plans.order_by("-pk").values_list("pk", "state").first() or ()
    others = [
        ScanNote.objects.filter(batch__slug=slug),
        ExtraCount.objects.filter(batch__slug=slug),
        CustomerOrder.objects.filter(batch__slug=slug),
        PinChange.objects.filter(unit__batch__slug=slug),
    ]
    return _of(counted, numbers, _last(steps), _last(orders), *newest, *map(_last, others))


@cached(TTLCache(4, SHARED_SECONDS), key=lambda: "stock", lock=Lock())
def stock_mark() -> str:
    """Of what lies in the store, is promised, and is on its way."""
    states = Purchase.objects.values_list("state").annotate(n=Count("pk")).order_by("state")
    known: list[type[Model]] = [Movement, Reservation, Act, Purchase]
    return _of(*(_last(model.objects.all()) for model in known), *(f"{s}{n}" for s, n in states))


@cached(TTLCache(4, SHARED_SECONDS), key=lambda: "day", lock=Lock())
def day_mark() -> str:
    """Of the plan of the day and what was done at the benches."""
    known: list[type[Model]] = [DayPlanRow, StepLog, WorkOrderRow, Hazard]
    return _of(*(_last(model.objects.all()) for model in known))


@cached(TTLCache(4, SHARED_SECONDS), key=lambda: "shelf", lock=Lock())
def shelf_mark() -> str:
    """Of what stands to be sold and what goes out."""
    known: list[type[Model]] = [Release, Sale, SaleStep]
    return _of(*(_last(model.objects.all()) for model in known))


def unit_mark(tag: str) -> tuple[str, str, str]:
    """Of one unit; with who looked at it last and when (ISO 8601), empty where nobody did."""
    unit = (
        Unit.objects.filter(tag=tag).values("pk", "stage", "inspection_number", "blocked").first()
    )
    if unit is None:
        return "", "", ""
    pk = unit["pk"]
    order = (
        WorkOrderRow.objects.filter(unit=pk).order_by("-pk").values_list("pk", "version").first()
    )
    known: list[type[Model]] = [GateSignature, GateWaiver, Release, Hazard, Photo, Sale]
    newest = Inspection.objects.filter(unit=pk).order_by("-number").select_related("by").first()
    mark = _of(*unit.values(), *(order or ()), *(_last(m.objects.filter(unit=pk)) for m in known))
    return mark, newest.by.name if newest else "", newest.at.isoformat() if newest else ""


def stand_at(person: Person, tag: str) -> list[str]:
    """Write down which unit a person has open; the names of others who have it open, too."""
    now = timezone.now()
    row = Here.objects.filter(person=person).first()
    if row is None or row.tag != tag or now - row.at > TOLD_AGAIN:
        Here.objects.update_or_create(person=person, defaults={"tag": tag, "at": now})
    if not tag:
        return []
    others = Here.objects.filter(tag=tag, at__gt=now - SEEN_FOR).exclude(person=person)
    return sorted(others.values_list("person__name", flat=True))
