"""The integer plan over groups, written as sums over named sets.

Sets: groups g with options o, part kinds k, sources s of a kind (a lot, an offer), sales orders r.

- ``x[g, o]``     units of group g that end by option o
- ``kept[g]``     1 where the open order of group g is kept
- ``z[g, o, r]``  those of ``x`` that count toward order r
- ``y[s]``        parts used from source s, ``bought[s]`` parts bought of it, in whole packs
- ``part[g, o, i]``   units of a donor option that give by its action i; ``layer[g, o, l]`` units
  opened so far
- ``giving[g, o]``  those of ``x`` whose displaced parts may serve others, by turn: they take of
  others only what was displaced in a turn before
- ``h[k, w]``     parts of kind k taken from donors, or displaced, and used in this same plan
- ``flow[k, need, s]``  where uses of a kind ask different things of their sources

Every unit ends once, parts used come from somewhere, harvest is no more than what the chosen
options yield, money and minutes hold, orders are met. Maximised is contribution: price less
parts, labour and fees, less what is bought and not used. A harvested part is charged to whoever
uses it and credited to whoever gives it, so it cancels here.
"""

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import NamedTuple, TypeAlias

import numpy as np
from numpy.typing import NDArray
from ortools.math_opt.python import mathopt

from sortis_core.options import Option, OutcomeKind
from sortis_core.options.dominance import worth_a_variable
from sortis_core.options.option import option_key
from sortis_core.plan.aside import stand_aside
from sortis_core.plan.case import Case, Goal, OpenOrder, Pin
from sortis_core.plan.draft import Draft
from sortis_core.plan.grouping import Group
from sortis_core.plan.sources import (
    DISPLACED,
    DONATED,
    TURNS,
    Need,
    Source,
    displaced_in,
    sources_of,
)
from sortis_core.route.minutes import Skill
from sortis_core.stock import DriveFacts

Sum: TypeAlias = mathopt.LinearTypes
TENTHS = 10
"""Minutes enter the model as whole tenths."""


def rounded(expression: Sum, values: dict[mathopt.Variable, float]) -> int:
    """A sum of whole variables, read off a solution."""
    value: float = mathopt.evaluate_expression(expression, values)
    return round(value)


def tenths(minutes: float) -> int:
    """Minutes as the model counts them."""
    return round(minutes * TENTHS)


class Worked(NamedTuple):
    """Row: the work of a skill, or of all."""

    skill: Skill | None


class Taken(NamedTuple):
    """Row: the parts of a kind that are used by whoever asks this of their sources."""

    kind: str
    need: Need


class Given(NamedTuple):
    """Row: the parts of a kind that other units give in one way."""

    kind: str
    way: str


PartsRow: TypeAlias = Taken | Given
Row: TypeAlias = Worked | PartsRow


def need_of(option: Option) -> Need:
    """What an option asks of its parts while nobody waits for it and it waits for nobody."""
    return Need(option.new_only, None)


def pinned_options(group: Group, pin: Pin) -> tuple[int, ...]:
    """Indices of the group's options that a pin allows; none where there is no such way."""
    return tuple(
        o
        for o, option in enumerate(group.options)
        if option.outcome is pin.outcome
        and pin.standard in ("", option.standard)
        and pin.option in ("", option.key)
    )


