"""Which ways of a large batch are worth a variable, found by prices.

A mixed batch of thousands has tens of thousands of ways, and a plan near the best uses few of them.
So the plan without whole numbers is solved over some ways of each group only. It tells a price of
every part kind, of an hour and of money; at these prices every other way is reckoned up, without a
solver. What would leave more than its group does is let in, and the plan is solved again; once
there is none, no way that was left out takes part in the best plan without whole numbers.

By how much a way then falls short is what any plan loses that has one unit of it, against a bound
that holds for all plans (prices bound a maximum from above, whatever they are). So all that fall
short by more than a plan may are left out of the search, and what is proven of the rest is proven
of the whole.
"""

from collections.abc import Iterable, Mapping, Sequence
from functools import cache
from typing import NamedTuple

import numpy as np

from sortis_core.options import Option
from sortis_core.plan.case import Case, Goal
from sortis_core.plan.columns import Columns, Inside, Takes
from sortis_core.plan.grouping import Group, cheapest_cents
from sortis_core.plan.model import (
    Given,
    Row,
    Taken,
    Worked,
    need_of,
    tenths,
    tenths_of,
)
from sortis_core.plan.narrow import Mask
from sortis_core.plan.sources import DISPLACED, DONATED, Need
from sortis_core.plan.written import Column
from sortis_core.route.minutes import Skill

MANY_WAYS = 10_000
"""Fewer are searched as they are: that takes no longer than to find which are worth it."""
AT_FIRST = 2
"""So many of the best ways of each group are let in at first, at each of two prices of an hour."""
NEAR = 100.0
"""Cents: what leaves so little less than the best of its group is let in at first as well."""
AT_ONCE = 2
"""So many of each group are let in after a solve while prices are far from settled."""
SAMPLED = 500
"""Of more groups than twice this, so many tell the first prices, each standing for several."""
ROUNDS = 25
"""Rarely more than four; a batch that needs more is searched over all its ways."""
HALVINGS = 12
SLACK = 1.0
"""Cents that the bound of all plans may lie above that of the plan over the ways let in."""


class Worthwhile(NamedTuple):
    """The ways that a plan may use which falls short of the bound by no more than was asked."""

    ways: list[tuple[int, ...]]
    """Indices of options, by group."""
    short: float
    """What was asked, as a part of the bound."""
    slack: float
    """The bound that holds for all plans is so many cents above that of the plan over these."""
    prices: dict[Row, float]
    """What a crumb more of what a row counts adds, reckoned for one; never too low, whatever ways
    there are."""
    money: float
    """The same of a cent to spend."""

    def of_part(self, kind: str) -> float:
        """The same of a part, whoever may use it."""
        rows = (row for row in self.prices if isinstance(row, Taken) and row.kind == kind)
        return max([self.prices[row] for row in rows], default=0.0)


def can_be_priced(case: Case, groups: tuple[Group, ...]) -> bool:
    """Whether there are many ways, contribution alone is asked for and nothing is promised.

    Orders of customers, work orders and pins hang ways together that are reckoned up one by one
    here; batches that have them are searched over all their ways.
    """
    return (
        case.goal is Goal.CONTRIBUTION
        and not case.sales_orders
        and not any(group.pin or group.open_order for group in groups)
        and sum(len(group.ways) for group in groups) > MANY_WAYS
    )


def worthwhile(case: Case, groups: tuple[Group, ...], short: float) -> Worthwhile | None:
    """The ways that a plan may use which falls short of the bound by at most ``short`` of it.

    :param case: as of :func:`can_be_priced`.
    :param short: as a part of the bound.
    :returns: None where prices did not settle.
    """
    table = _Table(case, groups)
    prices = table.cheapest()
    if len(groups) > 2 * SAMPLED:
        few = _Table(case, _sampled(groups))
        if told := few.settled(few.at_first(few.cheapest())):
            prices |= told.prices
    settled = table.settled(table.at_first(prices))
    return table.worthwhile(settled, short) if settled else None


