"""Why a unit ends as it does: its ladder, the runner-up, what holds a better option back."""

from sortis_core.base import listed, money
from sortis_core.options import Option, OutcomeKind
from sortis_core.plan.case import Case
from sortis_core.plan.grouping import Group, cheapest_cents
from sortis_core.plan.model import Worth
from sortis_core.plan.result import Rung


class Explainer:
    """Prices options by the cheapest source and by what their scarce parts are worth elsewhere."""

    def __init__(self, case: Case, worth: Worth) -> None:
        self._case = case
        self._worth = worth
        self._labels = {kind.key: kind.label for kind in case.kinds}
        self._names = {standard.key: standard.name for standard in case.standards}
        self._cheapest = cheapest_cents(case)

    def rung(self, option: Option, units: int) -> Rung:
        """One option with its sum alone and its cost to the rest of the batch."""
        parts = sum(self._cheapest[part.kind] * part.count for part in option.uses)
        scarce = sum(self._over(part.kind) * part.count for part in option.uses)
        scarce -= sum(self._worth.parts.get(p.kind, 0) * p.count for p in option.yields)
        scarce += round(option.minutes * self._worth.minute)
        return Rung(
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

    def _over(self, kind: str) -> int:
        """What one more of a kind is worth beyond its cheapest price."""
        return max(0, self._worth.parts.get(kind, 0) - self._cheapest[kind])

    def ladder(self, group: Group, units: dict[int, int]) -> tuple[Rung, ...]:
        """All options, best for the batch first. ``units``: option index -> units."""
        rungs = [self.rung(option, units.get(o, 0)) for o, option in enumerate(group.options)]
        return tuple(
            sorted(
                rungs,
                key=lambda r: (r.scarce_cents - r.contribution_cents, -r.units, r.outcome),
            )
        )

    def reason(self, option: Option, group: Group) -> str:
        """One sentence: why this outcome, and what the next best would leave."""
        chosen = self.rung(option, 1)
        others = [
            (other, rung)
            for other in group.options
            if other.key != option.key
            for rung in [self.rung(other, 0)]
        ]
        others.sort(key=lambda item: -item[1].contribution_cents)
        why_not = listed_facts(group, self._names)
        if not others:
            return f"Nothing else is open to it. {why_not}".strip()
        best, rung = others[0]
        name = self.name(best)
        if best.standard == option.standard and best.uses:
            name += " with " + listed([self._labels[part.kind] for part in best.uses])
        if rung.contribution_cents <= chosen.contribution_cents:
            loss = chosen.contribution_cents - rung.contribution_cents
            said = f"Next best is {name}, which leaves {self._money(loss)} less."
            return f"{said} {why_not}".strip() if not chosen.standard else said
        scarce = [part.kind for part in best.uses if self._over(part.kind)]
        gain = self._money(rung.contribution_cents - chosen.contribution_cents)
        if option.outcome is OutcomeKind.DONOR:
            given = listed([self._labels[part.kind] for part in option.yields])
            return (
                f"{name} would leave {gain} more here, but its {given} "
                "is worth more in other units."
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
        return (
            f"{name} would leave {gain} more counted alone, but not in the batch as a whole: its "
            "parts are used up, or bring more elsewhere."
        )

    def name(self, option: Option) -> str:
        """An option as people say it: ``Fit to Desk ready``."""
        if option.outcome is OutcomeKind.FIT:
            return f"Fit to {self._names[option.standard]}"
        if option.outcome is OutcomeKind.RELEASE:
            return f"Release as {self._names[option.standard]}"
        return option.outcome.capitalize()

    def _money(self, cents: int) -> str:
        return money(cents, self._case.currency)


def listed_facts(group: Group, names: dict[str, str]) -> str:
    """The facts against the standards this group cannot reach."""
    facts: dict[str, list[str]] = {}
    for rejection in group.rejections:
        if rejection.outcome is OutcomeKind.FIT:
            facts.setdefault(rejection.fact, []).append(names[rejection.standard])
    return " ".join(f"{listed(which)}: {fact}" for fact, which in facts.items())
