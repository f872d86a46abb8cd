"""Make the case of the days from open work orders and people's hours, plan it, move by hand."""

from collections.abc import Iterable
from datetime import date, datetime, timedelta

from django.db import transaction

from sortis_core.base import SortisError
from sortis_core.day import (
    DayCase,
    DayJob,
    DayPin,
    DayPlan,
    FreeTime,
    Slot,
    Technician,
    Waits,
    plan_days,
)
from sortis_core.day.case import DAY_MINUTES
from sortis_core.documents import read_document
from sortis_core.route.minutes import Skill
from sortis_core.route.pace import RecordedTime, learn_pace, speed_of
from sortis_core.vocabulary.states import OrderState, Role
from sortis_server.day.models import DayPlanRow
from sortis_server.orders.models import WorkOrderRow
from sortis_server.orders.outcomes import decided_of
from sortis_server.orders.pace import recorded_times
from sortis_server.people.models import Person
from sortis_server.problems import NotThere, StaleVersion
from sortis_server.stock.services import expected_on
from sortis_server.workshop.models import Benches, BenchHours

DAYS_AHEAD = 7
"""Days that are looked at, working or not."""
LEAST_MINUTES = 15
"""What is left of a stretch begun already counts from here on."""


class DayRefused(SortisError):
    """The days cannot be planned so."""

    title = "The days were not planned"


def open_orders() -> list[WorkOrderRow]:
    """Work orders that are not done, of all batches."""
    return list(
        WorkOrderRow.objects.filter(state=OrderState.OPEN, unit__blocked=False)
        .select_related("unit__batch", "outcome", "worker")
        .prefetch_related("reservations__purchase__offer", "reservations__giver")
        .order_by("unit__tag")
    )


def day_case(now: datetime, pins: Iterable[DayPin], before: Iterable[Slot] = ()) -> DayCase:
    """The case of the days from now on.

    :param pins: who put what to whom; those of orders that are not open any more are dropped.
    :raises DayRefused: where nobody has hours at a bench.
    """
    orders = open_orders()
    technicians = _technicians(now, {order.unit.sheet_key for order in orders})
    if not technicians:
        raise DayRefused(
            "Nobody has hours at a bench in these days. Write down under People and hours who "
            "works when."
        )
    tags = {order.unit.tag for order in orders}
    keys = {technician.key for technician in technicians}
    kept = [pin for pin in pins if pin.tag in tags and pin.technician in {"", *keys}]
    benches = Benches.objects.first()
    return DayCase(
        first_day=now.date(),
        benches=benches.count if benches else 2,
        technicians=technicians,
        jobs=tuple(_job(order, now.date(), keys) for order in orders),
        pins=tuple({pin.tag: pin for pin in kept}.values()),
        before=tuple(slot for slot in before if slot.tag in tags and slot.technician in keys),
    )


def _technicians(now: datetime, sheets: set[str]) -> tuple[Technician, ...]:
    times: list[RecordedTime] = [time for sheet in sorted(sheets) for time in recorded_times(sheet)]
    pace = learn_pace(times)
    found: list[Technician] = []
    for row in BenchHours.objects.select_related("person").order_by("person__name"):
        free = _stretches(row.hours, now, row.person.away_until)
        if free and row.person.is_active and Role.TECHNICIAN in row.person.roles:
            found.append(
                Technician(
                    key=row.person.username,
                    name=row.person.name,
                    skills=tuple(Skill(skill) for skill in row.skills),
                    free=free,
                    speed=round(speed_of(times, pace, row.person.username), 2),
                )
            )
    return tuple(found)


