"""Solve the plan goal by goal, prove it, and ask what one more of everything is worth."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import NamedTuple

from ortools.math_opt.python import mathopt

from sortis_core.base import Record, SortisError
from sortis_core.plan.aside import stand_aside
from sortis_core.plan.case import Case, Goal
from sortis_core.plan.grouping import Group
from sortis_core.plan.model import TENTHS, BatchModel, Taken, Worked, rounded
from sortis_core.plan.narrow import SLIVER, Narrowed, TooNarrow, whole_model
from sortis_core.plan.onemore import Asked, OneMore, crumb_prices, without_whole_numbers
from sortis_core.plan.priced import Worthwhile, can_be_priced, worthwhile
from sortis_core.plan.result import Proof
from sortis_core.plan.sources import Need
from sortis_core.plan.written import Again, Told, Written, solve_written

SOLVE_SECONDS = 120
PROVEN_NODES = 6_000
"""Searched at most; few plans need a tenth of it, and then the bound says how near it is."""
EXACT_UNITS = 300
"""Up to this size a plan is proven to the cent."""
FEW_UNITS = 60
"""Up to this size cuts cost more than they save."""
LARGE_GAP = 1e-5
"""Larger batches are proven to one part in 100,000; the last cent would take minutes."""
QUICK_GAP = 5e-4
QUICK_NODES = 6
QUICK_SLIVER = 1e-4
"""A plan while the hand is on the dial: near enough to see where it goes."""
SLIVER_UNITS = 1_000
"""Up to this size the sliver that is searched first is as thick as it is; then it thins."""
WIDER, WIDENED = 4.0, 3
"""Where they did not suffice, by how much more, and how often before all of them are."""
STOPPED_GAP = 1e-2
"""A search that somebody stops ends with a plan proven to one part in 100."""
DEAREST = 9
"""Of so many things it is right what one more is worth in a large batch; others by price."""
MANY_VARIABLES = 25_000
"""Of a larger model all stand with the price of a crumb, and the choice among equals is the
search's own, the same each time: to choose would spare one opening of some thousands."""
HOUR, MONEY_100 = 60 * TENTHS, 10_000
"""What of minutes and of money one more is, as the model counts them."""
SECOND_GOAL_NODES = 5
"""The second goal is worth little work; a limit in nodes, unlike one in seconds, repeats."""
SECOND_GOAL_GAP = 0.02
"""Beyond the size that is solved exactly, a choice among equals this near to the best will do."""


class NotSolved(SortisError):
    """The solver found no plan in its time."""

    title = "No plan was found"


class WishesClash(SortisError):
    """Orders and pins cannot all hold; the sentence names the smallest set that cannot."""

    title = "The wishes cannot all be met"


class Worth(Record):
    """What one more of something scarce would add to the contribution, in cents."""

    parts: dict[str, int]
    minute: float
    money_100: int
    skills: dict[str, int] = {}
    """Of one more hour."""


class Figures(Record):
    """A plan in three numbers."""

    contribution_cents: int
    ready: int
    spend_cents: int


class Chosen(NamedTuple):
    """So many units of a group end by one option (-1: its open order), toward a sales order."""

    group: int
    option: int
    order: str
    units: int


class Solution(Record):
    """What the solver decided, and what it proved."""

    chosen: tuple[Chosen, ...]
    drawn: tuple[tuple[str, Need, str, int], ...]
    """(part kind, need, source key or way of harvest, parts at most)."""
    bought: dict[str, int]
    """Offer key -> parts."""
    given: dict[tuple[int, int], tuple[int, ...]]
    """Donors: (group, option) -> units that give by each of its actions."""
    giving: dict[tuple[int, int], tuple[int, ...]]
    """Upgrades: (group, option) -> units whose displaced parts may serve others, by turn."""
    proofs: tuple[Proof, ...]
    every_turn: bool = False
    """Solved in turn, and no order in which units wait for one another was left out: the bounds
    hold for every plan in which nobody waits in a circle."""
    worth: Worth


@dataclass
class Watch:
    """Somebody who looks on while a large plan is solved, and may stop it.

    :param tell: called with the goal, the best value so far and the proven bound.
    :param stop_asked: whether to end with a plan that is proven less closely.
    """

    tell: Callable[[str, float, float], None]
    stop_asked: Callable[[], bool]


