"""The integer plan over groups, written as sums over named sets.

Sets: groups g with options o, part kinds k, sources s of a kind (a lot, an offer).

- ``x[g, o]``  units of group g that end by option o
- ``y[s]``     parts taken from source s
- ``h[k]``     parts of kind k taken from donors or displaced, and used in this same plan

Every unit ends once, parts used come from somewhere, harvest is no more than what the chosen
options yield, money and minutes hold. Maximised is contribution: price less parts, labour and
fees. A harvested part is charged to whoever uses it and credited to whoever gives it, so it
cancels here.
"""

from dataclasses import dataclass, field
from datetime import timedelta

from ortools.math_opt.python import mathopt

from sortis_core.base import Record, SortisError
from sortis_core.options import OutcomeKind
from sortis_core.plan.case import Case
from sortis_core.plan.grouping import Group

TENTHS = 10
"""Minutes enter the model as whole tenths."""
SOLVE_SECONDS = 60
EXACT_UNITS = 300
"""Up to this size a plan is proven to the cent."""
LARGE_GAP = 1e-5
"""Larger batches are proven to one part in 100,000; the last cent would take minutes."""
SECOND_GOAL_NODES = 50
"""The second goal is worth little work; a limit in nodes, unlike one in seconds, repeats."""


class NotSolved(SortisError):
    """The solver found no plan in its time."""

    title = "No plan was found"


class Source(Record):
    """Where parts of a kind can come from: a lot of the store, or an offer."""

    key: str
    kind: str
    limit: int
    cost_cents: int
    bought: bool


class Worth(Record):
    """What one more of something scarce would add to the contribution, in cents."""

    parts: dict[str, int]
    minute: float
    money_100: int


class Solution(Record):
    """What the solver decided, and what it proved."""

    chosen: tuple[tuple[int, int, int], ...]
    """(index of group, index of option, units)."""
    taken: dict[str, int]
    """Source key -> parts."""
    harvested: dict[str, int]
    """Part kind -> parts from donors and displaced that are used again."""
    objective_cents: int
    bound_cents: int
    worth: Worth


def sources_of(case: Case) -> tuple[Source, ...]:
    """Lots and offers as sources, cheapest first within a kind."""
    found = [
        Source(
            key=lot.key,
            kind=lot.kind,
            limit=lot.count,
            cost_cents=lot.unit_cost_cents,
            bought=False,
        )
        for lot in case.usable_lots()
    ]
    found += [
        Source(
            key=offer.key,
            kind=offer.kind,
            limit=offer.limit,
            cost_cents=offer.price_cents,
            bought=True,
        )
        for offer in case.offers
        if offer.limit > 0
    ]
    return tuple(sorted(found, key=lambda s: (s.kind, s.bought, s.cost_cents, s.key)))


@dataclass
class _Model:
    """The model with its variables and the rows whose worth is asked for."""

    case: Case
    groups: tuple[Group, ...]
    sources: tuple[Source, ...]
    integer: bool
    model: mathopt.Model = field(init=False)

    def __post_init__(self) -> None:
        model = self.model = mathopt.Model(name="batch")
        whole = self.integer
        self.x = {
            (g, o): model.add_variable(
                lb=0, ub=len(group.tags), is_integer=whole, name=f"x_{g}_{o}"
            )
            for g, group in enumerate(self.groups)
            for o in range(len(group.options))
        }
        self.y = {
            s.key: model.add_variable(lb=0, ub=s.limit, is_integer=whole, name=f"y_{s.key}")
            for s in self.sources
        }
        uses: dict[str, list[mathopt.LinearTypes]] = {}
        yields: dict[str, list[mathopt.LinearTypes]] = {}
        for g, group in enumerate(self.groups):
            model.add_linear_constraint(
                mathopt.fast_sum([self.x[g, o] for o in range(len(group.options))])
                == len(group.tags)
            )
            for o, option in enumerate(group.options):
                for part in option.uses:
                    uses.setdefault(part.kind, []).append(part.count * self.x[g, o])
                for part in option.yields:
                    yields.setdefault(part.kind, []).append(part.count * self.x[g, o])
        self.h = {
            kind: model.add_variable(lb=0, is_integer=whole, name=f"h_{kind}")
            for kind in sorted(yields)
            if kind in uses
        }
        self.supply = {
            kind: model.add_linear_constraint(
                mathopt.fast_sum(uses[kind])
                <= mathopt.fast_sum([self.y[s.key] for s in self.sources if s.kind == kind])
                + self.h.get(kind, 0)
            )
            for kind in sorted(uses)
        }
        for kind, variable in self.h.items():
            model.add_linear_constraint(variable <= mathopt.fast_sum(yields[kind]))
        self.money = model.add_linear_constraint(
            mathopt.fast_sum([s.cost_cents * self.y[s.key] for s in self.sources if s.bought])
            <= self.case.money_cents
        )
        self.minutes = model.add_linear_constraint(
            mathopt.fast_sum(
                [
                    round(option.minutes * TENTHS) * self.x[g, o]
                    for g, group in enumerate(self.groups)
                    for o, option in enumerate(group.options)
                    if option.minutes
                ]
            )
            <= round(self.case.bench_minutes * TENTHS)
        )
        self.contribution = mathopt.fast_sum(
            [
                option.net_cents * self.x[g, o]
                for g, group in enumerate(self.groups)
                for o, option in enumerate(group.options)
            ]
        ) - mathopt.fast_sum([s.cost_cents * self.y[s.key] for s in self.sources])

    def second_goal(self) -> mathopt.LinearExpression:
        """Among equal contributions: fewer openings, then fewer purchases."""
        openings = mathopt.fast_sum(
            [
                self.x[g, o]
                for g, group in enumerate(self.groups)
                for o, option in enumerate(group.options)
                if option.outcome in (OutcomeKind.FIT, OutcomeKind.DONOR)
            ]
        )
        purchases = mathopt.fast_sum([self.y[s.key] for s in self.sources if s.bought])
        return 1000 * openings + purchases


