"""What the bench screen shows of a work order."""

from datetime import datetime

from django.db.models import prefetch_related_objects
from pydantic import BaseModel

from sortis_core.documents import read_document
from sortis_core.findings import Findings
from sortis_core.options import OutcomeKind
from sortis_core.plan.result import UnitOutcome
from sortis_core.route.pace import MinutesRange, learn_pace, range_of
from sortis_core.route.remains import remains_of
from sortis_core.route.work import WorkOrder
from sortis_core.sheets import Stream
from sortis_core.stages import Stage
from sortis_core.stock import DriveFacts
from sortis_core.strip import Strip, draw_strip
from sortis_core.surprise import Advice, KindChoice, choices
from sortis_core.vocabulary.states import OrderState
from sortis_core.workshop import Weight, told_weight
from sortis_server.arrive.models import Unit
from sortis_server.fit.fetching import AWAITED_BY, Fetch, awaited, fetches
from sortis_server.inspect.findings import newest_findings
from sortis_server.inspect.services import assess_unit, findings_of, sheet_of
from sortis_server.orders import clock
from sortis_server.orders.models import Reservation, WorkOrderRow
from sortis_server.orders.orders import actions_of
from sortis_server.orders.outcomes import decided_of
from sortis_server.orders.pace import recorded_times
from sortis_server.orders.parts import waiters
from sortis_server.people.models import Person
from sortis_server.stock.models import Movement
from sortis_server.workshop.services import newest_standards, part_kinds, workshop


class OrderLine(BaseModel):
    """A work order in the list."""

    tag: str
    model: str
    outcome: OutcomeKind
    standard: str
    steps: int
    done_steps: int
    minutes: float
    state: OrderState
    worker: str
    """Who has it at the bench; empty where nobody has."""
    waits_for: list[str]
    strip: Strip


class BenchClock(BaseModel):
    """The clock of the step in hand."""

    worker: str
    mine: bool
    running: bool
    seconds: float
    counts: bool
    """False where the time is no measure of the step."""
    since: datetime | None
    order_seconds: float
    """Of all steps done so far."""


class SurpriseNote(BaseModel):
    """A surprise that was noted, with the answer."""

    step: int
    advice: Advice
    sentence: str
    words: str
    by: str
    at: datetime


class Destination(BaseModel):
    """Where a part that comes out goes."""

    place: str
    label: str
    words: str


class Remaining(BaseModel):
    """What is left of a donor for one stream of the recycler."""

    stream: Stream
    weight: Weight


class WorkView(BaseModel):
    """One work order at the bench."""

    tag: str
    batch: str
    model: str
    outcome: UnitOutcome
    standard: str
    work: WorkOrder
    state: OrderState
    done_steps: int
    version: int
    words: str
    closing: bool
    """It only closes the unit, which then waits to be decided."""
    fetch: list[Fetch]
    found: Strip
    planned: Strip
    clock: BenchClock
    estimate: MinutesRange
    """Of the whole order, for whoever looks."""
    surprises: list[SurpriseNote]
    choices: list[KindChoice]
    """What can be told as not as written."""
    goes_to: list[Destination]
    stays_out: list[Destination]
    """What came out so far and does not go back: the ledger of what others borrow."""
    danger: str
    """Words of the caution where the unit is blocked; empty where it is not."""
    remains: list[Remaining]
    """What is left of a donor for the recycler."""


def _clock(order: WorkOrderRow, person: Person) -> BenchClock:
    spent = sum(seconds or 0 for seconds in order.log.values_list("seconds", flat=True))
    return BenchClock(
        worker=order.worker.name if order.worker else "",
        mine=order.worker_id == person.pk,
        running=order.clock_from is not None,
        seconds=clock.seconds(order),
        counts=order.clock_counts,
        since=order.begun_at,
        order_seconds=spent,
    )


def _goes_to(order: WorkOrderRow, work: WorkOrder) -> list[Destination]:
    """Where each part of the steps ahead goes: to who waits for it, else on which shelf."""
    kinds = part_kinds()
    waiting: dict[str, list[str]] = {}
    for row in waiters(order.unit).order_by("order__unit__tag", "place"):
        waiting.setdefault(row.kind.key, []).append(row.order.unit.tag)
    tried = "seen working" if findings_of(order.unit).starts else "to be tried"
    found: list[Destination] = []
    for action in actions_of(work.steps[order.done_steps :]):
        if not action.takes_out:
            continue
        kind = kinds[action.takes_out]
        takers = waiting.get(action.takes_out, [])
        drive = isinstance(kind.facts, DriveFacts)
        words = "drawer for sanitising" if drive else f"stock, {tried}"
        if takers:
            words = f"{takers.pop(0)}, {tried}"
        found.append(Destination(place=action.place, label=kind.label, words=words))
    return found


