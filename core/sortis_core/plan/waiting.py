"""What held units wait for until somebody finds it: a price, or a part that nobody has."""

from sortis_core.base import listed, money
from sortis_core.findings import Grade
from sortis_core.options.sought import sought_for
from sortis_core.plan.case import Case
from sortis_core.plan.grouping import Group, cheapest_cents
from sortis_core.plan.result import Sought, Unpriced


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


def sought(case: Case, groups: tuple[Group, ...], held: frozenset[str]) -> tuple[Sought, ...]:
    """Units that only a part keeps from being sold which is not in stock or on offer, by part.

    Another unit may hold one and leave more as it is.

    :param held: tags of the units that the plan holds.
    """
    labels = {kind.key: kind.label for kind in case.kinds}
    sheets = {sheet.key: sheet for sheet in case.sheets}
    had = {lot.kind for lot in case.lots} | {offer.kind for offer in case.offers}
    cheapest = cheapest_cents(case)
    waiting: dict[tuple[str, ...], list[tuple[str, int]]] = {}
    for group in groups:
        tags = [tag for tag in group.tags if tag in held]
        kinds, most = next(
            ((o.waits_for, o.sought_cents) for o in group.options if o.sought_cents), ((), 0)
        )
        if tags and not most:
            ready = [option for option in group.options if option.outcome.ready]
            kinds, most = sought_for(ready, had.__contains__, sheets[group.sheet], cheapest)
        if tags and most:
            waiting.setdefault(kinds, []).extend((tag, most) for tag in tags)
    found: list[Sought] = []
    for kinds, units in sorted(waiting.items()):
        most = sorted({cents for _, cents in units})
        tags = sorted(tag for tag, _ in units)
        pays = f"Up to {money(most[-1], case.currency)}"
        if len(most) > 1:
            pays = f"Between {money(most[0], case.currency)} and {money(most[-1], case.currency)}"
        each = " a unit" if len(tags) > 1 else ""
        parts = listed([labels[kind] for kind in kinds])
        found.append(
            Sought(
                kinds=kinds,
                tags=tuple(tags),
                most_cents=most[-1],
                sentence=f"{_units_wait(tags)} for {parts}, not in stock and offered by nobody. "
                f"{pays}{each} may be paid for that: find a supplier, or pin what becomes of "
                f"{'it' if len(tags) == 1 else 'them'}.",
            )
        )
    return tuple(sorted(found, key=lambda one: (-one.most_cents * len(one.tags), one.kinds)))


def _units_wait(tags: list[str]) -> str:
    return "1 unit waits" if len(tags) == 1 else f"{len(tags)} units wait"
