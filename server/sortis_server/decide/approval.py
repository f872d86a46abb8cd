"""Approve a plan: outcomes, promises, purchases and work orders in one transaction."""

from collections import Counter

from django.db import transaction
from django.utils import timezone

from sortis_core.documents import read_document
from sortis_core.options import OutcomeKind
from sortis_core.plan import Case, Plan
from sortis_core.plan.result import Allocation
from sortis_core.plan.verify import require_sound
from sortis_core.route.work import plan_work
from sortis_core.stages import Stage, after_decision
from sortis_core.stock import PartKind
from sortis_core.takeback import require_unbegun
from sortis_core.vocabulary.states import OrderState, PlanState, PurchaseState
from sortis_server.arrive.models import Batch, Unit
from sortis_server.decide.cases import require_furnished
from sortis_server.decide.models import PlanRow
from sortis_server.decide.services import PlanRefused
from sortis_server.inspect.findings import newest_findings
from sortis_server.inspect.services import sheet_of
from sortis_server.orders.models import Reservation, WorkOrderRow
from sortis_server.orders.orders import lies_open, next_version
from sortis_server.orders.outcomes import write_outcome
from sortis_server.orders.pace import pace_of
from sortis_server.orders.parts import end, give_back
from sortis_server.people.models import Person
from sortis_server.problems import StaleVersion
from sortis_server.sources import SourceKind, source_of
from sortis_server.stock.models import Purchase
from sortis_server.stock.services import plan_purchase, promise, promise_incoming, unplan_purchase
from sortis_server.workshop.models import PartKindRow
from sortis_server.workshop.services import part_kinds


def approve(batch: Batch, number: int, by: Person) -> PlanRow:
    """Make a plan happen: promise its parts, order what it buys, write its work orders.

    Work orders that the plan keeps stay as they are; those it changes are withdrawn first, so
    that their parts are free. All or nothing: where stock or units changed since the plan was
    solved, nothing is approved.

    :raises StaleVersion: with what changed.
    :raises PlanDoesNotHold: where the plan, counted again, breaks its own case.
    """
    with transaction.atomic():
        Batch.objects.select_for_update().get(pk=batch.pk)
        row = batch.plans.select_for_update().filter(number=number).first()
        if row is None or row.plan is None:
            raise PlanRefused("There is no solved plan of that number. Plan the batch first.")
        if row.state == PlanState.APPROVED:
            raise StaleVersion(
                f"{row.approved_by.name} has approved this plan already. Nothing was done twice."
            )
        require_furnished(batch)
        plan, case = read_document(Plan, row.plan), read_document(Case, row.case)
        require_sound(case, plan)
        units = _units_as_planned(batch, case)
        _withdraw(plan, case, units, number)
        _carry_out(row, plan, case, units, by)
        row.state, row.approved_by, row.approved_at = PlanState.APPROVED, by, timezone.now()
        row.save()
        return row


def approve_back(batch: Batch, number: int, by: Person) -> PlanRow:
    """Take an approval back, until something of it began; the plan is solved and waits again.

    Its work orders end, its promises are given back, its purchases are wanted no more. What it
    said and that it was taken back stays on record.

    :raises StayedDone: with what began. :raises PlanRefused: where it was not approved.
    """
    with transaction.atomic():
        Batch.objects.select_for_update().get(pk=batch.pk)
        row = batch.plans.select_for_update().filter(number=number).first()
        if row is None or row.state != PlanState.APPROVED or row.cause:
            raise PlanRefused(f"Plan {number} is not approved. Nothing was taken back.")
        outcomes = list(
            row.outcomes.select_for_update()
            .filter(valid=True)
            .select_related("unit")
            .order_by("pk")
        )
        orders = list(
            WorkOrderRow.objects.select_for_update()
            .filter(outcome__in=outcomes)
            .select_related("unit")
            .order_by("pk")
        )
        waits = {order.unit_id for order in orders if order.state == OrderState.OPEN}
        begun = [order.unit.tag for order in orders if order.begun_at]
        done = [
            o.unit.tag
            for o in outcomes
            if o.unit.stage != (Stage.FIT if o.unit_id in waits else after_decision(o.outcome))
            or o.unit.signatures.filter(valid=True, at__gte=row.approved_at).exists()
        ]
        purchases = Purchase.objects.select_for_update().filter(plan=row)
        changed = [change.tag for change in read_document(Plan, row.plan).changes]
        sent = purchases.exclude(state=PurchaseState.PLANNED).count()
        require_unbegun(number, sorted({*begun, *done}), sent, changed)
        for order in orders:
            give_back(order)
            end(order, f"Plan {number} was taken back.")
        for purchase in purchases:
            unplan_purchase(purchase)
        for outcome in outcomes:
            outcome.take_back(by)
            outcome.unit.stage = Stage.DECIDE
            outcome.unit.save()
        row.state, row.approved_by, row.approved_at = PlanState.SOLVED, None, None
        row.save()
        return row