def _solve(model: mathopt.Model, gap: float, node_limit: int | None = None) -> mathopt.SolveResult:
    # One thread and a fixed seed: the same case gives the same plan each time. Branch and cut
    # proves these plans to the cent many times faster than search by constraint propagation.
    parameters = mathopt.SolveParameters(
        threads=1,
        random_seed=7,
        time_limit=timedelta(seconds=SOLVE_SECONDS),
        relative_gap_tolerance=gap,
        node_limit=node_limit,
    )
    return mathopt.solve(model, mathopt.SolverType.GSCIP, params=parameters)


def solve(case: Case, groups: tuple[Group, ...]) -> Solution:
    """Solve the plan over groups.

    :raises NotSolved: where the solver found nothing in its time.
    """
    sources = sources_of(case)
    exact = _Model(case, groups, sources, integer=True)
    exact.model.maximize(exact.contribution)
    gap = 0.0 if len(case.units) <= EXACT_UNITS else LARGE_GAP
    first = _solve(exact.model, gap)
    if not first.has_primal_feasible_solution():
        raise NotSolved("The solver found no plan in its time. Plan fewer units at once.")
    best = round(first.objective_value())
    bound = round(first.dual_bound())
    result = first
    if first.termination.reason is mathopt.TerminationReason.OPTIMAL:
        exact.model.add_linear_constraint(exact.contribution >= best)
        exact.model.minimize(exact.second_goal())
        second = _solve(exact.model, gap, SECOND_GOAL_NODES)
        if second.has_primal_feasible_solution():
            result = second
    values = result.variable_values()
    return Solution(
        chosen=tuple(
            (g, o, round(values[variable]))
            for (g, o), variable in exact.x.items()
            if round(values[variable])
        ),
        taken={key: n for key, variable in exact.y.items() if (n := round(values[variable]))},
        harvested={key: n for key, variable in exact.h.items() if (n := round(values[variable]))},
        objective_cents=best,
        bound_cents=bound,
        worth=_worth(case, groups, sources),
    )


def _worth(case: Case, groups: tuple[Group, ...], sources: tuple[Source, ...]) -> Worth:
    """Worth of one more: the same plan without whole numbers, solved again with one more given.

    A dual price would tell what a crumb more is worth; one whole part, hour or 100 of money is
    what a storekeeper can lay down.
    """
    loose = _Model(case, groups, sources, integer=False)
    loose.model.maximize(loose.contribution)
    solver = mathopt.IncrementalSolver(loose.model, mathopt.SolverType.GLOP)
    base = solver.solve().objective_value()

    def gain(row: mathopt.LinearConstraint, more: float) -> float:
        row.upper_bound += more
        value = solver.solve().objective_value()
        row.upper_bound -= more
        return max(0.0, float(value - base))

    return Worth(
        parts={kind: round(gain(row, 1)) for kind, row in loose.supply.items()},
        minute=gain(loose.minutes, 60 * TENTHS) / 60,
        money_100=round(gain(loose.money, 10_000)),
    )
