"""What if: the curve against money, one more of something, another way for a unit, other rules.

Every figure here is a plan solved again, proven like the plan itself.
"""

from collections.abc import Iterator

from sortis_core.base import Record, listed, money
from sortis_core.options import Dominated, OptionBuilder
from sortis_core.options.refused import refused_parts
from sortis_core.plan.case import Case
from sortis_core.plan.clash import explain_clash
from sortis_core.plan.dialled import lent
from sortis_core.plan.explain import end_words
from sortis_core.plan.grouping import Group, cheapest_cents
from sortis_core.plan.make import grouped, waits_in_circle
from sortis_core.plan.model import BatchModel, rounded
from sortis_core.plan.result import NoSuchUnit
from sortis_core.plan.solve import (
    Figures,
    Solver,
    WishesClash,
    figures_of,
    read_off,
    run_goals,
)
from sortis_core.policy import SCHOOLS, UNSEEN_BY_DECISIONS, Policy
from sortis_core.route.minutes import Skill, SkillMinutes
from sortis_core.standards import Standard
from sortis_core.stock import Condition, Lot
from sortis_core.supply import Supply

CURVE_POINTS = 9
NO_LIMIT_CENTS = 10**9
ROUND_CENTS = 500


class CurvePoint(Record):
    """What a plan with so much money to spend reaches."""

    money_cents: int
    figures: Figures


class Curve(Record):
    """Where money is asked about, and the plan that spends no more however much there is."""

    below: tuple[int, ...]
    """Money of the points below the top, in cents."""
    top: CurvePoint


class OneMoreFigures(Record):
    """The plan as it is and with one more, both solved to the end."""

    key: str
    label: str
    now: Figures
    then: Figures


class Rule(Record):
    """One changed school or standard."""

    key: str
    question: str
    now: str
    then: str


class OtherWay(Record):
    """Another way for one unit, with what the batch loses when it takes it."""

    key: str
    name: str
    contribution_cents: int
    """Of the whole batch, solved again with the unit ending so."""
    loss_cents: int
    impossible: str = ""
    """Why no plan of the batch has it, where none has."""


class RefusedPart(Record):
    """A part to be had that the unit cannot take."""

    part: str
    fact: str


class UnitWays(Record):
    """Every way for one unit, exactly, and the facts against what is no way."""

    format: str = "sortis-ways-4"
    tag: str
    chosen: str
    ways: tuple[OtherWay, ...]
    rejections: tuple[str, ...]
    refused_parts: tuple[RefusedPart, ...]
    dominated: tuple[str, ...]
    """Ways left out because another is never worse, in words."""


def figures(case: Case) -> Figures:
    """Contribution, units ready and spend of the best plan.

    :raises WishesClash: where orders and pins cannot all hold; names the smallest set.
    """
    groups = grouped(case)
    try:
        return figures_of(*_solved(case, groups))
    except WishesClash:
        raise explain_clash(case, groups) from None


def _solved(
    case: Case, groups: tuple[Group, ...], forced: tuple[int, int] | None = None
) -> tuple[BatchModel, Solver]:
    """The model of a case, solved as a plan is: nobody waits in a circle.

    :param forced: (group, option) by which at least one unit ends.
    :raises WishesClash: where no plan has it.
    """
    for in_turn in (False, True):
        batch = BatchModel(case, groups, all_ways_of=forced and forced[0], in_turn=in_turn)
        if forced:
            batch.x[forced].lower_bound = 1
        solver = run_goals(batch)
        if not waits_in_circle(case, groups, read_off(batch, solver)):
            break
    return batch, solver


