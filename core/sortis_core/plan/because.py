"""Why a unit does not end by the way that would leave more in it: who would pay for that.

Solved a second time with that way forced, as near to the plan as it goes. What each group leaves in
both plans is compared to the cent, so that the sentence names facts and not an estimate.
"""

from collections import Counter, defaultdict
from typing import assert_never

from sortis_core.base import Record, listed, money
from sortis_core.options import Option
from sortis_core.options.option import option_key
from sortis_core.plan.case import Case, Goal
from sortis_core.plan.explain import Explainer
from sortis_core.plan.grouping import Group
from sortis_core.plan.limits import Limits, named, option_of
from sortis_core.plan.make import grouped, waits_in_circle, write_plan
from sortis_core.plan.result import NoSuchUnit, Plan, UnitOutcome
from sortis_core.plan.solve import WishesClash, Worth, solve_forced

NO_WORTH = Worth(parts={}, minute=0.0, money_100=0)


class Paid(Record):
    """Units of one group that would end otherwise, and what they would lose by it."""

    tags: tuple[str, ...]
    model: str
    before: str
    after: str
    loss_cents: int
    """Of all of them; negative where they would gain."""


class Because(Record):
    """The better way of one unit, and why the batch does not take it."""

    tag: str
    chosen: str
    better: str
    """The way that leaves most of the others, counted alone; empty where there is no other."""
    gain_cents: int
    """What it would leave more in this unit alone; negative where it leaves less."""
    loss_cents: int
    """What the batch leaves less when it is forced."""
    impossible: bool
    """No plan of the batch has it."""
    limits: tuple[str, ...]
    """What the plan has left of what the way needs, where that is too little."""
    comes_first: str = ""
    """By what the batch would be worse that comes before the contribution; empty by nothing."""
    paid_by: tuple[Paid, ...]
    sentence: str


def because(case: Case, plan: Plan, tag: str) -> Because:
    """Solve again with the better way of one unit forced.

    :param plan: the plan of ``case``.
    :raises NoSuchUnit: where the plan does not decide the unit.
    """
    outcome = next((one for one in plan.outcomes if one.tag == tag), None)
    if outcome is None:
        raise NoSuchUnit(f"{tag} is not among the units this plan decides.")
    return _Asked(case, plan, outcome).answer()


