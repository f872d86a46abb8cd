"""What waits today across all batches, what is on its way, what batches are expected to leave."""

from collections import defaultdict
from datetime import date

from django.db.models import Count, Max, Q, Sum
from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel

from sortis_core.day.today import (
    Doing,
    FirstStep,
    Next,
    StepTaken,
    Waiting,
    first_steps,
    next_for,
)
from sortis_core.stages import Stage
from sortis_core.stock import Condition
from sortis_core.vocabulary.states import PlanState, PurchaseState, Role
from sortis_server.arrive.models import Batch, Unit
from sortis_server.decide.models import PlanRow
from sortis_server.inspect.models import Hazard, Inspection
from sortis_server.orders.models import Outcome
from sortis_server.sheets.services import newest_sheets
from sortis_server.stock.models import Lot, Purchase
from sortis_server.stock.services import expected_on, kinds_below_least
from sortis_server.workshop.models import PartKindRow
from sortis_server.workshop.services import newest_standards

router = Router(tags=["day"])
COMING = 6
WAITS = {
    Stage.ARRIVE: Doing.COUNT,
    Stage.INSPECT: Doing.INSPECT,
    Stage.FIT: Doing.FIT,
    Stage.RELEASE: Doing.RELEASE,
}


class Coming(BaseModel):
    """Parts that are bought and not here."""

    due: date
    state: PurchaseState
    label: str
    count: int
    late: bool
    waiting: int
    """Work orders that wait for it."""


class BatchMoney(BaseModel):
    """What a batch was to cost and is expected to leave, by its approved outcomes."""

    slug: str
    spent_cents: int
    leaves_cents: int | None
    """None until something is approved."""
    released: int
    days_left: int


class Today(BaseModel):
    """The day of whoever signed in."""

    day: date
    dangers: int
    late: list[str]
    """Names of open batches past their due day."""
    next: list[Next]
    first_steps: list[StepTaken]
    coming: list[Coming]
    batches: list[BatchMoney]


def _taken(standards: int) -> set[FirstStep]:
    priced = {price.sheet for standard in newest_standards() for price in standard.prices}
    models = set(Unit.objects.values_list("sheet_key", flat=True).distinct())
    done = {
        FirstStep.STANDARD: standards > 0,
        FirstStep.KINDS: PartKindRow.objects.exists(),
        FirstStep.BATCH: Batch.objects.exists(),
        FirstStep.MANIFEST: bool(models),
        FirstStep.COUNTED: Unit.objects.exclude(stage=Stage.ARRIVE).exists(),
        FirstStep.INSPECTED: Inspection.objects.exists(),
        FirstStep.PRICE: bool(models) and models <= priced,
        FirstStep.APPROVED: PlanRow.objects.filter(state=PlanState.APPROVED).exists(),
    }
    return {step for step, is_done in done.items() if is_done}


def _waiting(batches: list[Batch], today: date) -> list[Waiting]:
    stages: dict[int, dict[str, int]] = defaultdict(dict)
    rows = Unit.objects.filter(batch__in=batches).values("batch", "stage").annotate(n=Count("pk"))
    for row in rows:
        stages[row["batch"]][row["stage"]] = row["n"]
    newest = dict(
        PlanRow.objects.filter(batch__in=batches, cause="")
        .values_list("batch")
        .annotate(last=Max("pk"))
    )
    solved = set(
        PlanRow.objects.filter(pk__in=newest.values(), state=PlanState.SOLVED).values_list(
            "batch_id", flat=True
        )
    )
    found: list[Waiting] = []
    for batch in batches:
        told = {"batch": batch.slug, "name": batch.name, "days_left": (batch.due_on - today).days}
        here = stages[batch.pk]
        found += [
            Waiting(doing=doing, count=here.get(stage, 0), **told) for stage, doing in WAITS.items()
        ]
        doing = Doing.APPROVE if batch.pk in solved else Doing.PLAN
        found.append(Waiting(doing=doing, count=here.get(Stage.DECIDE, 0), **told))
    return found


