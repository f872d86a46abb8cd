"""The day at the benches."""

from datetime import date, datetime, timedelta
from typing import Annotated

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Query, Router
from pydantic import BaseModel, Field

from sortis_core.base import SortisError
from sortis_core.day import DayCase, DayPin, DayPlan, Moved, Waits, what_moved
from sortis_core.day.case import DAY_MINUTES
from sortis_core.day.plan import DayProof
from sortis_core.documents import read_document
from sortis_core.options import OutcomeKind
from sortis_core.route.minutes import Skill
from sortis_core.surprise import Advice
from sortis_core.vocabulary.states import Role
from sortis_server.day.calendar import day_calendar
from sortis_server.day.cards import cards_pdf
from sortis_server.day.models import DayPlanRow
from sortis_server.day.services import (
    day_case,
    keep_day,
    newest_day,
    out_of_reach,
    set_hours,
    standing_slots,
    try_day,
)
from sortis_server.fit.views import order_lines, work_view
from sortis_server.orders.models import SurpriseRow, WorkOrderRow
from sortis_server.people.models import Person
from sortis_server.people.roles import by, signed_in
from sortis_server.problems import NotThere
from sortis_server.workshop.models import Benches, BenchHours

AHEAD = Query(ge=0, le=3_650)
router = Router(tags=["day"])


class PlannedOrder(BaseModel):
    """One order in the plan of the days."""

    tag: str
    model: str
    batch: str
    what: str
    standard: str
    """What it becomes; empty where it is taken apart or only closed."""
    technician: str
    bench: int
    day: date
    start: int
    """Minutes of the day."""
    end: int
    late: bool
    begun: bool
    put: bool
    """Put there by hand."""


class WorkStretch(BaseModel):
    """A stretch in which somebody works."""

    day: date
    start: int
    end: int
    key: int
    """What a pin calls it."""


class AtBenches(BaseModel):
    """One person of the plan."""

    key: str
    name: str
    skills: list[Skill]
    speed: float
    stretches: list[WorkStretch]


class DayView(BaseModel):
    """The plan that people go by, or one that is only tried."""

    number: int
    """0 for one that is not kept."""
    made_by: str
    made_at: datetime | None
    benches: int
    days: list[date]
    people: list[AtBenches]
    orders: list[PlannedOrder]
    waits: list[Waits]
    late: int
    minutes: int
    ends: dict[str, int]
    """Day -> minute at which its last order ends."""
    proofs: list[DayProof]
    gap_percent: float
    pins: list[DayPin]
    moved: list[Moved]
    """Against the plan that people go by."""
    stale: str
    """Why it should be planned again; empty where it stands."""


class Pins(BaseModel):
    """Orders put by hand; none given means as they stand."""

    pins: list[DayPin] | None = Field(default=None, max_length=500)
    seen: int | None = None
    """Number of the plan that the screen showed."""


class HoursView(BaseModel):
    """When somebody works at a bench in an ordinary week."""

    username: str
    name: str
    skills: list[Skill]
    hours: dict[int, list[list[int]]]
    """Weekday from Monday, 0 to 6 -> stretches in minutes of the day."""
    version: int


class WorkshopHours(BaseModel):
    """Benches and everybody's hours."""

    benches: int
    people: list[HoursView]


class HoursGiven(BaseModel):
    """Hours as they are to be."""

    skills: list[Skill]
    hours: dict[int, list[tuple[int, int]]] = Field(max_length=7)
    version: int


class BenchCount(BaseModel):
    """How many benches there are."""

    count: int = Field(ge=1, le=50)


def _now() -> datetime:
    return timezone.localtime()


