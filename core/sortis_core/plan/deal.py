"""Deal the solved groups out to tags and parts to units, in a stable way."""

from collections import defaultdict

from sortis_core.options import Option
from sortis_core.plan.case import Case
from sortis_core.plan.grouping import Group
from sortis_core.plan.model import Solution, sources_of
from sortis_core.plan.result import Allocation


def deal_tags(groups: tuple[Group, ...], solution: Solution) -> list[tuple[str, Group, Option]]:
    """Tags in order take the group's options in order: (tag, group, option), by tag."""
    dealt: list[tuple[str, Group, Option]] = []
    next_tag: dict[int, int] = defaultdict(int)
    for g, o, units in solution.chosen:
        group = groups[g]
        for tag in group.tags[next_tag[g] : next_tag[g] + units]:
            dealt.append((tag, group, group.options[o]))
        next_tag[g] += units
    return sorted(dealt, key=lambda item: item[0])


def deal_parts(
    case: Case, dealt: list[tuple[str, Group, Option]], solution: Solution
) -> tuple[Allocation, ...]:
    """Give each action that fits a part its source: harvest first, then lots, then offers.

    Nothing is given twice: every source is a queue that only shrinks. Units cannot wait for each
    other in a circle: what an upgrade displaces is always smaller than what it fits.
    """
    values = {kind.key: kind.harvest_value_cents for kind in case.kinds}
    offers = {offer.key for offer in case.offers}
    stock: dict[str, list[tuple[str, int]]] = defaultdict(list)
    for source in sources_of(case):
        taken = solution.taken.get(source.key, 0)
        stock[source.kind] += [(source.key, source.cost_cents)] * taken
    givers: dict[str, list[str]] = defaultdict(list)
    for tag, _, option in dealt:
        for part in option.yields:
            givers[part.kind] += [tag] * part.count
    allocations: list[Allocation] = []
    left = dict(solution.harvested)
    # Whoever also gives a kind draws on the store before anybody else.
    for tag, _, option in sorted(dealt, key=lambda item: (not item[2].yields, item[0])):
        gives = {part.kind for part in option.yields}
        for action in option.actions:
            if action.verb != "fit":
                continue
            kind = action.kind
            others = [giver for giver in givers[kind] if giver != tag]
            if left.get(kind, 0) and givers[kind] and not (kind in gives and stock[kind]):
                # With no other giver left, the unit's own module moves to another of its slots.
                giver = others[0] if others else tag
                givers[kind].remove(giver)
                left[kind] -= 1
                allocations.append(
                    Allocation(
                        tag=tag,
                        place=action.place,
                        kind=kind,
                        source="unit",
                        source_key=giver,
                        unit_cost_cents=values[kind],
                    )
                )
                continue
            key, cost = stock[kind].pop(0)
            allocations.append(
                Allocation(
                    tag=tag,
                    place=action.place,
                    kind=kind,
                    source="offer" if key in offers else "lot",
                    source_key=key,
                    unit_cost_cents=cost,
                )
            )
    return tuple(sorted(allocations, key=lambda a: (a.tag, a.place, a.kind)))
