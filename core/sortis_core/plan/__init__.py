"""Decide a batch: group, solve, deal out, explain."""

from collections import Counter, defaultdict

from sortis_core.base import SortisError
from sortis_core.options import Option, OutcomeKind
from sortis_core.plan.case import Case, CaseUnit
from sortis_core.plan.deal import deal_parts, deal_tags
from sortis_core.plan.explain import Explainer
from sortis_core.plan.grouping import Group, cheapest_cents, group_units
from sortis_core.plan.model import Solution, solve
from sortis_core.plan.result import (
    Allocation,
    LeftOut,
    Plan,
    PlanGroup,
    Scarce,
    UnitOutcome,
)

__all__ = ["Case", "CaseUnit", "NothingToPlan", "Plan", "make_plan"]


class NothingToPlan(SortisError):
    """No unit of the batch waits for a decision."""

    title = "There is nothing to plan"


def make_plan(case: Case) -> Plan:
    """Decide every unit of the case; the same case gives the same plan.

    Units with a hazard are left out: nothing may be decided about them before the pack is gone.

    :raises NothingToPlan: where no unit can be decided.
    """
    left_out = tuple(
        LeftOut(
            tag=unit.tag, reason="Blocked by a danger, waiting for the record of what was done."
        )
        for unit in case.units
        if unit.findings.hazards
    )
    units = tuple(unit for unit in case.units if not unit.findings.hazards)
    if not units:
        blocked = f" {len(left_out)} of them blocked by a hazard." if left_out else ""
        raise NothingToPlan(
            f"No inspected unit of {case.batch} waits for a decision.{blocked} Inspect at least "
            "one unit, then plan."
        )
    groups = group_units(case, units)
    solution = solve(case, groups)
    dealt = deal_tags(groups, solution)
    allocations = deal_parts(case, dealt, solution)
    explainer = Explainer(case, solution.worth)
    outcomes = _outcomes(dealt, allocations, explainer)
    bought = {offer.key for offer in case.offers}
    spend = sum(a.unit_cost_cents for a in allocations if a.source_key in bought)
    minutes = round(sum(outcome.minutes for outcome in outcomes), 1)
    gap = (solution.bound_cents - solution.objective_cents) / max(1, abs(solution.objective_cents))
    per_group: dict[int, dict[int, int]] = defaultdict(dict)
    for g, o, count in solution.chosen:
        per_group[g][o] = count
    return Plan(
        batch=case.batch,
        currency=case.currency,
        contribution_cents=solution.objective_cents,
        bound_cents=solution.bound_cents,
        gap_percent=round(100 * gap, 4),
        spend_cents=spend,
        minutes=minutes,
        bench_minutes=case.bench_minutes,
        ready=sum(o.outcome in (OutcomeKind.FIT, OutcomeKind.RELEASE) for o in outcomes),
        outcomes=outcomes,
        groups=tuple(
            PlanGroup(
                number=group.number,
                sheet=group.sheet,
                tags=group.tags,
                ladder=explainer.ladder(group, per_group[g]),
                rejections=group.rejections,
            )
            for g, group in enumerate(groups)
        ),
        allocations=allocations,
        scarce=_scarce(case, groups, solution, allocations, minutes, spend),
        left_out=left_out,
    )


def _outcomes(
    dealt: list[tuple[str, Group, Option]],
    allocations: tuple[Allocation, ...],
    explainer: Explainer,
) -> tuple[UnitOutcome, ...]:
    parts: Counter[str] = Counter()
    gives: Counter[str] = Counter()
    for allocation in allocations:
        parts[allocation.tag] += allocation.unit_cost_cents
        if allocation.source == "unit":
            gives[allocation.source_key] += allocation.unit_cost_cents
    return tuple(
        UnitOutcome(
            tag=tag,
            group=group.number,
            outcome=option.outcome,
            standard=option.standard,
            actions=option.actions,
            minutes=option.minutes,
            price_cents=option.price_cents,
            parts_cents=parts[tag],
            gives_cents=gives[tag],
            labour_cents=option.labour_cents,
            fees_cents=option.fees_cents,
            contribution_cents=option.net_cents - parts[tag] + gives[tag],
            reason=explainer.reason(option, group),
        )
        for tag, group, option in dealt
    )


def _scarce(
    case: Case,
    groups: tuple[Group, ...],
    solution: Solution,
    allocations: tuple[Allocation, ...],
    minutes: float,
    spend: int,
) -> tuple[Scarce, ...]:
    """Every part kind an option wants, then minutes and money; the worthiest first."""
    wanted = {p.kind for group in groups for option in group.options for p in option.uses}
    on_hand: Counter[str] = Counter()
    for lot in case.usable_lots():
        on_hand[lot.kind] += lot.count
    used: Counter[tuple[str, str]] = Counter((a.kind, a.source) for a in allocations)
    prices = cheapest_cents(case)
    rows = [
        Scarce(
            key=kind.key,
            label=kind.label,
            measure="parts",
            on_hand=on_hand[kind.key],
            harvested=used[kind.key, "unit"],
            bought=used[kind.key, "offer"],
            used=sum(used[kind.key, source] for source in ("lot", "offer", "unit")),
            worth_cents=max(0, solution.worth.parts.get(kind.key, 0) - prices[kind.key]),
        )
        for kind in case.kinds
        if kind.key in wanted
    ]
    rows.sort(key=lambda row: (-row.worth_cents, row.label))
    return (
        Scarce(
            key="minutes",
            label="Bench hours",
            measure="minutes",
            on_hand=case.bench_minutes,
            harvested=0,
            bought=0,
            used=minutes,
            worth_cents=round(solution.worth.minute * 60),
        ),
        Scarce(
            key="money",
            label="Money to spend",
            measure="cents",
            on_hand=case.money_cents,
            harvested=0,
            bought=0,
            used=spend,
            worth_cents=solution.worth.money_100,
        ),
        *rows,
    )
