"""How the plan grows with the batch, what grouping saves, what planning earns.

Ratios of times in one run on one machine; the batches come from seed numbers.
"""

from bench.report import Report, seconds
from demo.generator import make_case
from sortis_core.options import OutcomeKind
from sortis_core.plan import Case, make_plan
from sortis_core.plan.grouping import Group, group_units
from sortis_core.plan.model import solve

SMALL, LARGE = 100, 400
BATCHES = 8
BATCH_UNITS = 40


def open_case(seed: int, count: int) -> Case:
    """A generated case without blocked units."""
    case = make_case(seed, count)
    units = tuple(unit for unit in case.units if not unit.findings.hazards)
    return case.model_copy(update={"units": units})


def one_by_one(groups: tuple[Group, ...]) -> tuple[Group, ...]:
    """The same groups with one unit each."""
    return tuple(
        group.model_copy(update={"tags": (tag,)}) for group in groups for tag in group.tags
    )


def first_come_first_served(case: Case) -> int:
    """Contribution in cents when each unit in tag order takes the best it can still get.

    This is what people do by hand: no donor is kept for later, no part is saved for a better use.
    """
    left = {lot.key: lot.count for lot in case.usable_lots()}
    left |= {offer.key: offer.limit for offer in case.offers}
    prices = {lot.key: (lot.kind, lot.unit_cost_cents, 0) for lot in case.usable_lots()}
    prices |= {o.key: (o.kind, o.price_cents, o.price_cents) for o in case.offers}
    money, minutes, total = case.money_cents, case.bench_minutes, 0
    by_tag = {tag: g for g in group_units(case, case.units) for tag in g.tags}
    for unit in sorted(case.units, key=lambda unit: unit.tag):
        best: tuple[int, list[str], int, float] | None = None
        for option in by_tag[unit.tag].options:
            if option.outcome is OutcomeKind.DONOR or option.minutes > minutes:
                continue
            taken: list[str] = []
            for part in option.uses:
                for _ in range(part.count):
                    free = [
                        key
                        for key, (kind, _, _) in prices.items()
                        if kind == part.kind and left[key] > taken.count(key)
                    ]
                    if free:
                        taken.append(min(free, key=lambda key: prices[key][1]))
            if len(taken) < sum(part.count for part in option.uses):
                continue
            cost = sum(prices[key][1] for key in taken)
            spend = sum(prices[key][2] for key in taken)
            value = option.net_cents - cost
            if spend <= money and (best is None or value > best[0]):
                best = (value, taken, spend, option.minutes)
        if best:
            total += best[0]
            money -= best[2]
            minutes -= best[3]
            for key in best[1]:
                left[key] -= 1
    return total


def main() -> None:
    """Print every target."""
    report = Report()
    small, large = open_case(7, SMALL), open_case(7, LARGE)
    grouped = group_units(large, large.units)
    single = one_by_one(grouped)
    with_groups = seconds(lambda: solve(large, grouped))
    unit_by_unit = seconds(lambda: solve(large, single), times=1)
    report.at_least("one variable a unit, against groups", unit_by_unit / with_groups, 3)
    difference = (
        abs(solve(large, grouped).objective_cents - solve(large, single).objective_cents)
        / solve(large, grouped).objective_cents
    )
    report.at_most("their difference in contribution", difference, 1e-4)
    growth = seconds(lambda: make_plan(large), times=2) / seconds(lambda: make_plan(small), times=2)
    report.at_most(f"{LARGE} units against {SMALL}, time", growth, 2 * LARGE / SMALL)
    gains = []
    for seed in range(BATCHES):
        case = open_case(seed, BATCH_UNITS)
        gains.append(make_plan(case).contribution_cents / first_come_first_served(case))
    gains.sort()
    report.at_least("plan against first come first served, worst batch", gains[0], 1.0)
    report.shown("plan against first come first served, median", f"{gains[len(gains) // 2]:.3f}")
    report.end()


if __name__ == "__main__":
    main()
