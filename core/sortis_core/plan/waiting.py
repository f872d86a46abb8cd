"""What held units wait for until somebody finds it: a price, or a part that nobody has."""

from collections.abc import Collection

from sortis_core.base import listed, money
from sortis_core.findings import Grade
from sortis_core.options import OutcomeKind
from sortis_core.options.sought import sought_for
from sortis_core.plan.case import Case
from sortis_core.plan.grouping import Group, cheapest_cents
from sortis_core.plan.result import Sought, Unpriced

ALONE = "Estimate, each counted alone"


def unpriced(case: Case, groups: tuple[Group, ...], held: frozenset[str]) -> tuple[Unpriced, ...]:
    """Units that are held for want of a price, by model and grade.

    :param held: tags of the units that the plan holds.
    """
    names = {standard.key: standard.name for standard in case.standards}
    grades = {unit.tag: unit.findings.grade for unit in case.units}
    models = {sheet.key: sheet.name for sheet in case.sheets}
    waiting: dict[tuple[str, Grade], tuple[set[str], list[str]]] = {}
    for group in groups:
        standards = {r.standard for r in group.rejections if r.no_price}
        for tag in group.tags if standards else ():
            grade = grades[tag]
            if grade is not None and tag in held:
                entry = waiting.setdefault((group.sheet, grade), (set(), []))
                entry[0].update(standards)
                entry[1].append(tag)
    found: list[Unpriced] = []
    for (sheet, grade), (keys, tags) in sorted(waiting.items()):
        lacking = tuple(name for key, name in names.items() if key in keys)
        found.append(
            Unpriced(
                sheet=sheet,
                model=models[sheet],
                grade=grade.value,
                standards=lacking,
                tags=tuple(sorted(tags)),
                sentence=f"{_units_wait(tags)} for a price: {models[sheet]} in grade {grade.value} "
                f"has none as {listed(lacking, 'or')}. Nothing is decided there until then.",
            )
        )
    return tuple(found)


def sought(
    case: Case, groups: tuple[Group, ...], ends: dict[str, OutcomeKind]
) -> tuple[Sought, ...]:
    """Units that only a part keeps from being sold which is not in stock or on offer, by part.

    Another unit may hold one and leave more as it is. A unit that is taken apart for want of it is
    told of, too: before that is done, somebody may find one.

    :param ends: tag -> how the plan ends it.
    """
    sheets = {sheet.key: sheet for sheet in case.sheets}
    had = {lot.kind for lot in case.lots} | {offer.kind for offer in case.offers}
    cheapest = cheapest_cents(case)
    lacking: dict[tuple[OutcomeKind, tuple[str, ...]], list[tuple[str, int]]] = {}
    for group in groups:
        if all(ends[tag] not in (OutcomeKind.HOLD, OutcomeKind.DONOR) for tag in group.tags):
            continue
        kinds, cents = next(
            ((o.waits_for, o.sought_cents) for o in group.options if o.sought_cents), ((), 0)
        )
        if not cents:
            ready = [option for option in group.options if option.outcome.ready]
            kinds, cents = sought_for(ready, had.__contains__, sheets[group.sheet], cheapest)
        for tag in group.tags:
            if cents and ends[tag] in (OutcomeKind.HOLD, OutcomeKind.DONOR):
                lacking.setdefault((ends[tag], kinds), []).append((tag, cents))
    found = [_sought(case, end, kinds, units) for (end, kinds), units in sorted(lacking.items())]
    return tuple(sorted(found, key=lambda one: -one.most_cents * len(one.tags)))


def _sought(
    case: Case, end: OutcomeKind, kinds: tuple[str, ...], units: list[tuple[str, int]]
) -> Sought:
    labels = {kind.key: kind.label for kind in case.kinds}
    tags = tuple(sorted(tag for tag, _ in units))
    parts = listed([labels[kind] for kind in kinds])
    one = len(tags) == 1
    said = f"{_units_wait(tags)} for {parts}."
    if end is OutcomeKind.DONOR:
        goes = "1 unit is" if one else f"{len(tags)} units are"
        said = f"{goes} taken apart for want of {parts}."
    amounts = [money(cents, case.currency) for cents in sorted({cents for _, cents in units})]
    pays = f"up to {amounts[0]}" if len(amounts) == 1 else f"{amounts[0]} to {amounts[-1]}"
    return Sought(
        kinds=kinds,
        tags=tags,
        most_cents=max(cents for _, cents in units),
        sentence=said,
        price=f"{ALONE}: {pays}{'' if one else ' a unit'} may be paid for that.",
    )


def priced(line: Sought, worth_cents: int, currency: str) -> Sought:
    """The line once the batch was solved with one of each for nothing.

    :param worth_cents: what the batch leaves more then.
    """
    price = (
        f"Solved: the batch leaves {money(worth_cents, currency)} more with the first, so much may "
        "be paid for it."
        if worth_cents > 0
        else "Solved: with one the batch leaves no more: other parts, money or hours are short."
    )
    return line.model_copy(update={"worth_cents": worth_cents, "price": price})


def _units_wait(tags: Collection[str]) -> str:
    return "1 unit waits" if len(tags) == 1 else f"{len(tags)} units wait"
