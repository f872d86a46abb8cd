"""Deal the solved groups out to tags and parts to units, in a stable way."""

from collections import Counter, defaultdict, deque
from typing import Literal, NamedTuple

from sortis_core.options import Option, OutcomeKind
from sortis_core.plan.case import Case
from sortis_core.plan.grouping import Group
from sortis_core.plan.result import Allocation
from sortis_core.plan.solve import Solution
from sortis_core.plan.sources import HARVEST, Need, sources_of


class Dealt(NamedTuple):
    """How one unit ends."""

    tag: str
    group: Group
    option: Option | None
    """None where its open order is kept; a donor with what it gives."""
    sales_order: str


def deal_tags(groups: tuple[Group, ...], solution: Solution) -> list[Dealt]:
    """Tags in order take the group's options in order, by tag."""
    dealt: list[Dealt] = []
    next_tag: dict[int, int] = defaultdict(int)
    for g, o, order, units in solution.chosen:
        group = groups[g]
        option = group.options[o] if o >= 0 else None
        for turn, tag in enumerate(group.tags[next_tag[g] : next_tag[g] + units]):
            end = option
            if option and option.pieces:
                given = solution.given[g, o]
                end = option.given([i for i, count in enumerate(given) if turn < count])
            dealt.append(Dealt(tag, group, end, order))
        next_tag[g] += units
    return sorted(dealt, key=lambda one: one.tag)


def _next_giver(givers: deque[str], tag: str) -> str:
    """Take the first giver that is not the unit itself.

    With no other left, the unit's own module moves to another of its slots.
    """
    for turn, giver in enumerate(givers):
        if giver != tag:
            del givers[turn]
            return giver
    return givers.popleft()


def deal_parts(case: Case, dealt: list[Dealt], solution: Solution) -> tuple[Allocation, ...]:
    """Give each part that goes in its source: harvest first, then lots, then offers.

    Nothing is given twice: every source is a queue that only shrinks. Units cannot wait for each
    other in a circle: what an upgrade displaces is always smaller than what it fits. Orders that
    stand keep what was promised to them.
    """
    values = {kind.key: kind.harvest_value_cents for kind in case.kinds}
    offers = {offer.key: offer for offer in case.offers}
    costs = {s.key: s.cost_cents for s in sources_of(case)}
    for key, count in solution.bought.items():
        costs[key] = offers[key].each_cents(count)
    early = {order.key: order.days for order in case.sales_orders}
    stock: dict[tuple[str, Need], deque[str]] = defaultdict(deque)
    left: dict[tuple[str, Need], int] = {}
    place = {source.key: n for n, source in enumerate(sources_of(case))}
    for kind, need, key, count in sorted(solution.drawn, key=lambda d: place.get(d[2], -1)):
        if key == HARVEST:
            left[kind, need] = count
        else:
            stock[kind, need] += [key] * count
    givers: dict[str, deque[str]] = defaultdict(deque)
    allocations: list[Allocation] = []
    for one in dealt:
        if one.option:
            for part in one.option.yields:
                givers[part.kind] += [one.tag] * part.count
        elif one.group.open_order:
            for action in one.group.open_order.actions:
                if action.takes_out:
                    givers[action.takes_out].append(one.tag)
    for one in dealt:
        if one.option is None and one.group.open_order:
            for kept in one.group.open_order.parts:
                allocations.append(kept)
                if kept.source == "unit" and kept.source_key in givers[kept.kind]:
                    givers[kept.kind].remove(kept.source_key)
    # Whoever also gives a kind draws on the store before anybody else.
    for one in sorted(dealt, key=lambda one: (not (one.option and one.option.yields), one.tag)):
        if one.option is None:
            continue
        gives = {part.kind for part in one.option.yields}
        need = Need(one.option.new_only, early.get(one.sales_order))
        for where, kind in (part for action in one.option.actions for part in action.parts):
            queue = stock[kind, need]
            if left.get((kind, need), 0) and givers[kind] and not (kind in gives and queue):
                giver = _next_giver(givers[kind], one.tag)
                left[kind, need] -= 1
                source: Literal["unit", "lot", "offer"] = "unit"
                key, cost = giver, values[kind]
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