def _stretches(
    hours: dict[str, list[list[int]]], now: datetime, away_until: date | None
) -> tuple[FreeTime, ...]:
    """Stretches of the days ahead; of one begun already what is left, of days away none."""
    passed = now.hour * 60 + now.minute
    found: list[FreeTime] = []
    for ahead in range(DAYS_AHEAD):
        day = now.date() + timedelta(days=ahead)
        if away_until and day <= away_until:
            continue
        weekday = day.weekday()
        for start, end in hours.get(str(weekday), []):
            begin = max(start, -(-passed // 5) * 5) if ahead == 0 else start
            if end - begin >= LEAST_MINUTES:
                found.append(
                    FreeTime(start=ahead * DAY_MINUTES + begin, end=ahead * DAY_MINUTES + end)
                )
    return tuple(found)


def _job(order: WorkOrderRow, today: date, people: set[str]) -> DayJob:
    decided = decided_of(order.outcome)
    left = sum(step["minutes"] for step in order.document["steps"][order.done_steps :])
    due = (order.unit.batch.due_on - today).days
    ready = 0
    givers: list[str] = []
    for row in order.reservations.all():
        if row.taken or row.lot_id:
            continue
        if row.purchase:
            days = max(0, (expected_on(row.purchase) - today).days)
            ready = max(ready, days * DAY_MINUTES if days else 0)
        elif row.giver:
            givers.append(row.giver.tag)
    skills = {one.skill for one in decided.skills} - {Skill.CLEANING}
    return DayJob(
        tag=order.unit.tag,
        sheet=order.unit.sheet_key,
        minutes=max(1.0, round(left, 1)),
        skills=tuple(sorted(skills)),
        ready=ready,
        # What is overdue is late whenever it is done; then any time is as good.
        due=(due + 1) * DAY_MINUTES if due >= 0 else None,
        after=tuple(dict.fromkeys(givers)),
        holder=order.worker.username if order.worker and order.worker.username in people else "",
    )


def newest_day() -> DayPlanRow | None:
    """The plan that people go by."""
    return DayPlanRow.objects.select_related("by").order_by("-pk").first()


def standing_slots(row: DayPlanRow | None, now: datetime) -> tuple[Slot, ...]:
    """Slots of the plan before, in minutes of the days from now on; what has passed is dropped."""
    if row is None:
        return ()
    case = read_document(DayCase, row.case)
    shift = (now.date() - case.first_day).days * DAY_MINUTES
    slots = read_document(DayPlan, row.plan).slots
    return tuple(
        slot.model_copy(update={"start": slot.start - shift, "end": slot.end - shift})
        for slot in slots
        if slot.start - shift >= 0
    )


def standing_pins(row: DayPlanRow | None, now: datetime) -> tuple[DayPin, ...]:
    """What was put by hand and still lies ahead."""
    if row is None:
        return ()
    case = read_document(DayCase, row.case)
    shift = (now.date() - case.first_day).days * DAY_MINUTES
    return tuple(
        pin if pin.stretch is None else pin.model_copy(update={"stretch": pin.stretch - shift})
        for pin in case.pins
        if pin.stretch is None or pin.stretch - shift >= 0
    )


def try_day(now: datetime, pins: list[DayPin] | None) -> tuple[DayCase, DayPlan]:
    """Plan the days without keeping it; hand-put orders as given, else as they stand."""
    before = newest_day()
    chosen = standing_pins(before, now) if pins is None else pins
    case = day_case(now, chosen, standing_slots(before, now))
    return case, plan_days(case)


def keep_day(
    now: datetime, pins: list[DayPin] | None, by: Person, seen: int | None = None
) -> DayPlanRow:
    """Plan the days and let people go by it.

    :param seen: the plan that the screen showed; None where nobody looked at one.
    :raises StaleVersion: where somebody else planned the days since.
    """
    newest = newest_day()
    if seen is not None and newest and newest.pk != seen:
        raise StaleVersion(
            f"{newest.by.name} planned the days meanwhile. Nothing of yours was kept; this screen "
            "now shows theirs. Move the order once more.",
            number=newest.pk,
        )
    case, plan = try_day(now, pins)
    return DayPlanRow.objects.create(
        case=case.model_dump(mode="json"), plan=plan.model_dump(mode="json"), by=by
    )


def set_hours(
    username: str, skills: list[Skill], hours: dict[int, list[list[int]]], version: int
) -> BenchHours:
    """Write down when somebody works at a bench.

    :raises NotThere: for an unknown person.
    :raises StaleVersion: where somebody else wrote them since.
    :raises DayRefused: where stretches of a day overlap or end before they begin.
    """
    person = Person.objects.filter(username=username).first()
    if person is None:
        raise NotThere(f"There is nobody called {username}.")
    for stretches in hours.values():
        last = 0
        for start, end in sorted(stretches):
            if not last <= start < end <= DAY_MINUTES:
                raise DayRefused(
                    "Stretches of a day begin before they end and do not overlap. Write them like "
                    "8:00 to 12:00 and 12:45 to 16:30."
                )
            last = end
    with transaction.atomic():
        row, made = BenchHours.objects.select_for_update().get_or_create(person=person)
        if not made and row.version != version:
            raise StaleVersion(
                f"The hours of {person.name} were written from another screen. This screen now "
                "shows them; yours were not kept.",
                version=row.version,
            )
        row.skills = [str(skill) for skill in skills]
        row.hours = {str(day): sorted(found) for day, found in hours.items() if found}
        row.version += 1
        row.save()
    return row


def out_of_reach(case: DayCase, plan: DayPlan) -> list[Waits]:
    """Orders that no day holds, blocked ones among them, with their reason."""
    blocked = WorkOrderRow.objects.filter(state=OrderState.OPEN, unit__blocked=True)
    return [
        *plan.waits,
        *(
            Waits(tag=row.unit.tag, reason="Blocked by a danger; no work until its record.")
            for row in blocked.select_related("unit")
        ),
    ]
