"""The case of a batch: everything its plan is solved from, as it stands now."""

from collections import defaultdict
from collections.abc import Sequence
from datetime import date

from ninja import Schema

from sortis_core.base import Cents, Minutes, SortisError
from sortis_core.documents import read_document
from sortis_core.plan import Case, CaseUnit, Goal, OpenOrder, Pin, SalesOrder
from sortis_core.plan.result import Allocation
from sortis_core.policy import Policy
from sortis_core.route.minutes import Skill, SkillMinutes
from sortis_core.route.pace import paced
from sortis_core.stages import Stage
from sortis_core.stock import Lot
from sortis_core.vocabulary.states import OrderState
from sortis_core.workshop import Missing, missing_to_decide
from sortis_server.arrive.models import Batch, Unit
from sortis_server.decide.models import UnitPin
from sortis_server.decide.still_wanted import still_wanted
from sortis_server.inspect.findings import newest_findings
from sortis_server.orders.models import Reservation, WorkOrderRow
from sortis_server.orders.outcomes import decided_of
from sortis_server.orders.pace import paces_of
from sortis_server.sheets.services import newest_sheets, sheet_version
from sortis_server.sources import Source, SourceKind
from sortis_server.stock.models import Purchase
from sortis_server.stock.services import free_lots, incoming_lots
from sortis_server.workshop.services import newest_standards, open_offers, part_kinds


class Dials(Schema):
    """What the planner turned; nothing given means what the batch has left, by its own policy."""

    money_cents: Cents | None = None
    bench_minutes: Minutes | None = None
    skills: dict[Skill, Minutes] | None = None
    """Most minutes of single skills."""
    goal: Goal = Goal.CONTRIBUTION
    policy: Policy | None = None


class NotFurnished(SortisError):
    """The workshop lacks what a decision is made of."""

    title = "Nothing can be decided yet"


def missing_of(batch: Batch) -> tuple[Missing, ...]:
    """What the workshop lacks before the units of a batch that wait can be decided."""
    waiting = batch.units.filter(stage=Stage.DECIDE).values_list("sheet_key", flat=True)
    sheets = newest_sheets()
    here = [sheets[key] for key in sorted(set(waiting)) if key in sheets]
    return missing_to_decide(newest_standards(), part_kinds(), here)


def require_furnished(batch: Batch) -> None:
    """Refuse to decide before it can be decided.

    :raises NotFurnished: with the first thing that is missing; all are in the facts.
    """
    if missing := missing_of(batch):
        raise NotFurnished(
            missing[0].sentence, missing=[(one.what.value, one.sentence) for one in missing]
        )


def case_of(
    batch: Batch, dials: Dials | None = None, *, at_bench: Unit | None = None, alone: bool = False
) -> Case:
    """Everything a plan of the batch is solved from.

    Units that wait for a decision, and those whose approved work was not begun: these keep it
    unless a pin or an order forces otherwise.

    :param at_bench: a unit that is decided again while it lies open.
    :param alone: only that unit.
    """
    dials = dials or Dials()
    orders = [] if alone else open_orders_of(batch)
    units = [] if alone else list(batch.units.filter(stage=Stage.DECIDE).order_by("tag"))
    units += [order.unit for order in orders]
    units += [at_bench] if at_bench else []
    findings = newest_findings(units)
    units = sorted((unit for unit in units if unit.pk in findings), key=lambda unit: unit.tag)
    tags = {unit.tag for unit in units}
    sheets = {
        unit.sheet_key: sheet_version(unit.sheet_key, unit.sheet_version)
        for unit in sorted(units, key=lambda unit: unit.sheet_version)
    }
    for key, pace in paces_of(sheets).items():
        sheets[key] = paced(sheets[key], pace)
    left_money, left_minutes = what_is_left(batch)
    open_orders = _open_orders(orders)
    # Before the kinds: what lies there or is on offer is of a kind that is known by then.
    lots, offers = _lots(open_orders), open_offers()
    skills = batch.skill_minutes if dials.skills is None else dials.skills
    today = date.today()
    return Case(
        batch=batch.name,
        currency=batch.currency,
        policy=dials.policy or read_document(Policy, batch.policy),
        goal=dials.goal,
        money_cents=left_money if dials.money_cents is None else dials.money_cents,
        # Work that stands is part of the plan, and so are its minutes.
        bench_minutes=(left_minutes if dials.bench_minutes is None else dials.bench_minutes)
        + sum(one.minutes for one in open_orders),
        skills=tuple(
            SkillMinutes(skill=Skill(skill), minutes=minutes)
            for skill, minutes in sorted(skills.items())
        ),
        days=days_left(batch, today),
        sheets=tuple(sheets[key] for key in sorted(sheets)),
        standards=newest_standards(),
        kinds=tuple(part_kinds().values()),
        lots=lots,
        offers=offers,
        units=tuple(CaseUnit(tag=unit.tag, findings=findings[unit.pk]) for unit in units),
        sales_orders=()
        if alone
        else tuple(
            SalesOrder(
                key=Source(SourceKind.CUSTOMER_ORDER, row.pk).key,
                customer=row.customer,
                standard=row.standard,
                count=count,
                price_cents=row.price_cents,
                sheets=tuple(row.sheets),
                days=None if row.due_on is None else max(0, (row.due_on - today).days),
            )
            for row, count in still_wanted(batch, tags)
        ),
        pins=tuple(
            Pin(
                tag=pin.unit.tag,
                outcome=pin.outcome,
                standard=pin.standard,
                option=pin.option,
            )
            for pin in UnitPin.objects.filter(unit__batch=batch)
            .exclude(outcome="")
            .select_related("unit")
            .order_by("unit__tag")
            if pin.unit.tag in tags
        ),
        open_orders=open_orders,
    )


