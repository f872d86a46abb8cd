"""Plan a batch and approve a plan: outcomes, promises and work orders in one transaction."""

from collections import Counter

from django.db import transaction
from django.db.models import Max
from django.utils import timezone
from django_tasks import task

from sortis_core.base import SortisError
from sortis_core.options import OutcomeKind
from sortis_core.plan import Case, CaseUnit, Plan, make_plan
from sortis_core.plan.result import Allocation, UnitOutcome
from sortis_core.route.work import plan_work
from sortis_core.stages import Stage, after_decision
from sortis_core.standards import Policy
from sortis_server.arrive.models import Batch, Unit
from sortis_server.arrive.views import newest_findings
from sortis_server.decide.models import Outcome, PlanRow, PlanState
from sortis_server.fit.models import Reservation, WorkOrderRow
from sortis_server.people.models import Person
from sortis_server.problems import StaleVersion
from sortis_server.sheets.services import newest_sheets, newest_standards, sheet_version
from sortis_server.stock.models import PartKindRow, Purchase
from sortis_server.stock.services import (
    free_lots,
    open_offers,
    order_parts,
    part_kinds,
    promise,
)

SOLVED_AT_ONCE = 300
"""Batches up to this size are solved while the planner waits, larger ones by a worker."""


KEPT_SKETCHES = 20


class PlanRefused(SortisError):
    """The plan cannot be made or approved."""

    title = "There is no plan"


def case_of(
    batch: Batch,
    *,
    money_cents: int | None = None,
    bench_minutes: float | None = None,
    policy: Policy | None = None,
) -> Case:
    """Everything a plan of the batch is solved from, as it stands now.

    Money and minutes default to the batch's, less what approved plans already took of them.
    """
    units = list(batch.units.filter(stage=Stage.DECIDE).order_by("tag"))
    findings = newest_findings(units)
    used = {unit.sheet_key for unit in units}
    sheets = {key: sheet for key, sheet in newest_sheets().items() if key in used}
    for unit in units:
        pinned = sheet_version(unit.sheet_key, unit.sheet_version)
        sheets[unit.sheet_key] = pinned
    left_money, left_minutes = what_is_left(batch)
    return Case(
        batch=batch.name,
        currency=batch.currency,
        policy=policy or Policy.model_validate(batch.policy),
        money_cents=left_money if money_cents is None else money_cents,
        bench_minutes=left_minutes if bench_minutes is None else bench_minutes,
        sheets=tuple(sheets[key] for key in sorted(sheets)),
        standards=newest_standards(),
        kinds=tuple(part_kinds().values()),
        lots=free_lots(),
        offers=open_offers(),
        units=tuple(
            CaseUnit(tag=unit.tag, findings=findings[unit.pk])
            for unit in units
            if unit.pk in findings
        ),
    )


def what_is_left(batch: Batch) -> tuple[int, float]:
    """Cents and minutes of the batch that no approved plan has taken."""
    spent = sum(
        purchase.count * purchase.offer.price_cents
        for purchase in Purchase.objects.filter(batch=batch).select_related("offer")
    )
    promised = sum(
        order.document["minutes"]
        for order in WorkOrderRow.objects.filter(unit__batch=batch).exclude(state="stopped")
    )
    return max(0, batch.money_cents - spent), max(0.0, batch.bench_minutes - promised)


def begin_plan(
    batch: Batch,
    by: Person,
    *,
    money_cents: int | None,
    bench_minutes: float | None,
    policy: Policy | None,
) -> PlanRow:
    """Save the case and solve it, at once where it is small.

    :raises NothingToPlan: where no unit of the batch can be decided.
    """
    case = case_of(batch, money_cents=money_cents, bench_minutes=bench_minutes, policy=policy)
    with transaction.atomic():
        Batch.objects.select_for_update().get(pk=batch.pk)
        number = (batch.plans.aggregate(last=Max("number"))["last"] or 0) + 1
        # A plan nobody approved is a sketch; the newest few are kept, approved ones for good.
        sketches = batch.plans.exclude(state=PlanState.APPROVED)
        sketches.filter(number__lte=number - KEPT_SKETCHES).delete()
        row = PlanRow.objects.create(
            batch=batch,
            number=number,
            case=case.model_dump(mode="json"),
            by=by,
        )
    if len(case.units) > SOLVED_AT_ONCE:
        solve_in_background.enqueue(row.pk)
        return row
    try:
        _solve(row, case)
    except SortisError:
        row.delete()
        raise
    return row


