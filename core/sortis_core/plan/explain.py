"""Why a unit ends as it does: its ladder, the runner-up, what holds a better option back."""

from collections import Counter, defaultdict

from sortis_core.base import Record, listed, money
from sortis_core.options import Option, OutcomeKind
from sortis_core.plan.aside import stand_aside
from sortis_core.plan.case import Case, SalesOrder
from sortis_core.plan.grouping import Group, cheapest_cents
from sortis_core.plan.result import Allocation, Rung
from sortis_core.plan.solve import Worth
from sortis_core.plan.sources import Source, sources_of


class Reason(Record):
    """One sentence, and the runner-up behind it."""

    sentence: str
    runner_up: str = ""
    loss_cents: int = 0


class Explainer:
    """Prices options by the cheapest source and by what their scarce parts are worth elsewhere.

    :param kept: units whose orders stand: their parts are not in the counts of the sources.
    """

    def __init__(
        self,
        case: Case,
        worth: Worth,
        groups: tuple[Group, ...],
        allocations: tuple[Allocation, ...],
        kept: frozenset[str] = frozenset(),
    ) -> None:
        self._case = case
        self._worth = worth
        self._labels = {kind.key: kind.label for kind in case.kinds}
        self._names = {standard.key: standard.name for standard in case.standards}
        self._cheapest = cheapest_cents(case)
        self._given = {part.kind for group in groups for o in group.options for part in o.yields}
        self._taken = Counter(part.kind for part in allocations)
        self._left = Counter[str]()
        self._sources: dict[str, list[Source]] = defaultdict(list)
        """By kind, the cheapest first."""
        for source in sorted(sources_of(case), key=lambda source: source.cost_cents):
            self._left[source.kind] += source.limit
            self._sources[source.kind].append(source)
        self._left.subtract(
            part.kind for part in allocations if part.source != "unit" and part.tag not in kept
        )
        self._of_groups: dict[int, list[Rung]] = {}
        self._costs: dict[tuple[str, int], int] = {}

    def rung(self, option: Option, units: int) -> Rung:
        """One option with its sum alone and its cost to the rest of the batch."""
        if option.pieces:
            option = option.given(
                [
                    number
                    for number, (action, piece) in enumerate(
                        zip(option.actions, option.pieces, strict=True)
                    )
                    if self._worth.parts.get(action.takes_out, 0) > piece.labour_cents
                ]
            )
        worth = self._worth
        parts = sum([self._cost(part.kind, part.count) for part in option.uses])
        scarce = round(option.minutes * worth.minute)
        scarce += sum([self._over(part.kind) * part.count for part in option.uses])
        scarce -= sum([worth.parts.get(part.kind, 0) * part.count for part in option.yields])
        if worth.skills:
            scarce += round(
                sum([worth.skills.get(one.skill, 0) * one.minutes / 60 for one in option.skills])
            )
        return Rung(
            key=option.key,
            outcome=option.outcome,
            standard=option.standard,
            actions=option.actions,
            minutes=option.minutes,
            price_cents=option.price_cents,
            parts_cents=parts,
            contribution_cents=option.net_cents - parts,
            scarce_cents=scarce,
            units=units,
        )

    def _cost(self, kind: str, count: int) -> int:
        """What so many parts cost from the cheapest sources that have them."""
        known = self._costs.get((kind, count))
        if known is None:
            total, lack = 0, count
            for source in self._sources[kind]:
                taken = min(lack, source.limit)
                total += taken * min([source.cost_cents, *(t.price_cents for t in source.tiers)])
                lack -= taken
            known = self._costs[kind, count] = total + lack * self._cheapest[kind]
        return known

    def _over(self, kind: str) -> int:
        """What one more of a kind is worth beyond its cheapest price."""
        return max(0, self._worth.parts.get(kind, 0) - self._cheapest[kind])

    def _rungs(self, group: Group) -> list[Rung]:
        """All options of a group, whoever ends by which: ladder and reasons look at the same."""
        known = self._of_groups.get(group.number)
        if known is None:
            stand_aside()
            known = [self.rung(option, 0) for option in group.options]
            self._of_groups[group.number] = known
        return known

    def ladder(self, group: Group, units: dict[int, int]) -> tuple[Rung, ...]:
        """All options, best for the batch first. ``units``: option index -> units."""
        rungs = [
            rung.model_copy(update={"units": units[o]}) if o in units else rung
            for o, rung in enumerate(self._rungs(group))
        ]
        return tuple(
            sorted(
                rungs,
                key=lambda r: (r.scarce_cents - r.contribution_cents, -r.units, r.outcome),
            )
        )

    def reason(
        self,
        option: Option,
        group: Group,
        customer_cents: int = 0,
        order: SalesOrder | None = None,
    ) -> Reason:
        """Why this outcome, and what the next best would leave.

        :param customer_cents: paid for it beyond its standard's price by the customer of ``order``.
        """
        if group.pin:
            return Reason(sentence="Pinned: a person decided it.")
        chosen = self.rung(option, 1)
        if customer_cents and order:
            contribution = chosen.contribution_cents + customer_cents
            chosen = chosen.model_copy(update={"contribution_cents": contribution})
            said = self._plain_reason(option, chosen, group)
            pays = self._customer_pays(order, customer_cents)
            return said.model_copy(update={"sentence": f"{pays} {said.sentence}"})
        return self._plain_reason(option, chosen, group)

    def _customer_pays(self, order: SalesOrder, customer_cents: int) -> str:
        which = "more" if customer_cents > 0 else "less"
        return (
            f"{order.customer} pays {self._money(order.price_cents or 0)} for it, "
            f"{self._money(abs(customer_cents))} {which} than {self._names[order.standard]} gives."
        )

    def _plain_reason(self, option: Option, chosen: Rung, group: Group) -> Reason:
        others = [
            (other, rung)
            for other, rung in zip(group.options, self._rungs(group), strict=True)
            if other.key != option.key
        ]
        why_not = listed_facts(group, self._names)
        if option.sought_cents:
            return Reason(sentence=f"{self.sought(option)} {why_not}")
        if not others:
            return Reason(sentence=f"Nothing else is open to it. {why_not}".strip())
        others.sort(key=lambda item: -item[1].contribution_cents)
        best, rung = others[0]
        nearest, next_rung = max(others, key=lambda item: _in_batch(item[1]))
        loss = max(0, _in_batch(chosen) - _in_batch(next_rung))
        return Reason(
            sentence=self._sentence(option, chosen, best, rung, why_not),
            runner_up=self._full_name(nearest, option),
            loss_cents=loss,
        )

    def sought(self, option: Option) -> str:
        """What a held unit waits for that nobody has, and what may be paid for it."""
        parts = listed([self._labels[kind] for kind in option.waits_for])
        return (
            f"Nobody has or offers {parts}. Counted alone, up to "
            f"{self._money(option.sought_cents)} may be paid for that, so it is not given up."
        )

    def _full_name(self, other: Option, option: Option) -> str:
        name = self.name(other)
        if other.standard == option.standard and other.uses:
            name += " with " + listed([self._labels[part.kind] for part in other.uses])
        return name

    def _sentence(
        self, option: Option, chosen: Rung, best: Option, rung: Rung, why_not: str
    ) -> str:
        name = self._full_name(best, option)
        if rung.contribution_cents <= chosen.contribution_cents:
            loss = chosen.contribution_cents - rung.contribution_cents
            less = f"{self._money(loss)} less" if loss else "as much"
            said = f"Next best is {name}, which leaves {less}."
            return f"{said} {why_not}".strip() if not chosen.standard else said
        own = {part.kind: part.count for part in option.uses}
        lacking = [p for p in best.uses if p.count > self._left[p.kind] + own.get(p.kind, 0)]
        scarce = [part.kind for part in lacking if self._over(part.kind)]
        # What no other unit gets either is not worth more there.
        untaken = [p for p in lacking if self._taken[p.kind] <= own.get(p.kind, 0)]
        inside = [self._labels[p.kind] for p in untaken if p.kind in self._given]
        there = self._left + Counter(own)
        too_few = [
            f"{p.count} {self._labels[p.kind]}, of which there is {there[p.kind]}"
            for p in untaken
            if p.kind not in self._given
        ]
        gain = self._money(rung.contribution_cents - chosen.contribution_cents)
        if option.outcome is OutcomeKind.DONOR:
            given = listed([self._labels[part.kind] for part in option.yields])
            return (
                f"{name} would leave {gain} more here, but its {given} "
                "is worth more in other units."
            )
        if too_few:
            return f"{name} would leave {gain} more here, but takes {listed(too_few)}."
        if inside:
            return (
                f"{name} would leave {gain} more here, but takes {listed(inside)}, which only "
                "another unit could give: that one leaves more as it is."
            )
        if scarce:
            labels = listed([self._labels[kind] for kind in dict.fromkeys(scarce)])
            return (
                f"{name} would leave {gain} more here, but {labels} is worth more in other units."
            )
        if self._worth.minute and best.minutes > option.minutes:
            return (
                f"{name} would leave {gain} more here, but takes "
                f"{best.minutes:.0f} min, and the bench hours are used where they leave more."
            )
        if self._worth.money_100 and best.uses:
            return (
                f"{name} would leave {gain} more here, but the money is spent where it leaves more."
            )
        if best.uneven and not option.uneven:
            return (
                f"{name} would leave {gain} more here, but fills the channels unevenly; a matched "
                f"pair may cost {self._money(self._case.policy.matched_premium_cents)} more."
            )
        return (
            f"{name} would leave {gain} more counted alone, but not in the batch as a whole: its "
            "parts are used up, or bring more elsewhere."
        )

    def name(self, option: Option) -> str:
        """An option as people say it: ``Fit to Desk ready``."""
        return self.end(option.outcome, option.standard)

    def end(self, outcome: OutcomeKind, standard: str) -> str:
        """How a unit ends, as people say it; ``standard`` is a key."""
        return end_words(outcome, self._names.get(standard, ""))

    def _money(self, cents: int) -> str:
        return money(cents, self._case.currency)


def _in_batch(rung: Rung) -> int:
    """What an option leaves once its scarce parts and minutes are paid for."""
    return rung.contribution_cents - rung.scarce_cents


def end_words(outcome: OutcomeKind, standard: str) -> str:
    """How a unit ends, as people say it. ``standard`` is a name."""
    if outcome is OutcomeKind.FIT:
        return f"Fit to {standard}"
    if outcome is OutcomeKind.RELEASE:
        return f"Release as {standard}"
    return outcome.heading


def listed_facts(group: Group, names: dict[str, str]) -> str:
    """The facts against the standards this group cannot reach."""
    facts: dict[str, list[str]] = {}
    for rejection in group.rejections:
        if rejection.outcome is OutcomeKind.FIT:
            facts.setdefault(rejection.fact, []).append(names[rejection.standard])
    return " ".join(f"{listed(which)}: {fact}" for fact, which in facts.items())