def curve_of(case: Case, points: int = CURVE_POINTS) -> Curve:
    """From nothing to what a plan without limit would spend, in even steps.

    :raises WishesClash: where orders and pins cannot all hold without any limit on money.
    """
    top = spending(case, NO_LIMIT_CENTS).figures
    step = max(ROUND_CENTS, -(-top.spend_cents // ((points - 1) * ROUND_CENTS)) * ROUND_CENTS)
    below = tuple(range(0, top.spend_cents, step))
    last = below[-1] + step if below else 0
    return Curve(below=below, top=CurvePoint(money_cents=last, figures=top))


def spending(case: Case, cents: int) -> CurvePoint:
    """What the case reaches with so much money; of the last few batches the model is kept.

    :raises WishesClash: where orders and pins cannot all hold with it.
    """
    groups = grouped(case)
    asked = case.model_copy(update={"money_cents": cents})
    try:
        with lent(case, groups, spare=True) as dialled:
            solution, found = dialled.proven(asked)
        if waits_in_circle(asked, groups, solution):
            with lent(case, groups, in_turn=True) as dialled:
                _, found = dialled.proven(asked)
    except WishesClash:
        raise explain_clash(case, groups) from None
    return CurvePoint(money_cents=cents, figures=found)


def one_more(case: Case, key: str) -> OneMoreFigures:
    """Solve with one more part of kind ``key`` at its price, one more hour or 100 more of money.

    :param key: a part kind, ``minutes``, ``money``, or a skill that has a limit.
    """
    skills = {one.skill.value: one for one in case.skills}
    if key == "minutes":
        richer = case.model_copy(update={"bench_minutes": case.bench_minutes + 60})
        label = "one more bench hour"
    elif key == "money":
        richer = case.model_copy(update={"money_cents": case.money_cents + 10_000})
        label = f"{money(10_000, case.currency)} more"
    elif key in skills:
        more = SkillMinutes(skill=Skill(key), minutes=skills[key].minutes + 60)
        others = tuple(one for one in case.skills if one.skill.value != key)
        richer = case.model_copy(update={"skills": (*others, more)})
        label = f"one more hour of {key}"
    else:
        label = next((kind.label for kind in case.kinds if kind.key == key), "")
        if not label:
            raise NoSuchUnit(f"{key} is neither a part kind of this case nor hours nor money.")
        richer = _with_one(case, key, cheapest_cents(case)[key])
        label = f"one more {label}"
    return OneMoreFigures(key=key, label=label, now=figures(case), then=figures(richer))


def one_found(case: Case, kinds: tuple[str, ...]) -> OneMoreFigures:
    """Solve with one part of each of some kinds for nothing: what is more is the most to pay."""
    known = {kind.key: kind.label for kind in case.kinds}
    if unknown := [kind for kind in kinds if kind not in known]:
        raise NoSuchUnit(f"{unknown[0]} is no part kind of this case.")
    richer = case
    for kind in kinds:
        richer = _with_one(richer, kind, 0)
    label = f"one {listed([known[kind] for kind in kinds])}"
    key = "+".join(kinds)
    return OneMoreFigures(key=key, label=label, now=figures(case), then=figures(richer))


def _with_one(case: Case, kind: str, cents: int) -> Case:
    """The case with one more part in the store, at such a price."""
    extra = Lot(
        key=f"one-more-{kind}",
        kind=kind,
        condition=Condition.NEW,
        place="one more",
        count=1,
        unit_cost_cents=cents,
    )
    return case.model_copy(update={"lots": (*case.lots, extra)})


def unit_ways(case: Case, tag: str) -> UnitWays:
    """Every way for one unit, each with the batch solved again around it.

    :raises NoSuchUnit: where the case does not decide the unit.
    """
    groups = grouped(case)
    g = next((g for g, group in enumerate(groups) if tag in group.tags), None)
    if g is None:
        raise NoSuchUnit(f"{tag} is not among the units this case decides.")
    group = groups[g]
    labels = {kind.key: kind.label for kind in case.kinds}
    names = {standard.key: standard.name for standard in case.standards}

    def words(o: int) -> str:
        option = group.options[o]
        fits = [labels[part.kind] for part in option.uses]
        name = end_words(option.outcome, names.get(option.standard, ""))
        return f"{name} with {', '.join(fits)}" if fits else name

    base, solver = _solved(case, groups)
    values = solver.values()
    best_cents = rounded(base.preferred, values)
    ways: list[OtherWay] = []
    chosen = "its work order stands"
    for o, option in enumerate(group.options):
        if (g, o) in base.x and round(values[base.x[g, o]]):
            total, impossible = best_cents, ""
            chosen = words(o)
        else:
            total, impossible = _forced(case, groups, g, o)
        ways.append(
            OtherWay(
                key=option.key,
                name=words(o),
                contribution_cents=total,
                loss_cents=0 if impossible else best_cents - total,
                impossible=impossible,
            )
        )
    ways.sort(key=lambda way: (bool(way.impossible), way.loss_cents, way.key))
    refused, dropped = _left_aside(case, tag)
    return UnitWays(
        tag=tag,
        chosen=chosen,
        ways=tuple(ways),
        rejections=tuple(
            f"{names.get(r.standard, r.outcome.heading)}: {r.fact}" for r in group.rejections
        ),
        refused_parts=refused,
        dominated=tuple(_beaten(one, labels, names) for one in dropped),
    )


def _forced(case: Case, groups: tuple[Group, ...], g: int, o: int) -> tuple[int, str]:
    """Value of the batch in cents with at least one unit of the group ending so, or why none."""
    try:
        batch, solver = _solved(case, groups, (g, o))
    except WishesClash:
        return 0, "Stock, money, hours, orders or pins leave no plan in which it ends so."
    return rounded(batch.preferred, solver.values()), ""


def _left_aside(case: Case, tag: str) -> tuple[tuple[RefusedPart, ...], tuple[Dominated, ...]]:
    """Parts that the unit refuses, and its dominated options."""
    findings = next(unit.findings for unit in case.units if unit.tag == tag)
    sheet = next(sheet for sheet in case.sheets if sheet.key == findings.sheet)
    kinds = {kind.key: kind for kind in case.kinds}
    supplied = {lot.kind for lot in case.usable_lots()}
    supplied |= {offer.kind for offer in case.usable_offers()}
    supply = Supply(kinds, frozenset(supplied))
    builder = OptionBuilder(sheet, supply, case.standards, case.policy, beaten=True)
    toward = builder.toward_standards(findings)
    refused = refused_parts(sheet, findings, supply)
    return tuple(RefusedPart(part=part, fact=fact) for part, fact in refused), toward.dominated


def _beaten(one: Dominated, labels: dict[str, str], names: dict[str, str]) -> str:
    def fits(option_uses: tuple[str, ...]) -> str:
        return ", ".join(labels[kind] for kind in option_uses) or "nothing"

    with_this = fits(tuple(part.kind for part in one.option.uses))
    with_that = fits(tuple(part.kind for part in one.by.uses))
    return (
        f"{names.get(one.option.standard, '')} with {with_this}: never better than with "
        f"{with_that}."
    )


def other_rules(case: Case) -> Iterator[tuple[Rule, Case]]:
    """The case under every other school, and with every gate of a standard one notch lower or
    higher, and without each standard.
    """
    yield from _other_schools(case)
    for standard in case.standards:
        for gate in standard.gates:
            for other in gate.neighbours():
                gates = tuple(other.gate if g == gate else g for g in standard.gates)
                changed = standard.model_copy(update={"gates": gates})
                yield (
                    Rule(
                        key=f"{standard.key}:{gate.name}:{other.then}",
                        question=f"{standard.name}: {gate.question}",
                        now=other.now,
                        then=other.then,
                    ),
                    _with_standard(case, changed),
                )
        if len(case.standards) > 1 and not any(
            o.standard == standard.key for o in case.sales_orders
        ):
            left = tuple(s for s in case.standards if s.key != standard.key)
            pins = tuple(p for p in case.pins if p.standard != standard.key)
            yield (
                Rule(
                    key=f"{standard.key}:none",
                    question=standard.name,
                    now="sold",
                    then="not sold",
                ),
                case.model_copy(update={"standards": left, "pins": pins}),
            )


def _other_schools(case: Case) -> Iterator[tuple[Rule, Case]]:
    for field, (question, schools) in SCHOOLS.items():
        now = getattr(case.policy, field)
        for then in () if field in UNSEEN_BY_DECISIONS else schools:
            if then is not now:
                policy: Policy = case.policy.model_copy(update={field: then})
                yield (
                    Rule(
                        key=f"{field}:{then.value}",
                        question=question,
                        now=now.label,
                        then=then.label,
                    ),
                    case.model_copy(update={"policy": policy}),
                )


def _with_standard(case: Case, changed: Standard) -> Case:
    standards = tuple(changed if s.key == changed.key else s for s in case.standards)
    return case.model_copy(update={"standards": standards})
