"""Groups of units that are identical in all that a decision can see.

Two packs of 71 % and 72 % are the same under a gate of 80 %. The plan is solved over groups, so
that 20,000 units cost hardly more than 200.
"""

from collections import Counter
from collections.abc import Hashable
from functools import cached_property

from sortis_core.actions import Action
from sortis_core.base import Record
from sortis_core.facts.configuration import unnoted_parts
from sortis_core.findings import Findings
from sortis_core.gates.gate import Eye
from sortis_core.options import Option, OptionBuilder, OutcomeKind, Rejection, UnitOptions
from sortis_core.options.dominance import worth_a_variable
from sortis_core.options.harvest import harvestable, may_come_free
from sortis_core.plan.case import Case, CaseUnit, OpenOrder, Pin
from sortis_core.policy import Policy
from sortis_core.standards import Standard, by_type, distinct_gates, price_sees, step_eyes
from sortis_core.stock import PartKind
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
            *step_eyes(standards, builder.sheet, policy),
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
    there = {unit.findings.sheet for unit in units}
    sheets = {sheet.key: sheet for sheet in case.sheets if sheet.key in there}
    kinds = {kind.key: kind for kind in case.kinds}
    supplied = {lot.kind for lot in case.usable_lots()}
    supplied |= {offer.kind for offer in case.usable_offers()}
    supplied |= {part.kind for one in case.open_orders for part in one.parts}

    unnoted: set[str] = set()

    def builders(obtainable: frozenset[str]) -> dict[str, OptionBuilder]:
        supply = Supply(kinds, obtainable, frozenset(unnoted))
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
    store = frozenset(supplied)
    stocked = Supply(kinds, store)
    modules = {key for key, _ in stocked.modules}
    works: dict[Hashable, tuple[Action, ...]] = {}
    gives: dict[Hashable, set[str]] = {}
    for view, members in alike.items():
        findings = members[0].findings
        sheet = sheets[findings.sheet]
        works[view] = harvestable(sheet, findings, stocked, case.policy)
        gives[view] = {action.takes_out for action in works[view]}
        supplied |= gives[view]
        unnoted |= unnoted_parts(sheet, findings)
    builder = builders(frozenset(supplied))
    coming = supplied | {lot.kind for lot in case.lots} | {offer.kind for offer in case.offers}
    later = builders(frozenset(coming)) if coming > supplied else {}
    anywhere = builders(frozenset(kinds))
    givers = Counter(kind for view, found in gives.items() for kind in found for _ in alike[view])
    toward: dict[Hashable, UnitOptions] = {}
    wants = _Wants()
    for view, members in alike.items():
        found = builder[members[0].findings.sheet].toward_standards(members[0].findings)
        alone = {kind for kind in gives[view] - store if givers[kind] == 1}
        toward[view] = _without_its_own(found, alone, kinds) if alone else found
        wants.add(view, _used_by(toward[view]))
    for view, members in alike.items():
        # What a unit has too much of may serve another, where that pays.
        findings = members[0].findings
        kit = may_come_free(sheets[findings.sheet], findings)
        spare = gives[view] & (modules | kit) & wants.of_others(view, len(members))
        if spare and toward[view].options:
            found = builder[findings.sheet].toward_standards(findings, frozenset(spare))
            alone = {kind for kind in gives[view] - store if givers[kind] == 1}
            toward[view] = _without_its_own(found, alone, kinds) if alone else found
    # What frees a module for others may want a smaller one, which nobody wanted before.
    for view, found in toward.items():
        wants.add(view, _used_by(found))
    cheapest = cheapest_cents(case)
    pins = {pin.tag: pin for pin in case.pins}
    open_orders = {one.tag: one for one in case.open_orders}
    merged: dict[tuple[Hashable, str], tuple[list[str], Group]] = {}
    for view, members in alike.items():
        findings = members[0].findings
        near = toward[view]
        wanted = wants.of_others(view, len(members))
        far = builder[findings.sheet].other_ends(
            findings,
            near,
            wanted,
            cheapest,
            works[view],
            later.get(findings.sheet),
            anywhere[findings.sheet],
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
            tuple(
                (
                    *(o.key, o.yields, o.minutes, o.net_cents, o.pieces, o.layers),
                    *(o.waits_for, o.sought_cents),
                    _changes(o),
                )
                for o in group.options
            ),
            tuple(r.fact for r in group.rejections),
        )
        plain = [m.tag for m in members if m.tag not in pins and m.tag not in open_orders]
        if plain:
            merged.setdefault((same, ""), ([], group))[0].extend(plain)
        for tag in (m.tag for m in members if m.tag in pins or m.tag in open_orders):
            own = {"pin": pins.get(tag), "open_order": open_orders.get(tag)}
            decided = _with_pinned_end(group.model_copy(update=own), case.policy)
            merged[same, tag] = ([tag], decided)

    def sort_key(alone: str, tags: list[str], group: Group) -> tuple[object, ...]:
        keys = [_in_order(option) for option in group.options]
        return -len(tags), group.sheet, keys, [r.fact for r in group.rejections], alone

    ordered = sorted(
        ((sort_key(alone, *entry), entry) for (_, alone), entry in merged.items()),
        key=lambda item: item[0],
    )
    return tuple(
        group.model_copy(update={"number": number, "tags": tuple(sorted(tags))})
        for number, (_, (tags, group)) in enumerate(ordered, start=1)
    )