class _Stopped(Exception):
    """Raised out of the solver's log, which is the one place where a search can be left."""


class Solver:
    """Runs the goals of one model one after another, each under what those before reached.

    :param quick: near enough while a dial turns.
    :param relaxed: as of :class:`~sortis_core.plan.narrow.Narrowed`.
    :param within: the model has only these ways.
    """

    def __init__(
        self,
        batch: BatchModel,
        nodes: int,
        watch: Watch | None,
        *,
        quick: bool = False,
        relaxed: Again | None = None,
        within: Worthwhile | None = None,
    ) -> None:
        self._batch, self._watch, self._quick, self._relaxed = batch, watch, quick, relaxed
        self.within = within
        self._nodes = QUICK_NODES if quick else nodes
        self._gap = max(QUICK_GAP if quick else 0.0, gap_for(batch.case))
        units = len(batch.case.units)
        self._few = units <= FEW_UNITS
        self._narrowed: Narrowed | None = None
        self._reached: mathopt.BoundedLinearTypes | None = None
        """The goal before, not written into the model while no other follows."""
        self._held: list[mathopt.LinearConstraint] = []
        self._values: dict[int, float] = {}
        self.proofs: list[Proof] = []

    def goal(self, name: str, value: mathopt.LinearTypes, *, most: bool, nodes: int = 0) -> None:
        """Make ``value`` best and keep it so for the goals that follow.

        :raises WishesClash: where nothing satisfies the wishes.
        :raises NotSolved: where time ran out before the first plan.
        """
        stand_aside()
        model = self._batch.model
        if self._reached is not None:
            self._held.append(model.add_linear_constraint(self._reached))
            self._reached = None
        self._batch.aim(value, most=most)
        try:
            result, bound = self._search(name, nodes)
        except _Stopped:
            # What follows is searched no closer than this, quickly and the same each time.
            self._gap, self._watch = STOPPED_GAP, None
            if nodes:
                return
            result = self._run(self._left(), self._gap, PROVEN_NODES, name)
            bound = result.bound
            if self._narrowed and result.value is not None:
                # What was held still is not proven to be so in every plan; the relaxed one is.
                bound = self._narrowed.bound or bound
                bound += self.within.slack if self.within else 0.0
            elif self._narrowed:
                relaxed, self._narrowed = self._narrowed.bound, None
                result = self._run(self._left(), self._gap, PROVEN_NODES, name)
                bound = result.bound
                if self.within and relaxed is not None:
                    # A search of some of the ways proves nothing of the others.
                    bound = max(bound, relaxed + self.within.slack)
        if result.value is None:
            if nodes:
                return
            if result.impossible:
                raise WishesClash("The orders and pins cannot all be met.")
            raise NotSolved("The solver found no plan in its time. Plan fewer units at once.")
        self._values = self._narrowed.values(result) if self._narrowed else result.values()
        best = float(round(result.value))
        if nodes:
            return
        self.proofs.append(Proof(goal=name, value=best, bound=float(round(bound))))
        self._reached = value >= best if most else value <= best

    def _search(self, name: str, nodes: int) -> tuple[Told, float]:
        """The result for the goal that is set, and the bound that holds for every plan."""
        if nodes or self._few:
            if self._narrowed:
                self._narrowed.tighten(self.proofs[-1].value)
            result = self._branch(self._left(), name, nodes)
            return result, result.bound
        self._narrowed = Narrowed(self._batch.model, self._batch.whole, self._relaxed)
        result, bound = self._narrowed.search(
            lambda model: self._branch(model, name),
            sliver=QUICK_SLIVER if self._quick else sliver_for(self._batch.case),
            near=self._quick,
            enough=self._gap,
            most=self.within.short if self.within else float("inf"),
        )
        return result, bound + (self.within.slack if self.within else 0.0)

    def _left(self) -> Written:
        """The model as it stands, without what the last proven goal holds still."""
        written = self._batch.model.export_model(remove_names=True)
        if self._narrowed:
            left = self._narrowed.left(written)
            if left is not None:
                return left
            self._narrowed = None
        return whole_model(written, self._batch.whole) if self._relaxed else written

    def _branch(self, model: Written, name: str, nodes: int = 0) -> Told:
        """Search a model, at first no further than so many nodes."""
        gap = SECOND_GOAL_GAP if nodes and self._gap else self._gap
        result = self._run(model, gap, nodes or self._nodes, name)
        if not nodes and not _answered(result):
            result = self._run(model, self._gap, PROVEN_NODES, name)
        return result

    def relaxed_plan(self) -> Told | None:
        """The relaxed plan that the last proven goal was narrowed by, where it was."""
        return self._narrowed.relaxed if self._narrowed else None

    def values(self) -> dict[mathopt.Variable, float]:
        """What the variables stand at after the last goal."""
        known = self._values
        found = {one: known[id] for id, one in self._batch.columns.items() if id in known}
        _keep_whole(self._batch, found)
        return found

    def give_back(self) -> None:
        """Let go of the goals that were reached: the model is as it was."""
        for row in self._held:
            self._batch.model.delete_linear_constraint(row)
        self._held = []

    def _run(self, model: Written, gap: float, nodes: int, name: str) -> Told:
        stand_aside()
        # One thread and a fixed seed: the same case gives the same plan each time. Branch and cut
        # proves these plans to the cent many times faster than search by constraint propagation;
        # and with little of heuristics and cuts, since the best plan is found early and the time
        # goes into its proof.
        few, watch = self._few, self._watch
        cuts = not (self._quick or few)
        parameters = mathopt.SolveParameters(
            threads=1,
            random_seed=7,
            time_limit=timedelta(seconds=SOLVE_SECONDS),
            relative_gap_tolerance=gap,
            node_limit=nodes,
            heuristics=mathopt.Emphasis.LOW,
            cuts=mathopt.Emphasis.LOW if cuts else mathopt.Emphasis.OFF,
            presolve=mathopt.Emphasis.LOW,
        )
        known = self._values
        return solve_written(
            model,
            mathopt.SolverType.GSCIP,
            parameters,
            hint={one: float(round(known[one])) for one in model.variables.ids if one in known},
            read=_teller(name, watch) if watch else None,
        )


