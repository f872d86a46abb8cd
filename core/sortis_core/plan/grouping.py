"""Groups of units that are identical in all that a decision can see.

Two packs of 71 % and 72 % are the same under a gate of 80 %. The plan is solved over groups, so
that 20,000 units cost hardly more than 200.
"""

from collections.abc import Hashable

from sortis_core.base import Record
from sortis_core.findings import Findings, PlaceState
from sortis_core.options import Option, OptionBuilder, Rejection, UnitOptions
from sortis_core.plan.case import Case, CaseUnit
from sortis_core.sheets import ModelSheet
from sortis_core.standards import PackGate, Standard


class Group(Record):
    """Units with the same options, in tag order."""

    number: int
    sheet: str
    tags: tuple[str, ...]
    options: tuple[Option, ...]
    rejections: tuple[Rejection, ...]


def decision_view(
    sheet: ModelSheet, findings: Findings, standards: tuple[Standard, ...]
) -> Hashable:
    """All that options depend on; units with equal views have equal options."""
    gates = [g for standard in standards for g in standard.gates if isinstance(g, PackGate)]
    packs = []
    for place in sheet.packs_of(findings.trim):
        pack = findings.pack(place.key)
        health = pack.health_percent
        packs.append(
            (
                pack.state,
                tuple(
                    health is not None
                    and round(health, 1) >= gate.min_health_percent
                    and (gate.max_cycles is None or (pack.cycles or 0) <= gate.max_cycles)
                    for gate in gates
                )
                if pack.state is PlaceState.PRESENT
                else (),
            )
        )
    return (
        sheet.key,
        findings.trim,
        findings.soldered_gb,
        findings.grade,
        tuple(packs),
        tuple(
            (slot.key, (m := findings.module(slot.key)).state, m.gb, m.mts)
            for slot in sheet.memory.slots
        ),
        tuple(
            (d.state, d.interface, d.spinning, d.gb, d.length_mm)
            for d in (findings.drive(place.key) for place in sheet.drives_of(findings.trim))
        ),
        tuple(findings.part(part.key) for part in sheet.parts_of(findings.trim)),
        tuple(findings.test(test.key) for test in sheet.tests_of(findings.trim)),
    )


def group_units(case: Case, units: tuple[CaseUnit, ...]) -> tuple[Group, ...]:
    """Group units by what the decision sees, largest groups first, then by first tag."""
    sheets = {sheet.key: sheet for sheet in case.sheets}
    kinds = {kind.key: kind for kind in case.kinds}
    alike: dict[Hashable, list[CaseUnit]] = {}
    for unit in sorted(units, key=lambda unit: unit.tag):
        view = decision_view(sheets[unit.findings.sheet], unit.findings, case.standards)
        alike.setdefault(view, []).append(unit)
    supplied = {lot.kind for lot in case.usable_lots()}
    supplied |= {offer.kind for offer in case.offers if offer.limit > 0}

    def builders(obtainable: frozenset[str]) -> dict[str, OptionBuilder]:
        return {
            key: OptionBuilder(sheet, kinds, case.standards, case.policy, obtainable)
            for key, sheet in sheets.items()
        }

    first = builders(frozenset(supplied))
    for members in alike.values():
        findings = members[0].findings
        supplied |= {a.takes_out for a in first[findings.sheet].harvestable(findings)}
    builder = builders(frozenset(supplied))
    toward: dict[Hashable, UnitOptions] = {
        view: builder[members[0].findings.sheet].toward_standards(members[0].findings)
        for view, members in alike.items()
    }
    wanted = frozenset(
        part.kind for found in toward.values() for o in found.options for part in o.uses
    )
    cheapest = cheapest_cents(case)
    merged: dict[Hashable, tuple[list[str], str, UnitOptions]] = {}
    for view, members in alike.items():
        findings = members[0].findings
        near = toward[view]
        far = builder[findings.sheet].other_ends(findings, near, wanted, cheapest)
        options = tuple(_only_wanted(option, wanted) for option in (*near.options, *far.options))
        rejections = (*near.rejections, *far.rejections)
        same = (
            findings.sheet,
            tuple((o.key, o.actions, o.yields, o.minutes, o.price_cents) for o in options),
            rejections,
        )
        entry = merged.setdefault(
            same, ([], findings.sheet, UnitOptions(options=options, rejections=rejections))
        )
        entry[0].extend(member.tag for member in members)
    ordered = sorted(merged.values(), key=lambda entry: (-len(entry[0]), min(entry[0])))
    return tuple(
        Group(
            number=number,
            sheet=sheet,
            tags=tuple(sorted(tags)),
            options=found.options,
            rejections=found.rejections,
        )
        for number, (tags, sheet, found) in enumerate(ordered, start=1)
    )


def cheapest_cents(case: Case) -> dict[str, int]:
    """Lowest price of each part kind: lot, offer, else what a harvested one is charged at."""
    lowest = {kind.key: kind.harvest_value_cents for kind in case.kinds}
    prices: dict[str, list[int]] = {}
    for lot in case.usable_lots():
        prices.setdefault(lot.kind, []).append(lot.unit_cost_cents)
    for offer in case.offers:
        if offer.limit > 0:
            prices.setdefault(offer.kind, []).append(offer.price_cents)
    return lowest | {kind: min(found) for kind, found in prices.items()}


def _only_wanted(option: Option, wanted: frozenset[str]) -> Option:
    """Leave out of the yields what no option uses, so that it does not split groups."""
    return option.model_copy(
        update={"yields": tuple(part for part in option.yields if part.kind in wanted)}
    )