def _view(
    case: DayCase, plan: DayPlan, row: DayPlanRow | None, moved: tuple[Moved, ...]
) -> DayView:
    tags = [slot.tag for slot in plan.slots]
    rows = WorkOrderRow.objects.filter(unit__tag__in=tags, state="open").select_related(
        "unit__batch", "outcome", "worker"
    )
    orders = list(rows)
    lines = {line.tag: line for line in order_lines(orders)}
    batches = {order.unit.tag: order.unit.batch.slug for order in orders}
    put = {pin.tag for pin in case.pins}
    planned: list[PlannedOrder] = []
    ends: dict[str, int] = {}
    for slot in plan.slots:
        line = lines.get(slot.tag)
        day = case.day_of(slot.start)
        ends[day.isoformat()] = max(ends.get(day.isoformat(), 0), slot.end % DAY_MINUTES)
        planned.append(
            PlannedOrder(
                tag=slot.tag,
                model=line.model if line else "",
                batch=batches.get(slot.tag, ""),
                what=_what(line.outcome, line.standard) if line else "done",
                standard=line.standard if line else "",
                technician=slot.technician,
                bench=slot.bench,
                day=day,
                start=slot.start % DAY_MINUTES,
                end=slot.end % DAY_MINUTES,
                late=slot.tag in plan.late,
                begun=bool(line and line.done_steps),
                put=slot.tag in put,
            )
        )
    return DayView(
        number=row.pk if row else 0,
        made_by=row.by.name if row else "",
        made_at=row.at if row else None,
        benches=case.benches,
        days=sorted({case.day_of(f.start) for t in case.technicians for f in t.free}),
        people=[
            AtBenches(
                key=one.key,
                name=one.name,
                skills=list(one.skills),
                speed=one.speed,
                stretches=[
                    WorkStretch(
                        day=case.day_of(free.start),
                        start=free.start % DAY_MINUTES,
                        end=free.end - free.start + free.start % DAY_MINUTES,
                        key=free.start,
                    )
                    for free in one.free
                ],
            )
            for one in case.technicians
        ],
        orders=planned,
        waits=out_of_reach(case, plan),
        late=len(plan.late),
        minutes=sum(slot.end - slot.start for slot in plan.slots),
        ends=ends,
        proofs=list(plan.proofs),
        gap_percent=plan.gap_percent,
        pins=list(case.pins),
        moved=list(moved),
        stale="",
    )


def _what(outcome: OutcomeKind, standard: str) -> str:
    return (
        "take apart"
        if outcome is OutcomeKind.DONOR
        else f"fit to {standard}"
        if standard
        else "close"
    )


@router.get("/day", response=DayView)
def day(request: HttpRequest):
    """The plan that people go by; tried at once where there is none yet."""
    row = newest_day()
    if row is None:
        case, plan = try_day(_now(), None)
        return _view(case, plan, None, ())
    case, plan = read_document(DayCase, row.case), read_document(DayPlan, row.plan)
    view = _view(case, plan, row, ())
    view.stale = _stale(case, row)
    return view


def _stale(case: DayCase, row: DayPlanRow) -> str:
    """What has changed since the plan was made, in words; orders that are done change nothing."""
    now = _now()
    if case.first_day != now.date():
        return f"It was made on {case.first_day:%d %B}. Plan again; what stands changes little."
    try:
        today = day_case(now, ())
    except SortisError as refusal:
        return refusal.sentence
    known = {job.tag for job in case.jobs}
    open_now = {job.tag for job in today.jobs}
    new = len(open_now - known)
    surprises = SurpriseRow.objects.filter(at__gt=row.at).exclude(advice=Advice.GO_ON).count()
    said = [f"{new} new" if new else "", f"{surprises} not as written" if surprises else ""]
    changed = " and ".join(words for words in said if words)
    return (
        f"Since it was made: {changed}. Plan again; what stands changes little." if changed else ""
    )


@router.post(
    "/day/try", response=DayView, auth=by((Role.PLANNER, Role.TECHNICIAN), "Planning the day")
)
def tried(request: HttpRequest, given: Pins):
    """What a move by hand would do, without keeping it."""
    now = _now()
    case, plan = try_day(now, given.pins)
    return _view(case, plan, None, what_moved(standing_slots(newest_day(), now), plan.slots))


