"""Marks of what a screen shows: whoever finds one changed asks for that thing again.

A mark is made of the highest numbers of what is only ever added, of versions, and of counts by
state; nothing has to remember to tell of a change, so that none is forgotten, however late it is
committed. All who look on at once cost as few statements as one of them.
"""

from collections.abc import Collection, Sequence
from datetime import timedelta
from typing import NamedTuple

from django.db.models import Count, Max, Model, OuterRef, QuerySet, Subquery, Sum
from django.utils import timezone
from pydantic import BaseModel

from sortis_server.arrive.models import Batch, ExtraCount, ScanNote, Unit
from sortis_server.day.models import DayPlanRow
from sortis_server.decide.models import CustomerOrder, PinChange, PlanRow
from sortis_server.inspect.models import Hazard, Inspection, Photo
from sortis_server.live.models import LONGEST_TAG, Here
from sortis_server.orders.models import Reservation, StepLog, WorkOrderRow
from sortis_server.people.models import Person
from sortis_server.release.models import GateSignature, GateWaiver, Release
from sortis_server.sell.models import Sale, SaleStep
from sortis_server.stock.models import Act, Movement, Purchase

SEEN_FOR = timedelta(seconds=20)
"""A person who was not heard of for so long is not on the unit any more."""
TOLD_AGAIN = timedelta(seconds=8)
"""A person who stays where they are is written down so often."""

STOCK: tuple[type[Model], ...] = (Movement, Reservation, Act, Purchase)
DAY: tuple[type[Model], ...] = (DayPlanRow, StepLog, WorkOrderRow, Hazard)
SHELF: tuple[type[Model], ...] = (Release, Sale, SaleStep)
OF_A_BATCH: tuple[type[Model], ...] = (ScanNote, ExtraCount, CustomerOrder)
OF_A_UNIT: tuple[type[Model], ...] = (GateSignature, GateWaiver, Release, Hazard, Photo, Sale)


class Looker(NamedTuple):
    """Somebody, and what they have open; empty for none."""

    person: int
    batch: str
    tag: str


class Marks(BaseModel):
    """What changes as soon as anybody changes the thing; it says nothing else."""

    batch: str
    stock: str
    day: str
    shelf: str
    unit: str
    unit_by: str
    """Who looked at the unit last."""
    unit_at: str
    others: list[str]
    """Names of those who have the same unit open."""


class UnitSeen(NamedTuple):
    """The mark of one unit; who looked at it last and when (ISO 8601), empty where nobody did."""

    mark: str = ""
    by: str = ""
    at: str = ""


def _one(tag: str) -> str:
    """One and the same, however it was typed."""
    return tag.casefold()[:LONGEST_TAG]


def _of(*parts: object) -> str:
    return ".".join(str(part) for part in parts)


def _newest(rows: QuerySet, field: str = "pk") -> Subquery:
    return Subquery(rows.order_by("-pk").values(field)[:1])


def workshop_marks() -> dict[str, str]:
    """Of the store, the day and the shelf."""
    known = (*STOCK, *DAY, *SHELF)
    somebody = Person.objects.order_by("pk")
    last = somebody.values_list(*(_newest(model.objects.all()) for model in known)).first()
    numbers = dict(zip(known, last or (0,) * len(known), strict=True))
    states = Purchase.objects.values_list("state").annotate(n=Count("pk")).order_by("state")
    return {
        "stock": _of(*(numbers[model] for model in STOCK), *(f"{s}{n}" for s, n in states)),
        "day": _of(*(numbers[model] for model in DAY)),
        "shelf": _of(*(numbers[model] for model in SHELF)),
    }


def batch_marks(slugs: Collection[str]) -> dict[str, str]:
    """Of the stages of each batch and everything that was seen, planned and done in it."""
    if not slugs:
        return {}
    batches = Batch.objects.filter(slug__in=slugs)
    mine = OuterRef("pk")
    plans = PlanRow.objects.filter(batch=mine)
    newest = batches.values_list(
        "slug",
        _newest(plans),
        _newest(plans, "state"),
        _newest(PinChange.objects.filter(unit__batch=mine)),
        *(_newest(model.objects.filter(batch=mine)) for model in OF_A_BATCH),
    )
    parts: dict[str, list[object]] = {slug: list(last) for slug, *last in newest}
    stages = batches.values_list("slug", "units__stage", "units__blocked")
    counted = stages.annotate(n=Count("units"), looks=Sum("units__inspection_number"))
    for slug, stage, blocked, n, looks in counted.order_by("slug", "units__stage"):
        parts[slug].append(f"{stage}{'!' if blocked else ''}{n}:{looks}")
    # Whatever happens to an order gives it another version.
    orders = WorkOrderRow.objects.filter(unit__batch__slug__in=slugs)
    worked = orders.values_list("unit__batch__slug").annotate(
        last=Max("pk"), versions=Sum("version")
    )
    for slug, last, versions in worked.order_by():
        parts[slug] += [last, versions]
    return {slug: _of(*known) for slug, known in parts.items()}


def unit_marks(tags: Collection[str]) -> dict[str, UnitSeen]:
    """Of each unit that there is."""
    if not tags:
        return {}
    mine = OuterRef("pk")
    orders = WorkOrderRow.objects.filter(unit=mine)
    looks = Inspection.objects.filter(unit=mine, number=OuterRef("inspection_number"))
    rows = Unit.objects.filter(tag__in=tags).values_list(
        "tag",
        Subquery(looks.values("by__name")[:1]),
        Subquery(looks.values("at")[:1]),
        "pk",
        "stage",
        "inspection_number",
        "blocked",
        _newest(orders),
        _newest(orders, "version"),
        *(_newest(model.objects.filter(unit=mine)) for model in OF_A_UNIT),
    )
    return {
        _one(tag): UnitSeen(_of(*known), by or "", at.isoformat() if at else "")
        for tag, by, at, *known in rows
    }


def stand_at(lookers: Sequence[Looker]) -> dict[str, dict[int, str]]:
    """Write down which unit each person has open; for each, who has it open: number -> name.

    Of several things that one person has open the last counts.
    """
    now = timezone.now()
    there = {looker.person: _one(looker.tag) for looker in lookers}
    known = {row.person_id: row for row in Here.objects.filter(person__in=there)}
    told = [
        Here(person_id=person, tag=tag, at=now)
        for person, tag in there.items()
        if not (row := known.get(person)) or row.tag != tag or now - row.at > TOLD_AGAIN
    ]
    if told:
        Here.objects.bulk_create(told, update_conflicts=True, update_fields=["tag", "at"])
    found: dict[str, dict[int, str]] = {}
    if tags := set(there.values()) - {""}:
        rows = Here.objects.filter(tag__in=tags, at__gt=now - SEEN_FOR)
        for tag, person, name in rows.values_list("tag", "person", "person__name"):
            found.setdefault(_one(tag), {})[person] = name
    return found


def marks_for(lookers: Sequence[Looker]) -> list[Marks]:
    """What each of them is told, in their order."""
    workshop = workshop_marks()
    batches = batch_marks({looker.batch for looker in lookers if looker.batch})
    units = unit_marks({looker.tag for looker in lookers if looker.tag})
    here = stand_at(lookers)
    told: list[Marks] = []
    for looker in lookers:
        unit = units.get(_one(looker.tag), UnitSeen())
        others = here.get(_one(looker.tag), {})
        told.append(
            Marks(
                **workshop,
                batch=batches.get(looker.batch, ""),
                unit=unit.mark,
                unit_by=unit.by,
                unit_at=unit.at,
                others=sorted(name for person, name in others.items() if person != looker.person),
            )
        )
    return told
