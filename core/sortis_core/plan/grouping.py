"""Groups of units that are identical in all that a decision can see.

Two packs of 71 % and 72 % are the same under a gate of 80 %. The plan is solved over groups, so
that 20,000 units cost hardly more than 200.
"""

import os
from collections import Counter
from collections.abc import (
    Callable,
    Collection,
    Generator,
    Hashable,
    Iterable,
    Iterator,
    Mapping,
    Sequence,
)
from functools import partial
from heapq import merge
from typing import NamedTuple, assert_never

from sortis_core.actions import Action
from sortis_core.base import Record
from sortis_core.facts.configuration import unnoted_parts
from sortis_core.findings import Findings
from sortis_core.gates.gate import Eye
from sortis_core.options import Option, OptionBuilder, OutcomeKind, Rejection, UnitOptions
from sortis_core.options.dominance import worth_a_variable
from sortis_core.options.harvest import harvestable, may_come_free
from sortis_core.plan.aside import stand_aside
from sortis_core.plan.case import Case, CaseUnit, OpenOrder, Pin
from sortis_core.plan.together import together
from sortis_core.policy import Policy
from sortis_core.sheets import ModelSheet
from sortis_core.standards import Standard, by_type, distinct_gates, price_sees, step_eyes
from sortis_core.stock import (
    BracketFacts,
    DriveFacts,
    ModuleFacts,
    OtherFacts,
    PackFacts,
    PartKind,
)
from sortis_core.supply import Supply

SOME_UNITS = 120
FEW_UNITS = 4
WITHOUT_WAYS = 20
"""The work of a unit that looks different, in that of one of its ways."""
SAME_UNIT = 0.05
"""Of the work of one that looks different, what it takes to see that a unit looks like another."""
SHARED_UNITS = 4_000
"""So many and more are grouped in several processes: with less it takes as long to talk."""
SHARES = 2
HANDED_OVER = 0.05
"""Of all the work, what it takes to hand over what another process found."""


class Group(Record):
    """Units with the same options, in tag order."""

    number: int
    sheet: str
    tags: tuple[str, ...]
    options: tuple[Option, ...]
    ways: tuple[int, ...]
    """Indices of the options that a plan may need while nobody asks for a standard by name."""
    rejections: tuple[Rejection, ...]
    pin: Pin | None = None
    """A pinned unit is a group of its own."""
    open_order: OpenOrder | None = None
    """So is one that has an open order."""


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
    shared = len(units) >= SHARED_UNITS
    part = partial(_shares, case, units) if shared else lambda: [units]
    grouped = _grouped(case, part, prune, SHARES if shared else 1)
    # No model stands in two shares, so that the rest of the order was settled in each.
    ordered = merge(*grouped, key=lambda group: (-len(group.tags), group.sheet))
    return tuple(
        group.model_copy(update={"number": number}) for number, group in enumerate(ordered, start=1)
    )


def _grouped(
    case: Case, part: Callable[[], list[tuple[CaseUnit, ...]]], prune: bool, processes: int
) -> list[list[Group]]:
    """The groups of each share, not yet numbered.

    :param part: parts the units into shares.
    """
    of_all = case.model_copy(update={"units": ()})
    share = partial(_share, of_all, prune=prune, home=os.getpid())
    return together(lambda: [partial(share, units) for units in part()], processes)


def _shares(case: Case, units: tuple[CaseUnit, ...]) -> list[tuple[CaseUnit, ...]]:
    """The units in shares that take about as long, each with models of its own.

    What takes long is each unit that looks different, and the ways it has. How many look different
    of a model is told by some of its units; how many ways they have, by a few of each, grouped as
    if they were the batch.
    """
    by_sheet: dict[str, list[CaseUnit]] = {}
    for unit in units:
        by_sheet.setdefault(unit.findings.sheet, []).append(unit)
    few = [unit for same in by_sheet.values() for unit in _every_so_often(same, FEW_UNITS)]
    ways: Counter[str] = Counter()
    for group in _grouped(case, lambda: [tuple(few)], True, 1)[0]:
        ways[group.sheet] += len(group.tags) * (WITHOUT_WAYS + len(group.options))
    work: dict[str, float] = {}
    for key, view in _views(case, by_sheet).items():
        some = _every_so_often(by_sheet[key], SOME_UNITS)
        different = len({view.of(unit.findings) for unit in some}) / len(some)
        work[key] = len(by_sheet[key]) * (different + SAME_UNIT) * ways[key]
    shares: list[list[CaseUnit]] = [[] for _ in range(SHARES)]
    sums = [0.0] + [HANDED_OVER * sum(work.values())] * (SHARES - 1)
    for key in sorted(work, key=lambda key: (-work[key], key)):
        least = sums.index(min(sums))
        shares[least] += by_sheet[key]
        sums[least] += work[key]
    return [tuple(share) for share in shares if share]