class _Asked:
    def __init__(self, case: Case, plan: Plan, outcome: UnitOutcome) -> None:
        self.case, self.plan, self.outcome = case, plan, outcome
        self.groups = grouped(case)
        self.g = outcome.group - 1
        self.group: Group = self.groups[self.g]
        self.explainer = Explainer(case, NO_WORTH, self.groups, plan.allocations)
        self.labels = {kind.key: kind.label for kind in case.kinds}
        self.models = {sheet.key: sheet.name for sheet in case.sheets}

    def answer(self) -> Because:
        chosen = self.words(self.outcome)
        now = option_key(self.outcome.outcome, self.outcome.standard, self.outcome.actions)
        others = [
            (self.alone(option), -n, n)
            for n, option in enumerate(self.group.options)
            if option.key != now
        ]
        if self.outcome.kept or self.outcome.pinned or not others:
            return self.reasoned(chosen, None)
        alone, _, o = max(others)
        better = self.group.options[o]
        gain = alone - self.outcome.contribution_cents
        limits: tuple[str, ...] = ()
        if gain > 0:
            limits = Limits(self.case, self.plan, self.groups).of(better, self.outcome)
        before = Counter(
            (one.group - 1, option_key(one.outcome, one.standard, one.actions))
            for one in self.plan.outcomes
        )
        if before[self.g, better.key]:
            # One that is alike in all that matters ends so already.
            return self.reasoned(chosen, better, gain, limits=limits)
        try:
            solution = solve_forced(self.case, self.groups, self.g, o, before)
            if waits_in_circle(self.case, self.groups, solution):
                solution = solve_forced(self.case, self.groups, self.g, o, before, in_turn=True)
        except WishesClash:
            return self.reasoned(chosen, better, gain, limits=limits, impossible=True)
        forced = write_plan(self.case, self.groups, solution)
        return self.reasoned(chosen, better, gain, limits=limits, forced=forced)

    def alone(self, option: Option) -> int:
        """What an option leaves with its parts at the lowest price."""
        return self.explainer.rung(option, 0).contribution_cents

    def words(self, outcome: UnitOutcome) -> str:
        return self.explainer.end(outcome.outcome, outcome.standard)

    def way(self, option: Option) -> str:
        name = self.explainer.end(option.outcome, option.standard)
        fits = [self.labels[part.kind] for part in option.uses]
        return f"{name} with {listed(fits)}" if fits else name

    def paid_by(self, forced: Plan) -> tuple[Paid, ...]:
        """Groups that leave more or less than before, the largest loss first."""
        sums = [_by_group(self.plan), _by_group(forced)]
        ends = [self.ends(self.plan), self.ends(forced)]
        found: list[Paid] = []
        for number, group in enumerate(self.groups, start=1):
            before, after = ends[0][number], ends[1][number]
            lost = list((before - after).elements())
            won = list((after - before).elements())
            loss = sums[0][number] - sums[1][number]
            if not lost and not loss:
                continue
            tags = [
                one.tag
                for one in self.plan.outcomes
                if one.group == number and (not lost or self.words(one) in lost)
            ]
            same = listed(sorted(set(before)))
            found.append(
                Paid(
                    tags=tuple(tags[: max(1, len(lost))]),
                    model=self.models[group.sheet],
                    before=listed(list(dict.fromkeys(lost))) or same,
                    after=listed(list(dict.fromkeys(won))) or f"{same}, with other parts",
                    loss_cents=loss,
                )
            )
        surplus = forced.surplus_cents - self.plan.surplus_cents
        if surplus:
            found.append(
                Paid(
                    tags=(),
                    model="",
                    before="parts bought in packs and not used",
                    after=self.money(forced.surplus_cents),
                    loss_cents=surplus,
                )
            )
        return tuple(sorted(found, key=lambda one: (-one.loss_cents, one.tags)))

    def ends(self, plan: Plan) -> dict[int, Counter[str]]:
        found: dict[int, Counter[str]] = defaultdict(Counter)
        for one in plan.outcomes:
            found[one.group][self.words(one)] += 1
        return found

    def reasoned(
        self,
        chosen: str,
        better: Option | None,
        gain: int = 0,
        *,
        limits: tuple[str, ...] = (),
        forced: Plan | None = None,
        impossible: bool = False,
    ) -> Because:
        """The answer with its sentence.

        :param forced: the plan with the better way in it.
        """
        found = Because(
            tag=self.outcome.tag,
            chosen=chosen,
            better=self.way(better) if better else "",
            gain_cents=gain,
            loss_cents=self.plan.contribution_cents - forced.contribution_cents if forced else 0,
            impossible=impossible,
            limits=limits,
            comes_first=self.comes_first(forced) if forced else "",
            paid_by=self.paid_by(forced) if forced else (),
            sentence="",
        )
        return found.model_copy(update={"sentence": self.sentence(found, better, forced)})

    def comes_first(self, forced: Plan) -> str:
        """By what another plan is worse that counts before the contribution."""
        plan, goal = self.plan, self.case.goal
        kept = sum(o.kept for o in plan.outcomes) - sum(o.kept for o in forced.outcomes)
        if kept > 0:
            orders = "work order" if kept == 1 else "work orders"
            return f"{kept} {orders} would not stand, and what was promised comes first"
        match goal:
            case Goal.READY:
                fewer = plan.ready - forced.ready
                worse = f"{fewer} fewer {'unit' if fewer == 1 else 'units'} would be ready"
            case Goal.SPEND:
                fewer = forced.spend_cents - plan.spend_cents
                worse = f"{self.money(fewer)} more would be spent"
            case Goal.ORDERS:
                fewer = _short(forced) - _short(plan)
                lack = "unit" if fewer == 1 else "units"
                worse = f"customers' orders would lack {fewer} {lack} more"
            case Goal.CONTRIBUTION:
                return ""
            case _:
                assert_never(goal)
        return f"{worse}, and the goal is {goal.label}" if fewer > 0 else ""

    def sentence(self, found: Because, better: Option | None, forced: Plan | None) -> str:
        if self.outcome.pinned:
            return "Pinned: a person decided it."
        if self.outcome.kept:
            return "Its open order is kept."
        if better is None:
            # Nothing was estimated there: the facts stand as the plan told them.
            return self.outcome.reason or "Nothing else is open to it."
        sought = next((o for o in self.group.options if o.sought_cents), None)
        if sought and self.outcome.outcome is sought.outcome:
            return f"{self.explainer.sought(sought)} {self.against(found, better, forced)}"
        return self.against(found, better, forced)

    def against(self, found: Because, better: Option, forced: Plan | None) -> str:
        """Why not the best other way, by what was solved with it."""
        gain, loss, limits = found.gain_cents, found.loss_cents, found.limits
        impossible, paid = found.impossible, found.paid_by
        name = found.better
        twins = [
            one.tag
            for one in self.plan.outcomes
            if one.group == self.outcome.group
            and option_key(one.outcome, one.standard, one.actions) == better.key
        ]
        if twins:
            facts = f", but {listed(limits)}" if limits else ""
            ends = "is alike and ends" if len(twins) == 1 else "are alike and end"
            more = f"{self.money(abs(gain))} {'more' if gain > 0 else 'less'}"
            left = more if gain else "as much"
            return (
                f"{name} would leave {left} here{facts}. {named(twins)} {ends} "
                "so; which of them does makes no difference to the batch."
            )
        if gain <= 0:
            said = f"Of all ways this leaves most here. Next best is {name}"
            if impossible:
                return f"{said}, which no plan of the batch has."
            if found.comes_first:
                return f"{said}, with which {found.comes_first}."
            if loss <= 0:
                return f"{said}, which is as good for the batch."
            return f"{said}: the batch would leave {self.money(loss)} less."
        said = f"{name} would leave {self.money(gain)} more here"
        if limits:
            said += f", but {listed(limits)}"
        if impossible:
            return (
                f"{said}. No plan of the batch has it."
                if limits
                else (
                    f"{said}, but no plan of the batch has it: stock, orders, pins or the due day."
                )
            )
        payers = [one for one in paid if one.loss_cents > 0 and self.outcome.tag not in one.tags]
        if payers:
            first = payers[0]
            who = f"{named(first.tags)} ({first.model})" if first.tags else first.before
            said += f". Then {who} would leave {self.money(first.loss_cents)} less"
            if first.tags:
                said += f" ({first.before} → {first.after})"
            if len(payers) > 1:
                rest = sum(one.loss_cents for one in payers[1:])
                said += f" and others {self.money(rest)}"
        if found.comes_first:
            more = (
                f"{self.money(abs(loss))} {'less' if loss > 0 else 'more'}" if loss else "as much"
            )
            return f"{said}; the batch would leave {more}, but {found.comes_first}."
        if loss > 0:
            return f"{said}; the batch would leave {self.money(loss)} less."
        if loss < 0 and forced:
            more = f"{said}; in money the batch would leave {self.money(-loss)} more"
            return f"{more}{self.no_money(forced)}."
        return f"{said}; the batch would leave the same either way."

    def no_money(self, forced: Plan) -> str:
        """Why a plan that leaves more money is not the better one."""
        now, then = self.ends_by(self.plan), self.ends_by(forced)
        if sum(o.shelf_cents for o in now) > sum(o.shelf_cents for o in then):
            return (
                ", but what the shelf costs is no reason to give up what could be sold or to take "
                "it apart"
            )
        if sum(o.uneven for o in then) > sum(o.uneven for o in now):
            premium = self.money(self.case.policy.matched_premium_cents)
            return f", but each unit whose channels differ counts as costing {premium}"
        return ", which is less than the plan was proven to"

    def ends_by(self, plan: Plan) -> list[Option]:
        """The options that units end by; work orders that stand are none."""
        return [option_of(self.groups, one) for one in plan.outcomes if not one.kept]

    def money(self, cents: int) -> str:
        return money(cents, self.case.currency)


def _by_group(plan: Plan) -> Counter[int]:
    found: Counter[int] = Counter()
    for one in plan.outcomes:
        found[one.group] += one.contribution_cents
    return found


def _short(plan: Plan) -> int:
    """Units that orders of customers lack."""
    return sum(max(0, order.wanted - len(order.tags)) for order in plan.sales_orders)