@task()
def solve_in_background(plan: int) -> None:
    """Solve a saved plan; run by a worker."""
    row = PlanRow.objects.get(pk=plan)
    try:
        _solve(row, Case.model_validate(row.case))
    except SortisError as refusal:
        row.state, row.refusal = PlanState.REFUSED, refusal.sentence[:400]
        row.save()


def _solve(row: PlanRow, case: Case) -> None:
    row.plan = make_plan(case).model_dump(mode="json")
    row.state = PlanState.SOLVED
    row.save()


def newest_plan(batch: Batch) -> PlanRow | None:
    """The plan made last."""
    return batch.plans.select_related("by", "approved_by").order_by("-number").first()


def approve(batch: Batch, number: int, by: Person) -> PlanRow:
    """Make a plan happen: promise its parts, order what it buys, write its work orders.

    All or nothing: where stock or units changed since the plan was solved, nothing is approved.

    :raises StaleVersion: with what changed.
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
        plan, case = Plan.model_validate(row.plan), Case.model_validate(row.case)
        units = _units_as_planned(batch, case)
        kinds, kind_rows = part_kinds(), {k.key: k for k in PartKindRow.objects.all()}
        orders: dict[str, WorkOrderRow] = {}
        policy = case.policy
        for decided in plan.outcomes:
            unit = units[decided.tag]
            outcome = Outcome.objects.create(
                unit=unit, plan=row, document=decided.model_dump(mode="json")
            )
            unit.stage = after_decision(decided.outcome)
            unit.save()
            if decided.outcome in (OutcomeKind.FIT, OutcomeKind.DONOR):
                orders[unit.tag] = _order(unit, outcome, decided, case, kinds, policy)
        _promise_parts(batch, plan, orders, units, kind_rows)
        row.state, row.approved_by, row.approved_at = PlanState.APPROVED, by, timezone.now()
        row.save()
        return row


def _units_as_planned(batch: Batch, case: Case) -> dict[str, Unit]:
    """The units of the case, locked.

    :raises StaleVersion: where one has moved on or was inspected again since.
    """
    wanted = [unit.tag for unit in case.units]
    rows = list(batch.units.select_for_update().filter(tag__in=wanted))
    findings = newest_findings(rows)
    units = {unit.tag: unit for unit in rows}
    for planned in case.units:
        unit = units.get(planned.tag)
        if unit is None or unit.stage != Stage.DECIDE or findings[unit.pk] != planned.findings:
            raise StaleVersion(
                f"{planned.tag} was inspected again or decided since this plan was solved. "
                "Nothing was approved. Plan again; the new plan sees the change."
            )
    return units


def _order(
    unit: Unit,
    outcome: Outcome,
    decided: UnitOutcome,
    case: Case,
    kinds: dict,
    policy: Policy,
) -> WorkOrderRow:
    sheet = next(s for s in case.sheets if s.key == unit.sheet_key)
    findings = next(u.findings for u in case.units if u.tag == unit.tag)
    work = plan_work(
        sheet,
        findings,
        decided.actions,
        kinds,
        policy,
        donor=decided.outcome is OutcomeKind.DONOR,
    )
    return WorkOrderRow.objects.create(
        unit=unit, outcome=outcome, document=work.model_dump(mode="json")
    )


def _promise_parts(
    batch: Batch,
    plan: Plan,
    orders: dict[str, WorkOrderRow],
    units: dict[str, Unit],
    kind_rows: dict[str, PartKindRow],
) -> None:
    bought: Counter[str] = Counter(a.source_key for a in plan.allocations if a.source == "offer")
    purchases = {
        key: order_parts(_row_id(key), batch, count) for key, count in sorted(bought.items())
    }

    def waits_for(allocation: Allocation) -> dict:
        if allocation.source == "lot":
            return {"lot": promise(_row_id(allocation.source_key))}
        if allocation.source == "offer":
            return {"purchase": purchases[allocation.source_key]}
        return {"giver": units[allocation.source_key]}

    for allocation in plan.allocations:
        Reservation.objects.create(
            order=orders[allocation.tag],
            place=allocation.place,
            kind=kind_rows[allocation.kind],
            **waits_for(allocation),
        )


def _row_id(key: str) -> int:
    """Id of the row behind a core key: ``lot-12`` is 12."""
    return int(key.rsplit("-", 1)[1])