def _keep_whole(batch: BatchModel, values: dict[mathopt.Variable, float]) -> None:
    """Who gives nothing is no donor: it is held or recycled, which is as good for the batch.

    What the batch leaves would else hang on which of the two a search came upon first.

    :param values: what the variables stand at; changed.
    """
    for (g, o), parts in batch.part.items():
        group, donors = batch.groups[g], batch.x[g, o]
        opened = max([round(values[one]) for one in (*parts, *batch.layer[g, o])], default=0)
        whole = round(values[donors]) - max(opened, round(donors.lower_bound))
        if whole <= 0 or group.pin:
            continue
        leaves = group.options[o].net_cents
        for other in batch.ways[g]:
            end = group.options[other]
            if end.stays_whole and end.net_cents + end.shelf_cents == leaves:
                values[donors] -= whole
                values[batch.x[g, other]] += whole
                break


def _answered(result: Told) -> bool:
    return result.impossible or result.value is not None


def _teller(name: str, watch: Watch) -> Callable[[Sequence[str]], None]:
    """Read best value and bound off the solver's log.

    A callback inside the search would change its course, and with it the plan among equals; the
    log does not.
    """

    def read(lines: Sequence[str]) -> None:
        for line in lines:
            cells = line.split("|")
            try:
                bound, best = float(cells[-4]), float(cells[-3])
            except (IndexError, ValueError):
                continue
            watch.tell(name, best, bound)
        if watch.stop_asked():
            raise _Stopped

    return read


def gap_for(case: Case) -> float:
    """How closely a case of this size is proven, as a part of the objective."""
    return 0.0 if len(case.units) <= EXACT_UNITS else LARGE_GAP


def sliver_for(case: Case) -> float:
    """How much a plan of whole numbers may fall short of one without, at first; of its value.

    What a batch leaves on the table for want of whole numbers grows with what is scarce, not with
    its units, and the more of them the more ways lie between: of the value of many it is a thinner
    sliver by the square.
    """
    return SLIVER * min(1.0, SLIVER_UNITS / max(1, len(case.units))) ** 2