def _of_the_workshop(today: date) -> list[Waiting]:
    open_hazards = Hazard.objects.filter(done_at=None).select_related("unit__batch")
    hazards = list(open_hazards.order_by("pk")[:1])
    dangers = open_hazards.count()
    purchases = Purchase.objects.filter(lot=None).select_related("offer__kind")
    due = [row for row in purchases if expected_on(row) <= today]
    waits = Lot.objects.filter(on_hand__gt=0).exclude(
        condition__in=[one for one in Condition if one.usable]
    )
    priced = {price.sheet for standard in newest_standards() for price in standard.prices}
    models = set(Unit.objects.filter(batch__closed_at=None).values_list("sheet_key", flat=True))
    return [
        Waiting(
            doing=Doing.DANGER,
            count=dangers,
            about=hazards[0].unit.tag if dangers == 1 else "",
            batch=hazards[0].unit.batch.slug if dangers == 1 else "",
            name=hazards[0].unit.batch.name if dangers == 1 else "",
        ),
        Waiting(doing=Doing.RECEIVE, count=sum(row.state != PurchaseState.PLANNED for row in due)),
        Waiting(
            doing=Doing.ORDER, count=sum(row.state == PurchaseState.PLANNED for row in purchases)
        ),
        Waiting(doing=Doing.TRY, count=waits.aggregate(n=Sum("on_hand"))["n"] or 0),
        Waiting(doing=Doing.REFILL, count=len(kinds_below_least())),
        Waiting(doing=Doing.PRICE, count=len((models & set(newest_sheets())) - priced)),
    ]


def _coming(today: date) -> list[Coming]:
    rows = Purchase.objects.filter(lot=None).select_related("offer__kind")
    rows = rows.annotate(waits=Count("reservation", filter=Q(reservation__lot=None)))
    found = [
        Coming(
            due=expected_on(row),
            state=row.state,
            label=row.offer.kind.label,
            count=row.count,
            late=expected_on(row) < today,
            waiting=row.waits,
        )
        for row in rows
    ]
    return sorted(found, key=lambda one: (one.due, one.label))[:COMING]


def _money(batches: list[Batch], today: date) -> list[BatchMoney]:
    leaves = dict(
        Outcome.objects.filter(unit__batch__in=batches, valid=True)
        .values_list("unit__batch")
        .annotate(sum=Sum("contribution_cents"))
    )
    spent: dict[int, int] = defaultdict(int)
    for batch, count, price in Purchase.objects.filter(batch__in=batches).values_list(
        "batch", "count", "price_cents"
    ):
        spent[batch] += count * price
    released = dict(
        Unit.objects.filter(batch__in=batches, stage=Stage.RELEASED)
        .values_list("batch")
        .annotate(n=Count("pk"))
    )
    return [
        BatchMoney(
            slug=batch.slug,
            spent_cents=spent[batch.pk],
            leaves_cents=leaves.get(batch.pk),
            released=released.get(batch.pk, 0),
            days_left=(batch.due_on - today).days,
        )
        for batch in batches
    ]


@router.get("/today", response=Today)
def today(request: HttpRequest):
    """What waits for whoever signed in, what is late, what is on its way."""
    now = date.today()
    batches = list(Batch.objects.filter(closed_at=None).order_by("due_on", "pk"))
    roles = [Role(role) for role in request.user.roles]
    waiting = [*_of_the_workshop(now), *_waiting(batches, now)]
    return Today(
        day=now,
        dangers=waiting[0].count,
        late=[batch.name for batch in batches if batch.due_on < now],
        next=list(next_for(roles, waiting)),
        first_steps=list(first_steps(_taken(len(newest_standards())))),
        coming=_coming(now),
        batches=_money(batches, now),
    )
