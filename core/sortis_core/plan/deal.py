"""Deal the solved groups out to tags and parts to units, in a stable way."""

from collections import Counter, defaultdict, deque
from random import Random
from typing import Literal, NamedTuple

from sortis_core.options import Option, OutcomeKind
from sortis_core.plan.case import Case
from sortis_core.plan.grouping import Group
from sortis_core.plan.result import Allocation
from sortis_core.plan.solve import Solution
from sortis_core.plan.sources import (
    DISPLACED,
    DONATED,
    HARVEST,
    TURNS,
    Need,
    displaced_in,
    sources_of,
)

ORDERS, ORDERS_OF_MANY = 24, 3
"""So many orders of dealing are tried; to plan once more, so that nobody takes who gives, costs
more and may bring less."""
MANY_UNITS = 300


class Dealt(NamedTuple):
    """How one unit ends."""

    tag: str
    group: Group
    option: Option | None
    """None where its open order is kept; a donor with what it gives."""
    sales_order: str
    gives: bool = True
    """What an upgrade displaces may serve another unit."""
    turn: int | None = None
    """In which it gives, where nobody may wait in a circle; as of :class:`Need`."""


def deal_tags(groups: tuple[Group, ...], solution: Solution) -> list[Dealt]:
    """Tags in order take the group's options in order, by tag."""
    dealt: list[Dealt] = []
    next_tag: dict[int, int] = defaultdict(int)
    giving = {key: list(turns) for key, turns in solution.giving.items()}
    for g, o, order, units in solution.chosen:
        group = groups[g]
        option = group.options[o] if o >= 0 else None
        for number, tag in enumerate(group.tags[next_tag[g] : next_tag[g] + units]):
            end = option
            if option and option.pieces:
                given = solution.given[g, o]
                end = option.given([i for i, count in enumerate(given) if number < count])
            turns = giving.get((g, o), [])
            turn = next((t for t, left in enumerate(turns) if left and not order), None)
            if turn is not None:
                turns[turn] -= 1
            dealt.append(Dealt(tag, group, end, order, not turns or turn is not None, turn))
        next_tag[g] += units
    return sorted(dealt, key=lambda one: one.tag)


def _next_giver(givers: deque[str], tag: str, waits: dict[str, set[str]]) -> str:
    """Take the first giver that does not wait for the unit itself, if there is one."""
    for turn, giver in enumerate(givers):
        if not _waits_for(giver, tag, waits):
            del givers[turn]
            return giver
    return givers.popleft()


def _waits_for(one: str, other: str, waits: dict[str, set[str]]) -> bool:
    """Whether a unit waits for another one, also by way of further units."""
    seen: set[str] = set()
    ahead = [one]
    while ahead:
        tag = ahead.pop()
        if tag == other:
            return True
        if tag not in seen:
            seen.add(tag)
            ahead += waits.get(tag, ())
    return False


def circle(allocations: tuple[Allocation, ...]) -> bool:
    """Whether any units wait for each other's parts."""
    waits: dict[str, set[str]] = defaultdict(set)
    for part in allocations:
        if part.source == "unit" and part.source_key != part.tag:
            waits[part.tag].add(part.source_key)
    return any(_waits_for(giver, tag, waits) for tag in list(waits) for giver in waits[tag])


def deal_in_turn(case: Case, dealt: list[Dealt], solution: Solution) -> tuple[Allocation, ...]:
    """Parts dealt so that nobody waits in a circle, by tag or else in another order.

    Where no order tried does it they are dealt by tag. The orders are the same each time.
    """
    by_tag = deal_parts(case, dealt, solution)
    if not circle(by_tag):
        return by_tag
    for turn in range(ORDERS if len(dealt) <= MANY_UNITS else ORDERS_OF_MANY):
        tried = deal_parts(case, Random(turn).sample(dealt, len(dealt)), solution)
        if not circle(tried):
            return tried
    return by_tag