def days_left(batch: Batch, today: date) -> int | None:
    """Days until the due day; None once it has passed, when any day is late alike."""
    days = (batch.due_on - today).days
    return days if days >= 0 else None


def open_orders_of(batch: Batch) -> list[WorkOrderRow]:
    """Approved work orders of the batch that nobody has begun, by tag."""
    return list(
        WorkOrderRow.objects.filter(unit__batch=batch, state=OrderState.OPEN, begun_at=None)
        .select_related("unit", "outcome")
        .order_by("unit__tag")
    )


def _open_orders(orders: Sequence[WorkOrderRow]) -> tuple[OpenOrder, ...]:
    rows = Reservation.objects.filter(order__in=orders).select_related(
        "kind", "lot", "purchase", "giver"
    )
    parts: dict[int, list[Reservation]] = defaultdict(list)
    for row in rows.order_by("place"):
        parts[row.order_id].append(row)
    found: list[OpenOrder] = []
    for order in orders:
        decided = decided_of(order.outcome)
        tag = order.unit.tag
        found.append(
            OpenOrder(
                tag=tag,
                outcome=decided.outcome,
                standard=decided.standard,
                actions=decided.actions,
                parts=tuple(_promised(tag, row) for row in parts[order.pk]),
                price_cents=decided.price_cents,
                labour_cents=decided.labour_cents,
                fees_cents=decided.fees_cents,
                minutes=decided.minutes,
                skills=decided.skills,
            )
        )
    return tuple(found)


def _promised(tag: str, row: Reservation) -> Allocation:
    if row.lot:
        source, key, cost = "lot", Source(SourceKind.LOT, row.lot_id).key, row.lot.unit_cost_cents
    elif row.purchase:
        source, key, cost = (
            "lot",
            Source(SourceKind.PURCHASE, row.purchase_id).key,
            row.purchase.price_cents,
        )
    else:
        source, key, cost = "unit", row.giver.tag, row.kind.harvest_value_cents
    return Allocation(
        tag=tag,
        place=row.place,
        kind=row.kind.key,
        source=source,
        source_key=key,
        unit_cost_cents=cost,
    )


def _lots(open_orders: tuple[OpenOrder, ...]) -> tuple[Lot, ...]:
    """Free parts, parts on their way, and lots that are empty but for what is promised."""
    promised = {
        part.source_key for one in open_orders for part in one.parts if part.source == "lot"
    }
    return (*free_lots(promised), *incoming_lots(promised))


def what_is_left(batch: Batch) -> tuple[int, float]:
    """Cents and minutes of the batch that no approved plan has taken."""
    spent = sum(
        count * price
        for count, price in Purchase.objects.filter(batch=batch).values_list("count", "price_cents")
    )
    promised = sum(
        order.outcome.minutes
        for order in WorkOrderRow.objects.filter(unit__batch=batch)
        .exclude(state=OrderState.STOPPED)
        .select_related("outcome")
    )
    return max(0, batch.money_cents - spent), max(0.0, batch.bench_minutes - promised)


def unit_is_open(unit: Unit) -> bool:
    """Whether a plan may still decide the unit."""
    if unit.stage == Stage.DECIDE:
        return True
    return unit.orders.filter(state=OrderState.OPEN, begun_at=None).exists()