@router.post("/day", response=DayView, auth=by((Role.PLANNER, Role.TECHNICIAN), "Planning the day"))
def planned(request: HttpRequest, given: Pins):
    """Plan the days and let people go by it."""
    person = signed_in(request)
    now = _now()
    before = standing_slots(newest_day(), now)
    row = keep_day(now, given.pins, person, given.seen)
    case, plan = read_document(DayCase, row.case), read_document(DayPlan, row.plan)
    return _view(case, plan, row, what_moved(before, plan.slots))


def _kept() -> tuple[DayPlanRow, DayCase, DayPlan]:
    row = newest_day()
    if row is None:
        raise NotThere("No plan of the days is kept yet. Plan the day first.")
    return row, read_document(DayCase, row.case), read_document(DayPlan, row.plan)


@router.get("/day/day.json")
def day_document(request: HttpRequest):
    """Case and plan as the core reads and writes them."""
    row, _, _ = _kept()
    return {"case": row.case, "plan": row.plan}


@router.get("/day/day.ics")
def calendar(request: HttpRequest, technician: str = ""):
    """The days as iCalendar, of everybody or of one person."""
    row, case, plan = _kept()
    words = {
        order.tag: f"{order.model}, {order.what}" for order in _view(case, plan, row, ()).orders
    }
    answer = HttpResponse(
        day_calendar(case, plan, words, row.at, technician), content_type="text/calendar"
    )
    answer["Content-Disposition"] = 'attachment; filename="day.ics"'
    return answer


@router.get("/day/cards.pdf")
def cards(request: HttpRequest, technician: str = "", ahead: Annotated[int, AHEAD] = 0):
    """Job cards of one day, of everybody or of one person.

    :param ahead: days after the first one of the plan.
    """
    _, case, plan = _kept()
    wanted = case.first_day + timedelta(days=ahead)
    person: Person = request.user
    views = [
        work_view(order, person)
        for slot in plan.slots
        if case.day_of(slot.start) == wanted and technician in ("", slot.technician)
        for order in WorkOrderRow.objects.filter(unit__tag=slot.tag, state="open").select_related(
            "unit__batch", "outcome", "worker"
        )
    ]
    answer = HttpResponse(cards_pdf(views), content_type="application/pdf")
    answer["Content-Disposition"] = 'inline; filename="job-cards.pdf"'
    return answer


@router.get("/day/hours", response=WorkshopHours)
def hours(request: HttpRequest):
    """Benches, and the hours of everybody who works at one."""
    rows = {row.person_id: row for row in BenchHours.objects.all()}
    people = [p for p in Person.objects.order_by("name") if Role.TECHNICIAN in p.roles]
    benches = Benches.objects.first()
    return WorkshopHours(
        benches=benches.count if benches else 2,
        people=[
            HoursView(
                username=person.username,
                name=person.name,
                skills=rows[person.pk].skills if person.pk in rows else [],
                hours=rows[person.pk].hours if person.pk in rows else {},
                version=rows[person.pk].version if person.pk in rows else 0,
            )
            for person in people
        ],
    )


@router.put(
    "/day/hours/{username}", response=WorkshopHours, auth=by(Role.PLANNER, "Writing down hours")
)
def hours_set(request: HttpRequest, username: str, given: HoursGiven):
    """Write down when somebody works at a bench, and what they can do."""
    stretches = {day: [list(one) for one in found] for day, found in given.hours.items()}
    set_hours(username, given.skills, stretches, given.version)
    return hours(request)


@router.put("/day/benches", response=WorkshopHours, auth=by(Role.PLANNER, "Writing down benches"))
def benches_set(request: HttpRequest, given: BenchCount):
    """How many benches there are."""
    Benches.objects.update_or_create(pk=1, defaults={"count": given.count})
    return hours(request)