def _stays_out(order: WorkOrderRow, work: WorkOrder) -> list[Destination]:
    """Where each part that came out is: promised to another unit or in it, else in the store."""
    kinds = part_kinds()
    takers: dict[str, list[str]] = {}
    taken = Reservation.objects.filter(lot__out_of=order.unit).select_related("order__unit", "kind")
    if order.begun_at and not work.begun.done:
        # What it gave when it was opened before is no part of this order's ledger.
        now = Movement.objects.filter(unit=order.unit, change__gt=0, at__gte=order.begun_at)
        taken = taken.filter(lot__in=now.values("lot"))
    for row in taken.order_by("order__unit__tag", "place"):
        takers.setdefault(row.kind.key, []).append(f"for {row.order.unit.tag}")
    found: list[Destination] = []
    for action in (*work.begun.done, *actions_of(work.steps[: order.done_steps])):
        if action.takes_out:
            words = takers.get(action.takes_out) or ["to the store"]
            found.append(
                Destination(
                    place=action.place, label=kinds[action.takes_out].label, words=words.pop(0)
                )
            )
    return found


def work_view(order: WorkOrderRow, person: Person) -> WorkView:
    """Everything of one order, as this person sees it."""
    unit = order.unit
    sheet = sheet_of(unit)
    outcome = decided_of(order.outcome)
    standards = newest_standards()
    first = unit.inspections.filter(at__lte=order.outcome.plan.at).order_by("-number").first()
    now = findings_of(unit)
    # Opened again by the last check: what the plan decided is in it already.
    again = bool(order.words) and order.then is Stage.RELEASE
    found = read_document(Findings, first.findings) if first and not again else now
    kinds = part_kinds()
    work = read_document(WorkOrder, order.document)
    pace = learn_pace(recorded_times(sheet.key), person.username)
    steps = [
        (step.key, pace.minutes(step.key, step.sheet_minutes or step.minutes))
        for step in work.steps
    ]
    ahead = work.steps[order.done_steps :]
    is_open = order.state == OrderState.OPEN
    return WorkView(
        tag=unit.tag,
        batch=unit.batch.slug,
        model=sheet.name,
        outcome=outcome,
        standard=next((s.name for s in standards if s.key == outcome.standard), ""),
        work=work,
        state=order.state,
        done_steps=order.done_steps,
        version=order.version,
        words=order.words,
        closing=order.then is Stage.DECIDE,
        fetch=fetches(order, work),
        found=draw_strip(sheet, found, standards),
        planned=draw_strip(sheet, found, standards, kinds, () if again else outcome.actions),
        clock=_clock(order, person),
        estimate=range_of([("setup", sheet.route.setup_minutes), *steps], pace),
        surprises=[
            SurpriseNote(
                step=row.step,
                advice=row.advice,
                sentence=row.sentence,
                words=row.words,
                by=row.by.name,
                at=row.at,
            )
            for row in order.surprises.select_related("by").order_by("-pk")
        ],
        choices=list(choices(sheet, now, actions_of(ahead))) if is_open else [],
        goes_to=_goes_to(order, work) if is_open else [],
        stays_out=_stays_out(order, work),
        danger=assess_unit(unit, now).hazard_words if unit.blocked else "",
        remains=_remains(unit, work) if work.donor else [],
    )


def _remains(unit: Unit, work: WorkOrder) -> list[Remaining]:
    kinds = part_kinds()
    taken = [
        kinds[action.takes_out]
        for action in (*work.begun.done, *actions_of(work.steps))
        if action.takes_out
    ]
    weighing = workshop().weighing
    return [
        Remaining(stream=one.stream, weight=told_weight(one.grams, weighing))
        for one in remains_of(sheet_of(unit), findings_of(unit), taken)
    ]


def order_lines(rows: list[WorkOrderRow]) -> list[OrderLine]:
    """Open orders: begun first, then those whose parts are all there."""
    prefetch_related_objects(rows, *(f"reservations__{one}" for one in AWAITED_BY))
    names = {standard.key: standard.name for standard in newest_standards()}
    standards, kinds = newest_standards(), part_kinds()
    findings = newest_findings([row.unit for row in rows])
    lines: list[OrderLine] = []
    for row in rows:
        sheet = sheet_of(row.unit)
        decided = decided_of(row.outcome)
        lines.append(
            OrderLine(
                tag=row.unit.tag,
                model=sheet.name,
                outcome=decided.outcome,
                standard=names.get(decided.standard, ""),
                steps=len(row.document["steps"]),
                done_steps=row.done_steps,
                minutes=row.document["minutes"],
                state=row.state,
                worker=row.worker.name if row.worker else "",
                waits_for=awaited(row),
                strip=draw_strip(sheet, findings[row.unit_id], standards, kinds, decided.actions),
            )
        )
    return sorted(
        lines,
        key=lambda line: (
            not line.done_steps,
            bool(line.waits_for),
            line.outcome is not OutcomeKind.DONOR,
            line.tag,
        ),
    )