def _every_so_often(units: list[CaseUnit], most: int) -> list[CaseUnit]:
    """At most so many of the units, from everywhere among them."""
    return units[:: -(-len(units) // most)]


def _store(case: Case) -> frozenset[str]:
    """Part kinds that need no unit to come from."""
    store = {lot.kind for lot in case.usable_lots()}
    store |= {offer.kind for offer in case.usable_offers()}
    return frozenset(store | {part.kind for one in case.open_orders for part in one.parts})


def _views(case: Case, sheets: Collection[str]) -> dict[str, DecisionView]:
    """What decisions see of the units of some models."""
    supply = Supply({kind.key: kind for kind in case.kinds}, _store(case))
    return {
        sheet.key: DecisionView(
            OptionBuilder(sheet, supply, case.standards, case.policy), case.standards, case.policy
        )
        for sheet in case.sheets
        if sheet.key in sheets
    }


class _Told(NamedTuple):
    """What a share tells the others, and what all of them told together."""

    givers: Counter[str] = Counter()
    """Part kind -> units that could give it."""
    unnoted: frozenset[str] = frozenset()
    spare: frozenset[str] = frozenset()
    """Part kinds that may come out of a unit that is sold, for another that wants them."""
    wants: dict[str, str] = {}
    """Part kind -> the only units that want it, by the first tag of those that look alike; empty
    where several do."""

    def joined(self, others: Sequence["_Told"]) -> "_Told":
        """What these told as well."""
        givers, wants = self.givers.copy(), dict(self.wants)
        for other in others:
            givers.update(other.givers)
            for kind, only in other.wants.items():
                wants[kind] = only if wants.get(kind, only) == only else ""
        return _Told(
            givers,
            self.unnoted.union(*[other.unnoted for other in others]),
            self.spare.union(*[other.spare for other in others]),
            wants,
        )

    def wanted_by_others(
        self, alike: Mapping[str, Sequence[CaseUnit]]
    ) -> dict[str, frozenset[str]]:
        """What others want than each unit: what only this very unit wants is no reason to open it.

        :param alike: units that look alike, by the first tag of them; of several each is another
            one to the others.
        """
        every = frozenset(self.wants)
        alone: dict[str, set[str]] = {}
        for kind, view in self.wants.items():
            alone.setdefault(view, set()).add(kind)
        return {
            view: every - alone[view] if view in alone and len(units) == 1 else every
            for view, units in alike.items()
        }


def _share(
    case: Case, units: tuple[CaseUnit, ...], *, prune: bool, home: int
) -> Generator[_Told, _Told, list[Group]]:
    """Group some of the units: all of their models. Tells what those have and want, and hears it
    of all.

    :param home: a process that goes on after this; another ends with its share.
    :returns: the groups, in order and not yet numbered.
    """
    there = {unit.findings.sheet for unit in units}
    sheets = {sheet.key: sheet for sheet in case.sheets if sheet.key in there}
    kinds = {kind.key: kind for kind in case.kinds}
    store = _store(case)

    def builders(obtainable: frozenset[str], unnoted: frozenset[str]) -> dict[str, OptionBuilder]:
        supply = Supply(kinds, obtainable, unnoted)
        return {
            key: OptionBuilder(sheet, supply, case.standards, case.policy, prune=prune)
            for key, sheet in sheets.items()
        }

    views = _views(case, there)
    by_view: dict[Hashable, list[CaseUnit]] = {}
    for unit in units:
        stand_aside()
        key = unit.findings.sheet
        by_view.setdefault((key, views[key].of(unit.findings)), []).append(unit)
    alike = {members[0].tag: members for members in by_view.values()}
    stocked = Supply(kinds, store)
    modules = {key for key, _ in stocked.modules}
    works: dict[str, tuple[Action, ...]] = {}
    gives: dict[str, set[str]] = {}
    may_go: dict[str, set[str]] = {}
    unnoted: set[str] = set()
    for view, members in alike.items():
        stand_aside()
        findings = members[0].findings
        sheet = sheets[findings.sheet]
        works[view] = harvestable(sheet, findings, stocked, case.policy)
        gives[view] = {action.takes_out for action in works[view]}
        may_go[view] = gives[view] & (modules | may_come_free(sheet, findings))
        unnoted |= unnoted_parts(sheet, findings)
    givers = Counter(kind for view, found in gives.items() for kind in found for _ in alike[view])
    told = yield _Told(
        givers=givers,
        unnoted=frozenset(unnoted),
        spare=frozenset[str]().union(*may_go.values()),
    )
    supplied = store | told.givers.keys()
    builder = builders(supplied, told.unnoted)
    coming = supplied | {lot.kind for lot in case.lots} | {offer.kind for offer in case.offers}
    later = builders(coming, told.unnoted) if coming > supplied else {}
    anywhere = builders(frozenset(kinds), told.unnoted)
    alone = {
        view: {kind for kind in found - store if told.givers[kind] == 1}
        for view, found in gives.items()
    }
    toward: dict[str, UnitOptions] = {}
    wants: dict[str, str] = {}
    # Whether others want what may come out is known long before the last unit is asked.
    in_doubt = set(told.spare)
    may_want = {key: _may_want(sheet, case.kinds) for key, sheet in sheets.items()}
    for view, members in alike.items():
        if in_doubt.isdisjoint(may_want[members[0].findings.sheet]):
            continue
        stand_aside()
        found = builder[members[0].findings.sheet].toward_standards(members[0].findings)
        toward[view] = _without_its_own(found, alone[view], kinds)
        for kind in _used_by(toward[view]):
            wants[kind] = view if wants.get(kind, view) == view else ""
        in_doubt -= {kind for kind in in_doubt if wants.get(kind) == ""}
    told = yield _Told(wants=wants)
    wanted = told.wanted_by_others(alike)
    for view, members in alike.items():
        stand_aside()
        # What a unit has too much of may serve another, where that pays.
        spare = may_go[view] & wanted[view]
        if view not in toward or (spare and toward[view].options):
            findings = members[0].findings
            found = builder[findings.sheet].toward_standards(findings, frozenset(spare))
            toward[view] = _without_its_own(found, alone[view], kinds)
    # What frees a module for others may want a smaller one, which nobody wanted before.
    told = told.joined([(yield _wants_of(toward))])
    wanted = told.wanted_by_others(alike)
    cheapest = cheapest_cents(case)
    pins = {pin.tag: pin for pin in case.pins}
    open_orders = {one.tag: one for one in case.open_orders}
    merged: dict[tuple[Hashable, str], tuple[list[str], Group]] = {}
    for view, members in alike.items():
        stand_aside()
        findings = members[0].findings
        near = toward[view]
        far = builder[findings.sheet].other_ends(
            findings,
            near,
            wanted[view],
            cheapest,
            works[view],
            later.get(findings.sheet),
            anywhere[findings.sheet],
        )
        every = (*near.options, *far.options)
        options = tuple([_only_wanted(option, wanted[view]) for option in every])
        group = Group(
            number=0,
            sheet=findings.sheet,
            tags=(),
            options=options,
            ways=worth_a_variable(options, frozenset()),
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

    if os.getpid() == home:
        for one in (*builder.values(), *later.values(), *anywhere.values()):
            one.forget()

    def sort_key(alone: str, tags: list[str], group: Group) -> tuple[object, ...]:
        keys = [_in_order(option) for option in group.options]
        return -len(tags), group.sheet, keys, [r.fact for r in group.rejections], alone

    ordered = sorted(
        ((sort_key(alone, *entry), entry) for (_, alone), entry in merged.items()),
        key=lambda item: item[0],
    )
    return [group.model_copy(update={"tags": tuple(sorted(tags))}) for _, (tags, group) in ordered]


def _may_want(sheet: ModelSheet, kinds: Iterable[PartKind]) -> frozenset[str]:
    """Part kinds that some unit of a model may want, and perhaps more."""
    written = frozenset(_texts(sheet.model_dump(mode="json")))

    def may(kind: PartKind) -> bool:
        match kind.facts:
            case ModuleFacts() as module:
                return module.generation is sheet.memory.generation
            case DriveFacts() | PackFacts() | BracketFacts():
                return True
            case OtherFacts():
                # Its sheet writes which one belongs there, or one that this goes instead of.
                return not written.isdisjoint((kind.key, *kind.instead_of))
            case _:
                assert_never(kind.facts)

    return frozenset(kind.key for kind in kinds if may(kind))


def _texts(of: object) -> Iterator[str]:
    """Every text in a document, also those by which others are found."""
    if isinstance(of, str):
        yield of
    elif isinstance(of, dict):
        yield from _texts([*of, *of.values()])
    elif isinstance(of, list):
        for one in of:
            yield from _texts(one)


def _wants_of(toward: Mapping[str, UnitOptions]) -> _Told:
    """The part kinds that units want, by the first tag of those that look alike."""
    wants = [_Told(wants=dict.fromkeys(_used_by(found), view)) for view, found in toward.items()]
    return _Told().joined(wants)


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
    if not alone:
        return found

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
    options = (*group.options, Option(outcome=group.pin.outcome, fees_cents=fees))
    ways = worth_a_variable(options, frozenset())
    return group.model_copy(update={"options": options, "ways": ways})


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