def deal_parts(case: Case, dealt: list[Dealt], solution: Solution) -> tuple[Allocation, ...]:
    """Give each part that goes in its source: harvest first, then lots, then offers.

    Nothing is given twice: every source is a queue that only shrinks. Whoever also gives draws on
    the store first, and on nobody who waits for it, as long as there is another; whether units
    still wait for each other is for :func:`circle` to find. Orders that stand keep what was
    promised to them.
    """
    values = {kind.key: kind.harvest_value_cents for kind in case.kinds}
    offers = {offer.key: offer for offer in case.offers}
    costs = {s.key: s.cost_cents for s in sources_of(case)}
    for key, count in solution.bought.items():
        costs[key] = offers[key].each_cents(count)
    early = {order.key: order.days for order in case.sales_orders}
    stock: dict[tuple[str, Need], deque[str]] = defaultdict(deque)
    left: Counter[tuple[str, Need, str]] = Counter()
    place = {source.key: n for n, source in enumerate(sources_of(case))}
    for kind, need, key, count in sorted(solution.drawn, key=lambda d: place.get(d[2], -1)):
        if key in HARVEST:
            left[kind, need, key] += count
        else:
            stock[kind, need] += [key] * count
    givers: dict[tuple[str, str], deque[str]] = defaultdict(deque)
    allocations: list[Allocation] = []
    for one in dealt:
        if one.option and one.gives:
            way = DISPLACED if one.turn is None else displaced_in(one.turn)
            if one.option.outcome is OutcomeKind.DONOR:
                way = DONATED
            for part in one.option.yields:
                free = part.count - one.option.moved[part.kind]
                givers[part.kind, way] += [one.tag] * free
        elif one.option is None and one.group.open_order:
            for action in one.group.open_order.actions:
                if action.takes_out:
                    givers[action.takes_out, DISPLACED].append(one.tag)
    for one in dealt:
        if one.option is None and one.group.open_order:
            for kept in one.group.open_order.parts:
                allocations.append(kept)
                queue = givers[kept.kind, DISPLACED]
                if kept.source == "unit" and kept.source_key in queue:
                    queue.remove(kept.source_key)
    waits: dict[str, set[str]] = defaultdict(set)

    def turn_of(one: Dealt) -> tuple[bool, int]:
        return not (one.option and one.option.yields), TURNS if one.turn is None else one.turn

    for one in sorted(dealt, key=turn_of):
        option = one.option
        if option is None:
            continue
        moved = Counter(option.moved)
        gives = one.gives and bool(option.freed)
        need = Need(option.new_only, early.get(one.sales_order), one.turn)
        for where, kind in (part for action in option.actions for part in action.parts):
            source: Literal["unit", "lot", "offer"] = "unit"
            ways = [w for w in need.harvest if left[kind, need, w] and givers[kind, w]]
            queue = stock[kind, need]
            if moved[kind]:
                moved[kind] -= 1
                key, cost = one.tag, values[kind]
            elif ways and not (gives and queue):
                left[kind, need, ways[0]] -= 1
                key = _next_giver(givers[kind, ways[0]], one.tag, waits)
                waits[one.tag].add(key)
                cost = values[kind]
            else:
                key = queue.popleft()
                source, cost = ("offer" if key in offers else "lot"), costs[key]
            allocations.append(
                Allocation(
                    tag=one.tag,
                    place=where,
                    kind=kind,
                    source=source,
                    source_key=key,
                    unit_cost_cents=cost,
                )
            )
    return tuple(sorted(allocations, key=lambda a: (a.tag, a.place, a.kind)))


def as_far_as_used(dealt: list[Dealt], allocations: tuple[Allocation, ...]) -> list[Dealt]:
    """Donors give no more than what somebody takes of them."""
    taken = Counter((a.source_key, a.kind) for a in allocations if a.source == "unit")
    settled: list[Dealt] = []
    for one in dealt:
        option = one.option
        if option and option.outcome is OutcomeKind.DONOR:
            whole = next(o for o in one.group.options if o.outcome is OutcomeKind.DONOR)
            used: list[int] = []
            for number, action in enumerate(whole.actions):
                if action in option.actions and taken[one.tag, action.takes_out]:
                    taken[one.tag, action.takes_out] -= 1
                    used.append(number)
            one = one._replace(option=whole.given(used))
        settled.append(one)
    return settled