class _Wants:
    """Which units some part kind is wanted by."""

    def __init__(self) -> None:
        self._wanted: set[str] = set()
        self._alone: dict[str, Hashable] = {}
        """Kind -> the only view that wants it."""

    def add(self, view: Hashable, kinds: set[str]) -> None:
        """Units of a view want some kinds."""
        for kind in kinds:
            if kind not in self._wanted:
                self._wanted.add(kind)
                self._alone[kind] = view
            elif kind in self._alone and self._alone[kind] != view:
                del self._alone[kind]

    def of_others(self, view: Hashable, units: int) -> frozenset[str]:
        """What only this very unit wants is no reason to open it.

        :param units: so many look alike; of several each is another one to the others.
        """
        own = {kind for kind, only in self._alone.items() if units == 1 and only == view}
        return frozenset(self._wanted - own)


def _used_by(found: UnitOptions) -> set[str]:
    """Part kinds that some way uses, also one that another beats: what is given is wanted by it."""
    return {part.kind for option in found.options for part in option.uses} | found.beaten_uses


def cheapest_cents(case: Case) -> dict[str, int]:
    """Lowest price of each part kind: lot, offer, else what a harvested one is charged at."""
    lowest = {kind.key: kind.harvest_value_cents for kind in case.kinds}
    prices: dict[str, list[int]] = {}
    for lot in case.usable_lots():
        prices.setdefault(lot.kind, []).append(lot.unit_cost_cents)
    for offer in case.usable_offers():
        prices.setdefault(offer.kind, []).append(offer.lowest_cents)
    return lowest | {kind: min(found) for kind, found in prices.items()}


def _without_its_own(
    found: UnitOptions, alone: set[str], kinds: dict[str, PartKind]
) -> UnitOptions:
    """Leave out ways that want a part of which the unit itself holds the only one.

    Moving it from one place of the unit to another is a way.
    """

    def own(option: Option) -> list[str]:
        moved = {part.kind for part in option.yields}
        return [p.kind for p in option.uses if p.kind in alone and p.kind not in moved]

    kept = tuple(option for option in found.options if not own(option))
    reached = {option.standard for option in kept}
    facts = {
        option.standard: f"No other {kinds[lacking[0]].label} is in stock, on offer or in "
        "another unit."
        for option in found.options
        if option.standard not in reached and (lacking := own(option))
    }
    lost = tuple(
        Rejection(outcome=OutcomeKind.FIT, standard=standard, fact=fact)
        for standard, fact in facts.items()
    )
    return found.model_copy(update={"options": kept, "rejections": (*found.rejections, *lost)})


def _with_pinned_end(group: Group, policy: Policy) -> Group:
    """A person may give up, or keep back, what the plan itself would not."""
    if group.pin is None or any(o.outcome is group.pin.outcome for o in group.options):
        return group
    fees = {
        OutcomeKind.RECYCLE: policy.recycle_cents,
        OutcomeKind.HOLD: policy.hold_cents,
    }.get(group.pin.outcome)
    if fees is None:
        return group
    end = Option(outcome=group.pin.outcome, fees_cents=fees)
    return group.model_copy(update={"options": (*group.options, end)})


def _in_order(option: Option) -> tuple[object, ...]:
    """All by which options of one key differ, so that no two groups tie."""
    yields = tuple((part.kind, part.count) for part in option.yields)
    pieces = tuple((piece.minutes, piece.labour_cents) for piece in option.pieces)
    layers = tuple((layer.minutes, layer.over) for layer in option.layers)
    return (
        option.key,
        option.net_cents,
        option.minutes,
        option.waits_for,
        option.sought_cents,
        yields,
        _changes(option),
        pieces,
        layers,
    )


def _changes(option: Option) -> tuple[tuple[str, str, str], ...]:
    """What goes in and what comes out, place by place.

    Two units of 4 and 8 GB, and of 8 and 4, take the same and give the same: only places differ.
    """
    return tuple([(a.key, a.takes_out, a.takes_out_label) for a in option.actions])


def _only_wanted(option: Option, wanted: frozenset[str]) -> Option:
    """Leave out of the yields what nobody uses, not even the unit itself: it splits no groups."""
    own = {part.kind for part in option.uses}
    kept = tuple(part for part in option.yields if part.kind in wanted or part.kind in own)
    return option if kept == option.yields else option.model_copy(update={"yields": kept})