class BatchModel:
    """Variables and rows of one case.

    :param optional_wishes: orders and pins hold only where their variable in ``wish`` is 1.
    :param all_ways_of: index of a group of which every option gets a variable, also
        those that another one beats.
    :param ways: indices of the options that get a variable, by group; else as it sees fit.
    :param rows: rows of parts that are written also where nothing takes or gives such a part.
    :param in_turn: what gives a part takes of other upgrades only those of a turn before, so that
        nobody waits in a circle; needed only where the plan without it does.
    """

    def __init__(
        self,
        case: Case,
        groups: tuple[Group, ...],
        *,
        optional_wishes: bool = False,
        all_ways_of: int | None = None,
        ways: Sequence[tuple[int, ...]] | None = None,
        rows: frozenset[PartsRow] = frozenset(),
        in_turn: bool = False,
    ) -> None:
        self.case, self.groups = case, groups
        self.sources = sources_of(case)
        self._drives = {k.key for k in case.kinds if isinstance(k.facts, DriveFacts)}
        self._by_kind: dict[str, list[Source]] = defaultdict(list)
        for source in self.sources:
            self._by_kind[source.kind].append(source)
        self.wish: dict[str, mathopt.Variable] = {}
        self.short: dict[str, mathopt.Variable] = {}
        self._optional, self._in_turn = optional_wishes, in_turn
        self._rows = rows
        self.rows: dict[Row, mathopt.LinearConstraint] = {}
        """What minutes and parts of ways are counted in."""
        asked = frozenset(order.standard for order in case.sales_orders)
        self.ways: Sequence[tuple[int, ...]] = ways or [
            tuple(range(len(group.options)))
            if g == all_ways_of or group.pin
            else (worth_a_variable(group.options, asked) if asked else group.ways)
            for g, group in enumerate(groups)
        ]
        """Indices of the options that have a variable, by group."""
        self._aim: tuple[mathopt.LinearTypes, bool] | None = None
        for write in (self._units, self._orders, self._parts, self._limits, self._goals):
            stand_aside()
            write()
        self.columns: dict[int, mathopt.Variable] = {one.id: one for one in self.model.variables()}
        """Its variables by their ids."""
        written = self.model.export_model(remove_names=True).variables
        self.whole: NDArray[np.int64] = np.array(written.ids)[np.array(written.integers)]
        """Ids of the variables that stand for whole numbers, also once that is given up."""

    def _options(self, g: int) -> list[tuple[int, Option]]:
        """The options of a group that have a variable, by their index."""
        return [(o, self.groups[g].options[o]) for o in self.ways[g]]

    def _count(self, most: float = float("inf")) -> mathopt.Variable:
        return self.model.add_variable(lb=0, ub=most, is_integer=True)

    def relax(self) -> None:
        """Give up whole numbers: what is left tells what things are worth."""
        for variable in self.model.variables():
            variable.integer = False

    def aim(self, value: mathopt.LinearTypes, *, most: bool) -> None:
        """Look for the most or the least of ``value``; while a dial turns that stays as it is."""
        if self._aim and self._aim[0] is value and self._aim[1] == most:
            return
        self._aim = value, most
        if most:
            self.model.maximize(value)
        else:
            self.model.minimize(value)

    def _wish(self, key: str) -> Sum:
        """1 while the wish must hold."""
        if not self._optional:
            return 1
        self.wish[key] = self._count(1)
        return self.wish[key]

    def _units(self) -> None:
        """Every unit ends once; the thousands of variables of this are written at one go."""
        draft = Draft()
        x = {
            (g, o): draft.count(len(group.tags))
            for g, group in enumerate(self.groups)
            for o in self.ways[g]
        }
        part: dict[tuple[int, int], list[int]] = {}
        layer: dict[tuple[int, int], list[int]] = {}
        takes_and_gives: list[tuple[int, int]] = []
        for key, units in x.items():
            group = self.groups[key[0]]
            option = group.options[key[1]]
            if option.pieces:
                part[key], layer[key] = donor_in(draft, option, units, len(group.tags))
            elif self._in_turn and option.uses and option.freed:
                takes_and_gives.append(key)
        waiting = sum(len(self.groups[g].tags) for g in {g for g, _ in takes_and_gives})
        self.every_turn = waiting <= TURNS and not self.case.sales_orders
        """No order in which units wait for one another is left out."""
        giving = {
            (g, o): [draft.count(len(self.groups[g].tags)) for _ in range(min(TURNS, waiting))]
            for g, o in takes_and_gives
        }
        kept = {g: draft.count(1) for g, group in enumerate(self.groups) if group.open_order}
        for g, group in enumerate(self.groups):
            ends = [x[g, o] for o in self.ways[g]]
            draft.exactly(len(group.tags), [*ends, kept[g]] if g in kept else ends)
        self.model = draft.model()
        one = list(self.model.variables())
        self.x = {key: one[n] for key, n in x.items()}
        self.part = {key: [one[n] for n in parts] for key, parts in part.items()}
        self.layer = {key: [one[n] for n in layers] for key, layers in layer.items()}
        self.giving = {key: [one[n] for n in turns] for key, turns in giving.items()}
        self.kept = {g: one[n] for g, n in kept.items()}
        by_tag = {group.tags[0]: g for g, group in enumerate(self.groups) if group.open_order}
        for g, group in enumerate(self.groups):
            for promised in group.open_order.parts if group.open_order else ():
                if promised.source == "unit" and promised.source_key in by_tag:
                    # What another unit gives comes only while its open order is kept.
                    giver = self.kept[by_tag[promised.source_key]]
                    self.model.add_linear_constraint(self.kept[g] <= giver)
            if group.pin:
                allowed = [self.x[g, o] for o in pinned_options(group, group.pin)]
                if group.open_order and _same_end(group, group.pin):
                    allowed.append(self.kept[g])
                self.model.add_linear_constraint(
                    mathopt.fast_sum(allowed) >= self._wish(f"pin:{group.pin.tag}")
                )

    def _orders(self) -> None:
        self.z: dict[tuple[int, int, str], mathopt.Variable] = {}
        for order in self.case.sales_orders:
            serving: list[Sum] = []
            for g, group in enumerate(self.groups):
                if order.sheets and group.sheet not in order.sheets:
                    continue
                for o, option in self._options(g):
                    if option.standard == order.standard:
                        z = self._count(len(group.tags))
                        self.z[g, o, order.key] = z
                        serving.append(z)
                if group.open_order and group.open_order.standard == order.standard:
                    z = self._count(1)
                    self.z[g, -1, order.key] = z
                    serving.append(z)
            short: Sum = 0
            if self.case.goal is Goal.ORDERS:
                self.short[order.key] = short = self._count(order.count)
            self.model.add_linear_constraint(
                mathopt.fast_sum(serving) + short >= order.count * self._wish(f"order:{order.key}")
            )
            if order.price_cents is not None:
                # Their own price is for what they ordered; what is more goes at the shelf's.
                self.model.add_linear_constraint(mathopt.fast_sum(serving) <= order.count)
        toward: dict[tuple[int, int], list[Sum]] = defaultdict(list)
        for (g, o, _), z in self.z.items():
            toward[g, o].append(z)
        for (g, o), zs in toward.items():
            chosen = self.kept[g] if o < 0 else self.x[g, o]
            self.model.add_linear_constraint(mathopt.fast_sum(zs) <= chosen)

    def _needs(self) -> dict[str, dict[Need, list[Sum]]]:
        """Part kind -> need -> the uses that ask it."""
        early = {
            order.key: order.days for order in self.case.sales_orders if order.days is not None
        }
        needs: dict[str, dict[Need, list[Sum]]] = defaultdict(lambda: defaultdict(list))
        for row in self._rows:
            if isinstance(row, Taken):
                needs[row.kind][row.need] = []
        for g in range(len(self.groups)):
            for o, option in self._options(g):
                giving = self.giving.get((g, o), [])
                early_units = [
                    (days, z)
                    for order, days in early.items()
                    if (z := self.z.get((g, o, order))) is not None
                ]
                counted = [self.z[key] for key in self.z if key[:2] == (g, o)]
                if giving:
                    # What counts toward a sales order gives nothing away, so that the two are
                    # dealt out to units apart.
                    self.model.add_linear_constraint(
                        mathopt.fast_sum([*giving, *counted]) <= self.x[g, o]
                    )
                for part in option.taken:
                    count = part.count
                    by_due = need_of(option)
                    needs[part.kind][by_due].append(count * self.x[g, o])
                    for turn, units in enumerate(giving):
                        needs[part.kind][by_due].append(-count * units)
                        needs[part.kind][by_due._replace(turn=turn)].append(count * units)
                    for days, z in early_units:
                        needs[part.kind][by_due].append(-count * z)
                        needs[part.kind][by_due._replace(days=days)].append(count * z)
        return needs

    def _freed(self, source: Source) -> Sum:
        """Parts of a lot that come free where open orders are changed."""
        terms: list[Sum] = []
        for g, kept in self.kept.items():
            open_order = self.groups[g].open_order
            assert open_order
            count = sum(part.source_key == source.key for part in open_order.parts)
            if count:
                terms.append(count * (1 - kept))
        return mathopt.fast_sum(terms) if terms else 0

    def _parts(self) -> None:
        self._buy()
        yields: dict[tuple[str, str], list[Sum]] = defaultdict(list)
        promised: dict[str, list[Sum]] = defaultdict(list)
        for row in self._rows:
            if isinstance(row, Given):
                yields[row.kind, row.way] = []
        for g, group in enumerate(self.groups):
            for o, option in self._options(g):
                if option.pieces:
                    for action, given in zip(option.actions, self.part[g, o], strict=True):
                        yields[action.takes_out, DONATED].append(given)
                    continue
                for part in option.freed:
                    if (g, o) not in self.giving:
                        yields[part.kind, DISPLACED].append(part.count * self.x[g, o])
                    else:
                        for turn, units in enumerate(self.giving[g, o]):
                            yields[part.kind, displaced_in(turn)].append(part.count * units)
            if group.open_order:
                for kind, count in self._open_order_yields(group).items():
                    yields[kind, DISPLACED].append(count * self.kept[g])
                for kind, count in self._from_open_orders(group).items():
                    promised[kind].append(count * self.kept[g])
        needs = self._needs()
        self.h = {(kind, way): self._count() for kind, way in sorted(yields) if kind in needs}
        for kind, way in sorted(set(yields) | {(kind, DISPLACED) for kind in promised}):
            taken: Sum = self.h.get((kind, way), 0)
            if way == DISPLACED:
                taken = taken + mathopt.fast_sum(promised[kind])
            self.rows[Given(kind, way)] = self.model.add_linear_constraint(
                taken <= mathopt.fast_sum(yields[kind, way])
            )
        self.extra: dict[str, mathopt.Variable] = {}
        """One more part of a kind, for nothing: shut, and opened to ask what it is worth."""
        self.flow: dict[tuple[str, Need, str], Sum] = {}
        for kind in sorted(needs):
            self.extra[kind] = self._count(0)
            self._supply(kind, needs[kind])

    def _open_order_yields(self, group: Group) -> Counter[str]:
        """What the actions of a released order give, by kind; drives are sanitised first."""
        assert group.open_order
        return Counter(
            action.takes_out
            for action in group.open_order.actions
            if action.takes_out and action.takes_out not in self._drives
        )

    def _from_open_orders(self, group: Group) -> Counter[str]:
        """Parts that a unit with an open order gets from others, by kind."""
        assert group.open_order
        open_tags = {other.tag for other in self.case.open_orders}
        return Counter(
            part.kind
            for part in group.open_order.parts
            if part.source == "unit" and part.source_key in open_tags
        )

    def _buy(self) -> None:
        self.y = {s.key: self._count() for s in self.sources}
        self.bought: dict[str, Sum] = {}
        spends: list[Sum] = []
        for source in self.sources:
            used = self.y[source.key]
            if not source.bought:
                self.model.add_linear_constraint(used <= source.limit + self._freed(source))
                continue
            if source.tiers:
                bought, spend = self._in_tiers(source)
            else:
                packs = self._count(source.limit // source.pack_size)
                bought = source.pack_size * packs
                spend = source.cost_cents * bought
            self.model.add_linear_constraint(used <= bought)
            self.bought[source.key] = bought
            spends.append(spend)
        self.spend = mathopt.fast_sum(spends)

    def _in_tiers(self, source: Source) -> tuple[Sum, Sum]:
        """Parts bought and their cost where the price falls with the count."""
        counts: list[Sum] = []
        costs: list[Sum] = []
        chosen: list[Sum] = []
        for tier in source.tiers:
            if tier.from_count > source.limit:
                continue
            count = self._count()
            on = self._count(1)
            self.model.add_linear_constraint(count >= tier.from_count * on)
            self.model.add_linear_constraint(count <= source.limit * on)
            counts.append(count)
            costs.append(tier.price_cents * count)
            chosen.append(on)
        self.model.add_linear_constraint(mathopt.fast_sum(chosen) <= 1)
        bought = mathopt.fast_sum(counts)
        if source.pack_size > 1:
            packs = self._count()
            self.model.add_linear_constraint(bought == source.pack_size * packs)
        return bought, mathopt.fast_sum(costs)

    def _supply(self, kind: str, needs: dict[Need, list[Sum]]) -> None:
        """Uses of one kind come from sources that serve them."""
        sources = self._by_kind[kind]
        extra = self.extra[kind]
        if len(needs) == 1:
            (need,) = needs
            drawn: list[Sum] = [extra]
            for source in sources:
                if source.serves(need):
                    self.flow[kind, need, source.key] = self.y[source.key]
                    drawn.append(self.y[source.key])
            for way in self._harvest_for(kind, need):
                self.flow[kind, need, way] = self.h[kind, way]
                drawn.append(self.h[kind, way])
            self.rows[Taken(kind, need)] = self.model.add_linear_constraint(
                mathopt.fast_sum(needs[need]) <= mathopt.fast_sum(drawn)
            )
            return
        out: dict[str, list[Sum]] = defaultdict(list)
        for need in sorted(needs, key=_strictness):
            drawn = []
            keys = [source.key for source in sources if source.serves(need)]
            for key in [*keys, *self._harvest_for(kind, need), ""]:
                part = self._count()
                drawn.append(part)
                out[key].append(part)
                if key:
                    self.flow[kind, need, key] = part
            self.rows[Taken(kind, need)] = self.model.add_linear_constraint(
                mathopt.fast_sum(needs[need]) <= mathopt.fast_sum(drawn)
            )
        for key, parts in out.items():
            limit: Sum = extra
            if (kind, key) in self.h:
                limit = self.h[kind, key]
            elif key:
                limit = self.y[key]
            self.model.add_linear_constraint(mathopt.fast_sum(parts) <= limit)

    def _harvest_for(self, kind: str, need: Need) -> list[str]:
        """From where a need may take parts of other units."""
        if need.new_only:
            return []
        return [way for way in need.harvest if (kind, way) in self.h]

    def _work(self, skill: Skill | None, only: set[str] | None = None) -> Sum:
        """Tenths of minutes of a skill (None: of all); ``only``: toward these orders."""
        terms: list[Sum] = []
        for g, group in enumerate(self.groups):
            for o, option in self._options(g):
                if option.pieces and only is None and skill in (None, Skill.BENCH):
                    terms += self._donor_work(g, o, option)
                minutes = tenths_of(option, skill)
                if not minutes:
                    continue
                if only is None:
                    terms.append(minutes * self.x[g, o])
                else:
                    terms += [
                        minutes * z
                        for order in sorted(only)
                        if (z := self.z.get((g, o, order))) is not None
                    ]
            if group.open_order and only is None:
                minutes = tenths_of(group.open_order, skill)
                terms.append(minutes * self.kept[g])
        return mathopt.fast_sum(terms)

    def _donor_work(self, g: int, o: int, option: Option) -> list[Sum]:
        """Tenths of minutes of a donor, by what it gives."""
        work: list[Sum] = [
            tenths(piece.minutes) * part
            for piece, part in zip(option.pieces, self.part[g, o], strict=True)
        ]
        work += [
            tenths(layer.minutes) * opened
            for layer, opened in zip(option.layers, self.layer[g, o], strict=True)
        ]
        return work

    def _donor_labour(self, g: int, o: int, option: Option) -> list[Sum]:
        """Labour of a donor in cents, by what it gives."""
        labour: list[Sum] = [
            piece.labour_cents * part
            for piece, part in zip(option.pieces, self.part[g, o], strict=True)
        ]
        labour += [
            layer.labour_cents * opened
            for layer, opened in zip(option.layers, self.layer[g, o], strict=True)
        ]
        return labour

    def turn(self, case: Case) -> None:
        """Hold another case's money and hours, in all else the same.

        :param case: has limits on the same skills, the same days and orders.
        """
        self.case = case
        self.money.upper_bound = case.money_cents
        self.minutes.upper_bound = tenths(case.bench_minutes)
        for one in case.skills:
            self.skills[one.skill].upper_bound = tenths(one.minutes)
        for day, row in self.early.items():
            row.upper_bound = _until(case, day)

    def _limits(self) -> None:
        case = self.case
        self.money = self.model.add_linear_constraint(self.spend <= case.money_cents)
        self.minutes = self.model.add_linear_constraint(
            self._work(None) <= tenths(case.bench_minutes)
        )
        self.skills = {
            one.skill: self.model.add_linear_constraint(
                self._work(one.skill) <= tenths(one.minutes)
            )
            for one in case.skills
        }
        self.rows |= {Worked(None): self.minutes}
        self.rows |= {Worked(skill): row for skill, row in self.skills.items()}
        self.early: dict[float, mathopt.LinearConstraint] = {}
        """What is ready by an earlier day, by that day."""
        if case.days:
            days = {order.days for order in case.sales_orders if order.days is not None}
            for day in sorted(day for day in days if day < case.days):
                first = {o.key for o in case.sales_orders if o.days is not None and o.days <= day}
                self.early[day] = self.model.add_linear_constraint(
                    self._work(None, first) <= _until(case, day)
                )

    def _goals(self) -> None:
        policy = self.case.policy
        nets: list[Sum] = []
        uneven: list[Sum] = []
        shelf: list[Sum] = []
        ready: list[Sum] = []
        openings: list[Sum] = []
        recycled: list[Sum] = []
        here = frozenset(tag for group in self.groups for tag in group.tags)
        for g, group in enumerate(self.groups):
            for o, option in self._options(g):
                x = self.x[g, o]
                nets.append(option.net_cents * x)
                if option.pieces:
                    nets += [-1 * cents for cents in self._donor_labour(g, o, option)]
                if option.shelf_cents:
                    shelf.append(option.shelf_cents * x)
                if option.uneven:
                    uneven.append(x)
                if option.outcome.ready:
                    ready.append(x)
                if option.outcome in (OutcomeKind.FIT, OutcomeKind.DONOR):
                    openings.append(x)
                if option.outcome is OutcomeKind.RECYCLE:
                    recycled.append(x)
            if group.open_order:
                nets.append(_open_order_net(group.open_order, here) * self.kept[g])
                if group.open_order.outcome.ready:
                    ready.append(self.kept[g])
        nets += self._customers_pay()
        lots = [s.cost_cents * self.y[s.key] for s in self.sources if not s.bought]
        self.contribution = mathopt.fast_sum(nets) - mathopt.fast_sum(lots) - self.spend
        # What the shelf costs is paid and decides nothing.
        self.preferred = (
            self.contribution
            - policy.matched_premium_cents * mathopt.fast_sum(uneven)
            + mathopt.fast_sum(shelf)
        )
        self.ready = mathopt.fast_sum(ready)
        self.second = (
            1000 * mathopt.fast_sum(openings)
            + 10 * mathopt.fast_sum(self.bought.values())
            + mathopt.fast_sum(recycled)
        )
        """Among equal contributions: fewer openings, then fewer purchases, donor before recycle."""

    def _customers_pay(self) -> list[Sum]:
        """What customers with a price of their own pay more than the standards give, or less."""
        more: list[Sum] = []
        orders = {order.key: order for order in self.case.sales_orders}
        for (g, o, key), z in self.z.items():
            open_order = self.groups[g].open_order
            end = open_order if o < 0 and open_order else self.groups[g].options[o]
            if cents := orders[key].adds_cents(end.price_cents):
                more.append(cents * z)
        return more


def donor_in(draft: Draft, option: Option, units: int, most: int) -> tuple[list[int], list[int]]:
    """Units that give by each action of a donor option, and units opened to each of its layers.

    A donor gives what is used of it, and is opened only so far. Of several alike the first give
    everything that any of them gives, so that the units opened to a layer are as many as the most
    that is taken from under it.

    :param units: the donors.
    :param most: units of the group.
    """
    parts = [draft.count(most) for _ in option.pieces]
    lies = _lies(len(parts), tuple([layer.over for layer in option.layers]))
    opened = list(parts)
    for inside in lies.layers:
        if len(inside) == 1:
            # What is opened for one thing alone is opened as often as that is taken.
            opened.append(opened[inside[0]])
            continue
        layer = draft.count(most, whole=False)
        for one in inside:
            draft.no_more(opened[one], layer)
        opened.append(layer)
    for one in lies.outside:
        draft.no_more(opened[one], units)
    return parts, [opened[one] for one in lies.of]


class _Lies(NamedTuple):
    """How the layers of a donor lie inside one another; parts come first by number, then they."""

    layers: tuple[tuple[int, ...], ...]
    """Of each, from the innermost out, what lies directly inside it."""
    outside: tuple[int, ...]
    """What lies in none."""
    of: tuple[int, ...]
    """Number of each layer as it was given."""


@lru_cache(maxsize=4096)
def _lies(parts: int, layers: tuple[tuple[int, ...], ...]) -> _Lies:
    """The same for every donor that gives the same; they are many.

    :param layers: numbers of the parts over which each lies.
    """
    sets = [frozenset(over) for over in layers]
    numbers: dict[frozenset[int], int] = {}
    found: list[tuple[int, ...]] = []
    for over in sorted(sets, key=len):
        found.append(_directly_inside(over, numbers))
        numbers[over] = parts + len(found) - 1
    outside = _directly_inside(frozenset(range(parts)), numbers)
    return _Lies(tuple(found), outside, tuple([numbers[over] for over in sets]))


def _directly_inside(over: frozenset[int], layers: Mapping[frozenset[int], int]) -> tuple[int, ...]:
    """The layers so far, and the parts, that no other of those layers holds, by number.

    :param over: numbers of the parts that are asked about.
    """
    inside = [deeper for deeper in layers if deeper <= over]
    most = [one for one in inside if not any(one < other for other in inside)]
    return (*(layers[one] for one in most), *sorted(over.difference(*most)))


def _strictness(need: Need) -> tuple[bool, float, int]:
    days = float("inf") if need.days is None else need.days
    return need.new_only, days, -1 if need.turn is None else need.turn


def _until(case: Case, day: float) -> int:
    """Tenths of minutes until an earlier day: there is only that share of the hours."""
    assert case.days
    return tenths(case.bench_minutes * day / case.days)


def tenths_of(end: Option | OpenOrder, skill: Skill | None) -> int:
    """Tenths of minutes of a skill that one unit takes; of all skills where None."""
    if skill is None:
        return tenths(end.minutes)
    return sum(tenths(one.minutes) for one in end.skills if one.skill is skill)


def _same_end(group: Group, pin: Pin) -> bool:
    kept = group.open_order
    return (
        kept is not None
        and kept.outcome is pin.outcome
        and pin.standard in ("", kept.standard)
        and pin.option in ("", option_key(kept.outcome, kept.standard, kept.actions))
    )


def _open_order_net(kept: OpenOrder, here: frozenset[str]) -> int:
    """What an open order leaves in cents.

    Its parts from lots are paid, and so is what comes out of a unit that is no longer to be
    decided: nobody is credited with it here.

    :param here: tags of the units that are decided.
    """
    parts = sum(
        part.unit_cost_cents
        for part in kept.parts
        if part.source == "lot" or part.source_key not in here
    )
    return kept.price_cents - kept.labour_cents - kept.fees_cents - parts