def _sampled(groups: tuple[Group, ...]) -> tuple[Group, ...]:
    """Some of the groups, each with the units of several."""
    each = -(-len(groups) // SAMPLED)
    return tuple(group.model_copy(update={"tags": group.tags * each}) for group in groups[::each])


class _Settled(NamedTuple):
    """Prices at which the plan over some ways is the best over all of them."""

    prices: dict[Row, float]
    money: float
    bound: float
    left: Column
    """What a unit of each way leaves at these prices, in cents."""
    reached: Column
    """What the best of these ways of each group leaves."""
    slack: float


class _Table:
    """All ways of a batch in figures: what each leaves at any prices of the model's rows."""

    def __init__(self, case: Case, groups: tuple[Group, ...]) -> None:
        self._case = case
        premium = case.policy.matched_premium_cents
        work = [Worked(None), *(Worked(one.skill) for one in case.skills)]
        ways = [(g, o) for g, group in enumerate(groups) for o in group.ways]
        numbers: dict[Row, int] = {worked: n for n, worked in enumerate(work)}
        self._donors: dict[int, _Donor] = {}
        nets: list[int] = []
        way: list[int] = []
        row: list[int] = []
        by: list[float] = []

        @cache
        def row_of_taken(kind: str, need: Need) -> int:
            return numbers.setdefault(Taken(kind, need), len(numbers))

        @cache
        def row_of_freed(kind: str) -> int:
            return numbers.setdefault(Given(kind, DISPLACED), len(numbers))

        for n, (g, o) in enumerate(ways):
            option = groups[g].options[o]
            nets.append(option.net_cents - premium * option.uneven + option.shelf_cents)
            if option.pieces:
                self._donors[n] = _Donor(option, numbers, work)
                continue
            need = need_of(option)
            for part in option.taken:
                row.append(row_of_taken(part.kind, need))
                by.append(part.count)
            for part in option.freed:
                row.append(row_of_freed(part.kind))
                by.append(-part.count)
            row += range(len(work))
            by += [tenths_of(option, worked.skill) for worked in work]
            way += [n] * (len(row) - len(way))
        self._nets = np.array(nets, dtype=np.float64)
        self._takes = Takes(np.array(way), np.array(row), np.array(by, dtype=np.float64))
        self._ways, self._numbers = ways, numbers
        self._of_group = np.array([g for g, _ in ways])
        self._units = np.array([len(group.tags) for group in groups])
        self._minutes = np.zeros(len(ways))
        of_all = self._takes.row == 0
        self._minutes[self._takes.way[of_all]] = self._takes.by[of_all]
        self._is_donor: Mask = np.isin(np.arange(len(ways)), list(self._donors))
        takes = np.bincount(self._takes.way, np.maximum(self._takes.by, 0.0), len(ways))
        self._idle: Mask = (takes == 0) & ~self._is_donor
        """What takes nothing: with it there is always a plan."""
        inside = {n: donor.inside for n, donor in self._donors.items()}
        self._columns = Columns(case, groups, ways, self._nets, self._takes, numbers, inside)

    def left(self, prices: Mapping[Row, float]) -> Column:
        """What a unit of each way leaves at these prices, in cents."""
        price = np.array([prices.get(key, 0.0) for key in self._numbers])
        way, row, by = self._takes
        left = self._nets - np.bincount(way, by * price[row], minlength=len(self._nets))
        figures = price.tolist()
        for n, donor in self._donors.items():
            left[n] += donor.gives(figures)
        return left

    def cheapest(self) -> dict[Row, float]:
        """Of each part the lowest price, of each tenth of a minute one that fills the hours."""
        cheapest = cheapest_cents(self._case)
        prices: dict[Row, float] = {
            row: float(cheapest[row.kind]) for row in self._numbers if not isinstance(row, Worked)
        }
        return {**prices, Worked(None): self._hourly(self.left(prices))}

    def at_first(self, prices: dict[Row, float]) -> Mask:
        """The best ways of each group at some prices, and at those with hours for nothing."""
        dear, free = self.left(prices), self.left({**prices, Worked(None): 0.0})
        near: Mask = dear >= self._reached(dear)[self._of_group] - NEAR
        return self._idle | near | self._best(dear, AT_FIRST) | self._best(free, AT_FIRST)

    def settled(self, chosen: Mask) -> _Settled | None:
        """Solve over some ways and let in what leaves more at the prices told, until none does.

        :param chosen: the ways to begin with.
        """
        for _ in range(ROUNDS):
            found = self._columns.best(chosen)
            if found is None:
                return None
            left = self.left(found.prices)
            # A donor that was put in leaves what the model says, which has it as it is.
            donors = chosen & self._is_donor
            left[donors] = found.donors[donors]
            reached = self._reached(np.where(chosen, left, -np.inf))
            slack = float((self._reached(left) - reached) @ self._units)
            if slack <= SLACK:
                return _Settled(found.prices, found.money, found.value, left, reached, slack)
            better = ~chosen & (left > reached[self._of_group])
            chosen |= better & self._best(np.where(better, left, -np.inf), AT_ONCE)
        return None

    def worthwhile(self, at: _Settled, short: float) -> Worthwhile:
        """The ways of which a unit costs a plan no more than was asked.

        Those of the best plan without whole numbers cost it nothing, and are among them.
        """
        most = short * abs(at.bound) + at.slack
        near = at.left >= at.reached[self._of_group] - most
        return Worthwhile(self._by_group(near), short, at.slack, at.prices, at.money)

    def _hourly(self, free: Column) -> float:
        """The price of a tenth of a minute at which there are as many hours as the batch takes."""
        low, high = 0.0, 100.0
        for _ in range(HALVINGS):
            price = (low + high) / 2
            best = self._best(free - price * self._minutes, 1)
            used = self._minutes[best] @ self._units[self._of_group[best]]
            low, high = (price, high) if used > tenths(self._case.bench_minutes) else (low, price)
        return high

    def _best(self, left: Column, count: int) -> Mask:
        """So many of the ways of each group, those that leave most."""
        order = np.lexsort((-left, self._of_group))
        groups = self._of_group[order]
        begins = np.searchsorted(groups, groups)
        best: Mask = np.zeros(len(left), dtype=np.bool_)
        best[order[np.arange(len(order)) - begins < count]] = True
        return best

    def _reached(self, left: Column) -> Column:
        """What the best way of each group leaves, of one unit."""
        most: Column = np.full(len(self._units), -np.inf)
        np.maximum.at(most, self._of_group, left)
        return most

    def _by_group(self, chosen: Mask) -> list[tuple[int, ...]]:
        """The chosen ways as indices of options, by group."""
        found: list[list[int]] = [[] for _ in self._units]
        for n in np.flatnonzero(chosen):
            g, o = self._ways[n]
            found[g].append(o)
        return [tuple(one) for one in found]


class _Donor:
    """What a donor leaves at most by what it gives: what is worth the work at it and on the way.

    Layers that overlap without one lying inside the other are not all reckoned with, so that a
    donor may seem to leave more than it does, never less.
    """

    def __init__(self, option: Option, numbers: dict[Row, int], work: Iterable[Worked]) -> None:
        self.inside = Inside(
            gives=tuple(
                numbers.setdefault(Given(action.takes_out, DONATED), len(numbers))
                for action in option.actions
            ),
            work=tuple(numbers[one] for one in work if one.skill in (None, Skill.BENCH)),
        )
        self._pieces = [(piece.labour_cents, tenths(piece.minutes)) for piece in option.pieces]
        nested: list[set[int]] = []
        self._layers: list[tuple[int, tuple[int, ...], int, int]] = []
        for layer in sorted(option.layers, key=lambda layer: len(layer.over)):
            over = set(layer.over)
            if all(one <= over or one.isdisjoint(over) for one in nested):
                nested.append(over)
                minutes = tenths(layer.minutes)
                self._layers.append((layer.over[0], layer.over, layer.labour_cents, minutes))

    def gives(self, price: Sequence[float]) -> float:
        """Cents that its parts leave at these prices, by number of the row.

        Layers lie inside one another: from the innermost out each is opened where what is under it
        leaves more than the opening costs. What a layer leaves stands at the first part under it.
        """
        hour = sum([price[row] for row in self.inside.work])
        gain = [
            max(0.0, price[row] - cents - hour * minutes)
            for row, (cents, minutes) in zip(self.inside.gives, self._pieces, strict=True)
        ]
        for first, over, cents, minutes in self._layers:
            under = sum([gain[n] for n in over]) - cents - hour * minutes
            for n in over:
                gain[n] = 0.0
            if under > 0:
                gain[first] = under
        return sum(gain)