def searched(
    case: Case,
    groups: tuple[Group, ...],
    *,
    watch: Watch | None = None,
    settle: bool = True,
    nodes: int = PROVEN_NODES,
) -> tuple[BatchModel, Solver]:
    """The model of a case, solved; of a large one only with the ways that are worth it.

    :param watch, settle, nodes: as of :func:`run_goals`.
    """
    if len(case.units) > EXACT_UNITS and can_be_priced(case, groups):
        short = sliver_for(case)
        for _ in range(WIDENED):
            within = worthwhile(case, groups, short)
            if within is None:
                break
            batch = BatchModel(case, groups, ways=within.ways)
            try:
                return batch, run_goals(batch, watch, settle=settle, nodes=nodes, within=within)
            except TooNarrow:
                short *= WIDER
    batch = BatchModel(case, groups)
    return batch, run_goals(batch, watch, settle=settle, nodes=nodes)


def run_goals(
    batch: BatchModel,
    watch: Watch | None = None,
    *,
    quick: bool = False,
    settle: bool = True,
    nodes: int = PROVEN_NODES,
    relaxed: Again | None = None,
    within: Worthwhile | None = None,
) -> Solver:
    """Solve for the goals of the case in order; see :class:`Goal`.

    :param quick: near enough while a dial turns; the choice among equals is left open.
    :param nodes: searched at most.
    :param settle: also choose among equals; without, only the figures are of use.
    :param relaxed: as of :class:`~sortis_core.plan.narrow.Narrowed`.
    :param within: the model has only these ways.
    :raises TooNarrow: where they do not hold a plan that proves they are enough.
    """
    case = batch.case
    solver = Solver(batch, nodes, watch, quick=quick, relaxed=relaxed, within=within)
    if batch.kept:
        kept = mathopt.fast_sum(batch.kept.values())
        solver.goal("work orders kept", kept, most=True)
    if case.goal is Goal.READY:
        solver.goal("units ready", batch.ready, most=True)
    elif case.goal is Goal.SPEND:
        solver.goal("spend", batch.spend, most=False)
    elif case.goal is Goal.ORDERS:
        solver.goal("units short of orders", mathopt.fast_sum(batch.short.values()), most=False)
    solver.goal("contribution", batch.preferred, most=True)
    if settle and not quick and batch.model.get_num_variables() <= MANY_VARIABLES:
        solver.goal("fewer openings", batch.second, most=False, nodes=SECOND_GOAL_NODES)
    return solver


def solve(
    case: Case,
    groups: tuple[Group, ...],
    *,
    watch: Watch | None = None,
    in_turn: bool = False,
) -> Solution:
    """Solve the plan over groups.

    :param in_turn: as of :class:`BatchModel`.
    :raises NotSolved: where the solver found nothing in its time.
    :raises WishesClash: where orders and pins cannot all hold.
    """
    if in_turn:
        batch = BatchModel(case, groups, in_turn=True)
        solver = run_goals(batch, watch)
    else:
        batch, solver = searched(case, groups, watch=watch)
    found = read_off(batch, solver)
    worth = (
        worth_at_prices(solver.within)
        if solver.within
        else worth_of_one_more(batch, solver.relaxed_plan())
    )
    return found.model_copy(update={"worth": worth})


def solve_forced(
    case: Case,
    groups: tuple[Group, ...],
    g: int,
    o: int,
    near: Mapping[tuple[int, str], int],
    in_turn: bool = False,
) -> Solution:
    """Solve with a unit of a group ending by one option, as near to another plan as it goes.

    :param near: (group, key of its option) -> units, of the plan to stay near to.
    :param in_turn: as of :class:`BatchModel`.
    :raises WishesClash: where no plan has it.
    """
    batch = BatchModel(case, groups, all_ways_of=g, in_turn=in_turn)
    batch.x[g, o].lower_bound = 1
    solver = run_goals(batch, settle=False)
    alike: list[mathopt.LinearTypes] = []
    for (group, option), units in batch.x.items():
        before = near.get((group, groups[group].options[option].key), 0)
        if before:
            same = batch.model.add_variable(lb=0, ub=before)
            batch.model.add_linear_constraint(same <= units)
            alike.append(same)
    solver.goal("like the plan", mathopt.fast_sum(alike), most=True, nodes=SECOND_GOAL_NODES)
    return read_off(batch, solver)


