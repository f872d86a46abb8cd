"""Groups of units that are identical in all that a decision can see.

Two packs of 71 % and 72 % are the same under a gate of 80 %. The plan is solved over groups, so
that 20,000 units cost hardly more than 200.
"""

from collections.abc import Hashable
from functools import cached_property

from sortis_core.base import Record
from sortis_core.findings import Findings
from sortis_core.gates.gate import Eye
from sortis_core.options import Option, OptionBuilder, Rejection, UnitOptions
from sortis_core.options.dominance import worth_a_variable
from sortis_core.plan.case import Case, CaseUnit, OpenOrder, Pin
from sortis_core.policy import Policy
from sortis_core.standards import Standard, by_type, distinct_gates, price_sees
from sortis_core.supply import Supply


class Group(Record):
    """Units with the same options, in tag order."""

    number: int
    sheet: str
    tags: tuple[str, ...]
    options: tuple[Option, ...]
    rejections: tuple[Rejection, ...]
    pin: Pin | None = None
    """A pinned unit is a group of its own."""
    open_order: OpenOrder | None = None
    """So is one that has an open order."""

    @cached_property
    def ways(self) -> tuple[int, ...]:
        """Indices of the options that a plan may need while nobody asks for a standard by name."""
        return worth_a_variable(self.options, frozenset())


class DecisionView:
    """All of a unit that options depend on; units with equal views have equal options.

    Put together from what prices, gates and the builder (route, donors, displaced parts) say that
    they look at, so that nothing which matters to one of them can be left out here.
    """

    def __init__(
        self, builder: OptionBuilder, standards: tuple[Standard, ...], policy: Policy
    ) -> None:
        families = by_type(distinct_gates(standards))
        self._eyes: tuple[Eye, ...] = (
            price_sees,
            *(kind.sees(gates, builder.sheet, policy) for kind, gates in families.items()),
            builder.sees,
        )

    def of(self, findings: Findings) -> Hashable:
        """The view of one unit."""
        return tuple([eye(findings) for eye in self._eyes])


def group_units(
    case: Case, units: tuple[CaseUnit, ...], *, prune: bool = True
) -> tuple[Group, ...]:
    """Group units by what the decision sees, largest groups first.

    The order of groups does not depend on tags, so that renamed units get the same plan.

    :param prune: drop dominated options; the optimum is the same without.
    """
    sheets = {sheet.key: sheet for sheet in case.sheets}
    kinds = {kind.key: kind for kind in case.kinds}
    supplied = {lot.kind for lot in case.usable_lots()}
    supplied |= {offer.kind for offer in case.usable_offers()}
    supplied |= {part.kind for one in case.open_orders for part in one.parts}

    def builders(obtainable: frozenset[str]) -> dict[str, OptionBuilder]:
        supply = Supply(kinds, obtainable)
        return {
            key: OptionBuilder(sheet, supply, case.standards, case.policy, prune=prune)
            for key, sheet in sheets.items()
        }

    first = builders(frozenset(supplied))
    views = {key: DecisionView(one, case.standards, case.policy) for key, one in first.items()}
    alike: dict[Hashable, list[CaseUnit]] = {}
    for unit in units:
        key = unit.findings.sheet
        alike.setdefault((key, views[key].of(unit.findings)), []).append(unit)
    for members in alike.values():
        findings = members[0].findings
        supplied |= {a.takes_out for a in first[findings.sheet].harvestable(findings)}
    builder = builders(frozenset(supplied))
    coming = supplied | {lot.kind for lot in case.lots} | {offer.kind for offer in case.offers}
    later = builders(frozenset(coming)) if coming > supplied else {}
    toward: dict[Hashable, UnitOptions] = {
        view: builder[members[0].findings.sheet].toward_standards(members[0].findings)
        for view, members in alike.items()
    }
    wanted = frozenset(
        part.kind for found in toward.values() for o in found.options for part in o.uses
    )
    cheapest = cheapest_cents(case)
    pins = {pin.tag: pin for pin in case.pins}
    open_orders = {one.tag: one for one in case.open_orders}
    merged: dict[tuple[Hashable, str], tuple[list[str], Group]] = {}
    for view, members in alike.items():
        findings = members[0].findings
        near = toward[view]
        far = builder[findings.sheet].other_ends(
            findings, near, wanted, cheapest, later.get(findings.sheet)
        )
        group = Group(
            number=0,
            sheet=findings.sheet,
            tags=(),
            options=tuple(_only_wanted(option, wanted) for option in (*near.options, *far.options)),
            rejections=(*near.rejections, *far.rejections),
        )
        same = (
            findings.sheet,
            tuple((o.key, o.yields, o.minutes, o.net_cents, o.waits_for) for o in group.options),
            tuple(r.fact for r in group.rejections),
        )
        plain = [m.tag for m in members if m.tag not in pins and m.tag not in open_orders]
        if plain:
            merged.setdefault((same, ""), ([], group))[0].extend(plain)
        for tag in (m.tag for m in members if m.tag in pins or m.tag in open_orders):
            own = {"pin": pins.get(tag), "open_order": open_orders.get(tag)}
            merged[same, tag] = ([tag], group.model_copy(update=own))

    def sort_key(alone: str, tags: list[str], group: Group) -> tuple[object, ...]:
        keys = [o.key for o in group.options]
        return -len(tags), group.sheet, keys, [r.fact for r in group.rejections], alone

    ordered = sorted(
        ((sort_key(alone, *entry), entry) for (_, alone), entry in merged.items()),
        key=lambda item: item[0],
    )
    return tuple(
        group.model_copy(update={"number": number, "tags": tuple(sorted(tags))})
        for number, (_, (tags, group)) in enumerate(ordered, start=1)
    )


def cheapest_cents(case: Case) -> dict[str, int]:
    """Lowest price of each part kind: lot, offer, else what a harvested one is charged at."""
    lowest = {kind.key: kind.harvest_value_cents for kind in case.kinds}
    prices: dict[str, list[int]] = {}
    for lot in case.usable_lots():
        prices.setdefault(lot.kind, []).append(lot.unit_cost_cents)
    for offer in case.usable_offers():
        prices.setdefault(offer.kind, []).append(offer.lowest_cents)
    return lowest | {kind: min(found) for kind, found in prices.items()}


def _only_wanted(option: Option, wanted: frozenset[str]) -> Option:
    """Leave out of the yields what no option uses, so that it does not split groups."""
    kept = tuple(part for part in option.yields if part.kind in wanted)
    return option if kept == option.yields else option.model_copy(update={"yields": kept})