def _units_as_planned(batch: Batch, case: Case) -> dict[str, Unit]:
    """The units of the case, locked.

    :raises StaleVersion: where one has moved on or was inspected again since.
    """
    wanted = [unit.tag for unit in case.units]
    rows = list(batch.units.select_for_update().filter(tag__in=wanted).order_by("pk"))
    findings = newest_findings(rows)
    units = {unit.tag: unit for unit in rows}
    open_orders = {one.tag for one in case.open_orders}
    for planned in case.units:
        unit = units.get(planned.tag)
        waits = Stage.FIT if planned.tag in open_orders else Stage.DECIDE
        if unit is None or unit.stage != waits or findings[unit.pk] != planned.findings:
            raise StaleVersion(
                f"{planned.tag} was inspected again or decided since this plan was solved. "
                "Nothing was approved. Plan again; the new plan sees the change."
            )
    return units


def _withdraw(plan: Plan, case: Case, units: dict[str, Unit], number: int) -> None:
    """Take back the work orders that the plan changes.

    :raises StaleVersion: where one that it counts on was begun meanwhile.
    """
    open_orders = {one.tag for one in case.open_orders}
    orders = {
        order.unit.tag: order
        for order in WorkOrderRow.objects.select_for_update()
        .filter(unit__in=[units[tag] for tag in open_orders], state=OrderState.OPEN)
        .select_related("unit")
    }
    for tag in sorted(open_orders):
        order = orders.get(tag)
        if order is None or order.begun_at:
            raise StaleVersion(
                f"Work on {tag} has begun since this plan was solved. Nothing was approved. Plan "
                "again; what is begun is not planned over."
            )
    for change in plan.changes:
        order = orders[change.tag]
        give_back(order)
        end(order, f"Changed by plan {number}.")


def _carry_out(row: PlanRow, plan: Plan, case: Case, units: dict[str, Unit], by: Person) -> None:
    kinds = part_kinds()
    orders: dict[str, WorkOrderRow] = {}
    findings = {unit.tag: unit.findings for unit in case.units}
    for decided in plan.outcomes:
        if decided.kept:
            continue
        unit = units[decided.tag]
        outcome = write_outcome(unit, row.pk, decided, by)
        begun = lies_open(unit)
        # A unit that lies open is closed and seen working before it is released.
        closes = decided.outcome is OutcomeKind.RELEASE and bool(begun.opened)
        unit.stage = Stage.FIT if closes else after_decision(decided.outcome)
        unit.save()
        if closes or decided.outcome in (OutcomeKind.FIT, OutcomeKind.DONOR):
            work = plan_work(
                sheet_of(unit),
                findings[unit.tag],
                decided.actions,
                kinds,
                case.policy,
                donor=decided.outcome is OutcomeKind.DONOR,
                pace=pace_of(unit.sheet_key),
                begun=begun,
            )
            orders[unit.tag] = WorkOrderRow.objects.create(
                unit=unit,
                outcome=outcome,
                document=work.model_dump(mode="json"),
                version=next_version(unit),
            )
    _promise_parts(row.pk, row.batch, plan, orders, units, kinds)


def _promise_parts(
    plan_id: int,
    batch: Batch,
    plan: Plan,
    orders: dict[str, WorkOrderRow],
    units: dict[str, Unit],
    kinds: dict[str, PartKind],
) -> None:
    rows = {row.key: row for row in PartKindRow.objects.filter(key__in=kinds)}
    purchases = {
        line.offer: plan_purchase(source_of(line.offer).id, batch, line.count, plan_id)
        for line in plan.buying
    }
    new = [part for part in plan.allocations if part.tag in orders]
    for lot, count in sorted(Counter(p.source_key for p in new if p.source == "lot").items()):
        # One statement a lot, in one order everywhere: two planners never wait for each other.
        source = source_of(lot)
        if source.kind is SourceKind.LOT:
            promise(source.id, count)
        else:
            promise_incoming(source.id, count)

    def waits_for(part: Allocation) -> dict:
        if part.source == "offer":
            return {"purchase": purchases[part.source_key]}
        if part.source == "unit":
            return {"giver": units[part.source_key]}
        source = source_of(part.source_key)
        field = "lot_id" if source.kind is SourceKind.LOT else "purchase_id"
        return {field: source.id}

    Reservation.objects.bulk_create(
        Reservation(
            order=orders[part.tag], place=part.place, kind=rows[part.kind], **waits_for(part)
        )
        for part in new
    )