def read_off(batch: BatchModel, solver: Solver) -> Solution:
    """The solution that the last solve left, without what one more is worth."""
    stand_aside()
    values = solver.values()
    chosen: list[Chosen] = []
    for (g, o), variable in batch.x.items():
        chosen += _toward_orders(batch, g, o, round(values[variable]), values)
    for g, variable in batch.kept.items():
        chosen += _toward_orders(batch, g, -1, round(values[variable]), values)
    return Solution(
        chosen=tuple(sorted(chosen)),
        drawn=tuple(
            (kind, need, key, count)
            for (kind, need, key), parts in batch.flow.items()
            if (count := rounded(parts, values))
        ),
        bought={key: n for key, parts in batch.bought.items() if (n := rounded(parts, values))},
        given={
            key: tuple(round(values[part]) for part in parts) for key, parts in batch.part.items()
        },
        giving={
            key: tuple(round(values[units]) for units in turns)
            for key, turns in batch.giving.items()
        },
        proofs=tuple(solver.proofs),
        every_turn=batch.every_turn,
        worth=Worth(parts={}, minute=0.0, money_100=0),
    )


def figures_of(batch: BatchModel, solver: Solver) -> Figures:
    """The figures of the plan that the last solve left."""
    values = solver.values()
    return Figures(
        contribution_cents=rounded(batch.contribution, values),
        ready=rounded(batch.ready, values),
        spend_cents=rounded(batch.spend, values),
    )


def _toward_orders(
    batch: BatchModel, g: int, o: int, units: int, values: dict[mathopt.Variable, float]
) -> list[Chosen]:
    """Split the units of one option by the order they count toward."""
    split: list[Chosen] = []
    for order in batch.case.sales_orders:
        z = batch.z.get((g, o, order.key))
        count = 0 if z is None else round(values[z])
        if count:
            split.append(Chosen(g, o, order.key, count))
            units -= count
    return [*split, Chosen(g, o, "", units)] if units else split


def worth_of_one_more(
    batch: BatchModel,
    known: Told | None = None,
) -> Worth:
    """Worth of one more: the same plan without whole numbers, solved again with one more given.

    A dual price would tell what a crumb more is worth; one whole part, hour or 100 of money is
    what a storekeeper can lay down. The value is concave in what there is, so that a thing whose
    dual price is nothing adds nothing, and need not be asked.

    :param batch: a model that was solved; the goals it reached stay held, and it is relaxed.
    :param known: the relaxed plan under these goals, where it was solved already: holding what
        was reached as well takes nothing from it.
    """
    batch.relax()
    batch.aim(batch.preferred, most=True)
    asked = [
        Asked(row=True, id=batch.minutes.id, more=HOUR),
        Asked(row=True, id=batch.money.id, more=MONEY_100),
        *(Asked(row=True, id=row.id, more=HOUR) for row in batch.skills.values()),
        *(Asked(row=False, id=extra.id, more=1) for extra in batch.extra.values()),
    ]
    if batch.model.get_num_variables() > MANY_VARIABLES:
        gains = crumb_prices(known or without_whole_numbers(batch.model), asked)
    else:
        large = len(batch.case.units) > EXACT_UNITS
        gains = OneMore(batch.model).gains(asked, DEAREST if large else None)
    hour, money, *others = gains
    skills, parts = others[: len(batch.skills)], others[len(batch.skills) :]
    return Worth(
        parts={kind: round(gain) for kind, gain in zip(batch.extra, parts, strict=True)},
        minute=hour / 60,
        money_100=round(money),
        skills={skill.value: round(gain) for skill, gain in zip(batch.skills, skills, strict=True)},
    )


def worth_at_prices(within: Worthwhile) -> Worth:
    """Worth of one more where only some ways were searched: by the prices that hold for all.

    One more of something may pay by a way that was left out.
    """
    work = {row.skill: price for row, price in within.prices.items() if isinstance(row, Worked)}
    kinds = sorted({row.kind for row in within.prices if isinstance(row, Taken)})
    return Worth(
        parts={kind: round(within.of_part(kind)) for kind in kinds},
        minute=work[None] * TENTHS,
        money_100=round(within.money * MONEY_100),
        skills={skill.value: round(price * HOUR) for skill, price in work.items() if skill},
    )
