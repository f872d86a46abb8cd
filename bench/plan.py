"""How the plan grows with the batch, what grouping saves, what planning earns, how a dial feels.

Ratios of times in one run on one machine; the batches come from seed numbers. Only the dial is
told in milliseconds, from the move of the hand to the painted plan of the demo's largest batch.
"""

import time
from datetime import timedelta
from statistics import median, quantiles

from ortools.math_opt.python import mathopt

from bench.dial import dial_milliseconds
from bench.report import Report, seconds
from demo.generator import clearance, demo_sheets, make_case
from sortis_core.options import OutcomeKind
from sortis_core.plan import Case, make_plan
from sortis_core.plan.grouping import Group, group_units
from sortis_core.plan.model import BatchModel
from sortis_core.plan.solve import gap_for, run_goals, searched
from sortis_core.plan.uncollected import uncollected

SMALL, LARGE = 1_000, 20_000
ALONE = 200
"""So many are also searched with a variable for each, to see that grouping loses nothing."""
BATCHES = 20
BATCH_UNITS = 40
SEEDS = (5, 6, 7)
NODES = 2_000
"""Both models are searched to the end, or as far as this."""
PLAIN_COUNTS = (400, SMALL)
PLAIN_SECONDS = 60


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

    This is what people do by hand: no donor is kept for later, no part is saved for a better use,
    nothing is bought for the sake of a price that falls.
    """
    left = {lot.key: lot.count for lot in case.usable_lots()}
    left |= {offer.key: offer.limit for offer in case.usable_offers()}
    prices = {lot.key: (lot.kind, lot.unit_cost_cents, 0) for lot in case.usable_lots()}
    prices |= {o.key: (o.kind, o.price_cents, o.price_cents) for o in case.usable_offers()}
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


def grouping(report: Report) -> None:
    """The model over groups against the same model with one variable a unit, over three seeds."""
    with_groups = unit_by_unit = worst = 0.0
    for seed in SEEDS:
        case = clearance(seed, ALONE)
        grouped = group_units(case, case.units)
        kinds = {lot.kind for lot in case.lots} | {offer.kind for offer in case.offers}
        options = sum(len(group.options) for group in grouped)
        report.shown(
            f"{ALONE} units of seed {seed}",
            f"{len(case.sheets)} models, {len(kinds)} part kinds, {len(grouped)} groups, "
            f"{options} options",
        )
        took, value = _searched(case, grouped)
        with_groups += took
        took, single = _searched(case, one_by_one(grouped))
        unit_by_unit += took
        worst = max(worst, abs(value - single) / value)
    report.shown(
        "one variable a unit searched like the groups, against them, time",
        f"{unit_by_unit / with_groups:.1f}",
    )
    report.at_most("their difference in the objective, worst", worst, 1e-4)


def mixed(seed: int, count: int) -> Case:
    """A mixed batch of every model: nearly each unit is another one."""
    case = make_case(seed, count, models=tuple(sheet.key for sheet in demo_sheets()))
    units = tuple(unit for unit in case.units if not unit.findings.hazards)
    return case.model_copy(update={"units": units})


def plain(report: Report) -> None:
    """The plan over groups against the better plain formulation: one variable a unit, two solvers.

    All solve the same case to the same gap in the same run; where a plain one does not end in its
    time, that time is what it took at least.
    """
    for name, made in (("clearance", clearance), ("mixed", mixed)):
        for count in PLAIN_COUNTS:
            case = made(SEEDS[0], count)
            groups = group_units(case, case.units)
            ours, value = _as_we_do(case, groups)
            alone = one_by_one(groups)
            times = {
                solver.name: _plainly(case, alone, solver, gap_for(case))
                for solver in (mathopt.SolverType.HIGHS, mathopt.SolverType.GSCIP)
            }
            report.shown(
                f"{count} units, {name}",
                f"{len(groups)} groups, value {value:.0f}, "
                + ", ".join(f"{solver} {took / ours:.1f} times" for solver, took in times.items()),
            )
            if count == SMALL:
                better = min(times.values()) / ours
                report.at_least(f"better plain formulation, {count} units, {name}", better, 10)


def _plainly(
    case: Case, groups: tuple[Group, ...], solver: mathopt.SolverType, gap: float
) -> float:
    """Seconds that a solver takes for one variable a unit, at most its limit."""
    limit = timedelta(seconds=PLAIN_SECONDS)
    parameters = mathopt.SolveParameters(time_limit=limit, relative_gap_tolerance=gap)
    with uncollected():
        began = time.perf_counter()
        batch = BatchModel(case, groups)
        batch.model.maximize(batch.preferred)
        mathopt.solve(batch.model, solver, params=parameters)
        return time.perf_counter() - began


def _as_we_do(case: Case, groups: tuple[Group, ...]) -> tuple[float, float]:
    """Seconds that the plan over groups takes, and the value it finds; among equals any will do."""
    with uncollected():
        began = time.perf_counter()
        _, solver = searched(case, groups, settle=False)
        return time.perf_counter() - began, solver.proofs[-1].value


def _searched(case: Case, groups: tuple[Group, ...]) -> tuple[float, float]:
    """Seconds that the model takes, and the value it finds."""
    with uncollected():
        began = time.perf_counter()
        value = run_goals(BatchModel(case, groups), nodes=NODES).proofs[-1].value
        return time.perf_counter() - began, value


def growth(report: Report) -> None:
    """The whole plan, options included, of twenty times as many units."""
    small, large = clearance(SEEDS[0], SMALL), clearance(SEEDS[0], LARGE)
    ratio = seconds(lambda: make_plan(large), times=2) / seconds(lambda: make_plan(small))
    report.at_most(f"{LARGE} units against {SMALL}, time of the whole plan", ratio, 3)
    small, large = mixed(SEEDS[0], SMALL), mixed(SEEDS[0], LARGE)
    ratio = seconds(lambda: make_plan(large), times=1) / seconds(lambda: make_plan(small), times=2)
    report.at_most(f"{LARGE} units against {SMALL}, mixed batch", ratio, 6)


def main() -> None:
    """Print every target."""
    report = Report()
    grouping(report)
    plain(report)
    growth(report)
    gains = []
    for seed in range(BATCHES):
        case = open_case(seed, BATCH_UNITS)
        gains.append(make_plan(case).contribution_cents / first_come_first_served(case))
    report.at_least("plan against first come first served, worst of twenty", min(gains), 1.0)
    report.shown("plan against first come first served, median", f"{median(gains):.3f}")
    moves = dial_milliseconds()
    report.at_most("live dial, from move to painted plan, median ms", median(moves), 400)
    late = quantiles(moves, n=20)[-1]
    report.at_most("live dial, from move to painted plan, 95th percentile ms", late, 800)
    report.end()


if __name__ == "__main__":
    main()
