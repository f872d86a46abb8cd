"""What a plan has left of what a way needs, as facts with their figures.

Read off the plan and the case alone: what lies in the store or was bought beyond what is used, what
may still be bought, what comes free in the plan and serves nobody, money, hours. Where a way needs
more than that, the sentence says how much there is and who has the rest.
"""

from collections import Counter, defaultdict
from collections.abc import Iterable

from sortis_core.base import listed, money
from sortis_core.options import Option, OutcomeKind
from sortis_core.options.option import PartCount, option_key
from sortis_core.plan.case import Case
from sortis_core.plan.grouping import Group
from sortis_core.plan.result import Allocation, NoSuchUnit, Plan, UnitOutcome
from sortis_core.plan.sources import Source, sources_of
from sortis_core.route.minutes import Skill

TAGS_NAMED = 3
CARE = 0.05
"""Minutes: what rounding may hide."""


def named(tags: Iterable[str]) -> str:
    """A few tags, and how many more there are."""
    every = list(dict.fromkeys(tags))
    if len(every) <= TAGS_NAMED:
        return listed(every)
    return f"{', '.join(every[:TAGS_NAMED])} and {len(every) - TAGS_NAMED} more"


class Limits:
    """What is left of a plan.

    :param plan: of ``case`` and ``groups``.
    """

    def __init__(self, case: Case, plan: Plan, groups: tuple[Group, ...]) -> None:
        self._case, self._plan = case, plan
        self._labels = {kind.key: kind.label for kind in case.kinds}
        self._names = {standard.key: standard.name for standard in case.standards}
        self._sources: dict[str, list[Source]] = defaultdict(list)
        for source in sources_of(case):
            self._sources[source.kind].append(source)
        self._new = {s.key for sources in self._sources.values() for s in sources if s.new}
        self._bought = {line.offer: line.count for line in plan.buying}
        self._has: dict[str, list[Allocation]] = defaultdict(list)
        for part in plan.allocations:
            self._has[part.kind].append(part)
        # What an order that stands has was promised before, and is not in the counts.
        kept = {outcome.tag for outcome in plan.outcomes if outcome.kept}
        self._taken = Counter(part.source_key for part in plan.allocations if part.tag not in kept)
        self._freed = _freed(plan, groups)

    def of(self, option: Option, outcome: UnitOutcome) -> tuple[str, ...]:
        """Facts: what of an option's needs the plan has too little of, were the unit to end so.

        :param outcome: how the unit ends; what it has now it may use again.
        """
        found: list[str] = []
        to_buy: Counter[str] = Counter()
        used_again: Counter[str] = Counter()
        for part in option.taken:
            own = self._own(part.kind, outcome, new_only=option.new_only)
            need = part.count - own
            used_again[part.kind] = min(own, part.count)
            short = need - self._in_hand(part.kind, outcome.tag, new_only=option.new_only)
            if short <= 0:
                continue
            if short <= self._on_offer(part.kind):
                to_buy[part.kind] = short
                continue
            found.append(self._too_few(option, part, own, outcome.tag))
        found += self._money(to_buy, used_again, outcome)
        found += self._hours(option, outcome)
        found += self._promised(option, outcome)
        return tuple(found)

    def _own(self, kind: str, outcome: UnitOutcome, *, new_only: bool) -> int:
        """Parts of a kind that the unit gets in the plan, and may use again."""
        return sum(
            part.tag == outcome.tag
            and part.source_key != outcome.tag
            and (not new_only or part.source_key in self._new)
            for part in self._has[kind]
        )

    def _in_hand(self, kind: str, tag: str, *, new_only: bool) -> int:
        """Parts that lie there, were bought beyond what is used, or come free for nobody.

        :param tag: the unit that asks; what comes out of itself is no supply for it.
        """
        freed = self._freed[kind]
        count = 0 if new_only else freed.total() - freed[tag]
        for source in self._sources[kind]:
            if source.new or not new_only:
                there = self._bought.get(source.key, 0) if source.bought else source.limit
                count += max(0, there - self._taken[source.key])
        return count

    def _on_offer(self, kind: str) -> int:
        """Parts that may still be bought, whatever they cost."""
        return sum(s.limit - self._bought.get(s.key, 0) for s in self._sources[kind] if s.bought)

    def _too_few(self, option: Option, part: PartCount, own: int, tag: str) -> str:
        """That a part is not left, or too few of it, and who has them.

        :param own: so many the unit has already.
        """
        kind, label = part.kind, self._labels[part.kind]
        having = [one for one in self._has[kind] if one.tag != tag]
        if option.new_only:
            having = [one for one in having if one.source_key in self._new]
        there = own + self._in_hand(kind, tag, new_only=option.new_only) + self._on_offer(kind)
        new = "new " if option.new_only else ""
        if there:
            said = f"it takes {part.count} {new}{label} and only {there} {_is(there)} there for it"
        elif having:
            said = f"no {new}{label} is left"
        elif new:
            said = f"no new {label} is in the store or on offer"
        else:
            return f"{label} is neither in the store nor on offer"
        if new:
            said += f" for {self._names[option.standard]}, which takes no used ones"
        return f"{said}{_having(having, 'what there is')}"

    def _money(
        self, to_buy: Counter[str], used_again: Counter[str], outcome: UnitOutcome
    ) -> list[str]:
        """That what would have to be bought costs more than is left for it."""
        cost = sum(self._least_cost(kind, count) for kind, count in to_buy.items())
        left = self._case.money_cents - self._plan.spend_cents
        saved: Counter[str] = Counter()
        for part in self._plan.allocations:
            if part.tag == outcome.tag and part.source == "offer":
                saved[part.kind] += 1
                if saved[part.kind] > used_again[part.kind]:
                    left += part.unit_cost_cents
        if cost <= left:
            return []
        lots = [p for kind in to_buy for p in self._has[kind] if p.source == "lot"]
        having = [part for part in lots if part.tag != outcome.tag]
        said = f"{self._cents(left)} of the money is left and its parts cost at least "
        said += self._cents(cost)
        return [said + _having(having, "what the store had")]

    def _least_cost(self, kind: str, count: int) -> int:
        """What so many more parts cost at least, in whole packs, in cents."""
        least: list[int] = []
        for source in self._sources[kind]:
            if source.bought and source.limit > self._bought.get(source.key, 0):
                price = min([source.cost_cents, *(tier.price_cents for tier in source.tiers)])
                # A pack of several may be filled up by another offer.
                least.append(price * (source.pack_size if count == 1 else count))
        return min(least)

    def _hours(self, option: Option, outcome: UnitOutcome) -> list[str]:
        """That the work takes more than the hours that are left, of all or of a skill."""
        case, plan = self._case, self._plan
        found: list[str] = []
        more = option.minutes - outcome.minutes
        free = case.bench_minutes - plan.minutes
        if more > free + CARE:
            found.append(
                f"{max(0.0, free):.1f} min of the hours are left, it takes {more:.1f} more"
            )
        used = {one.skill: one.minutes for one in plan.skills}
        for limit in case.skills:
            more = _of_skill(option, limit.skill) - _of_skill(outcome, limit.skill)
            free = limit.minutes - used.get(limit.skill, 0.0)
            if more > free + CARE:
                what = "opening" if limit.skill is Skill.BENCH else limit.skill
                left = f"{max(0.0, free):.1f} min of the hours of {what} are left"
                found.append(f"{left}, it takes {more:.1f} more")
        return found

    def _promised(self, option: Option, outcome: UnitOutcome) -> list[str]:
        """That a customer's order counts on the unit as it ends."""
        order = next((o for o in self._case.sales_orders if o.key == outcome.sales_order), None)
        if order is None or order.standard == option.standard:
            return []
        met = next(one for one in self._plan.sales_orders if one.key == order.key)
        if len(met.tags) > order.count:
            return []
        wanted = f"{order.count} {self._names[order.standard]}"
        return [f"the order of {order.customer} for {wanted} counts on it"]

    def _cents(self, cents: int) -> str:
        return money(cents, self._case.currency)


def _freed(plan: Plan, groups: tuple[Group, ...]) -> dict[str, Counter[str]]:
    """Parts that come free in a plan, or that a unit which is taken apart still holds, and that
    serve nobody: by kind, how many of which unit."""
    given = Counter((p.source_key, p.kind) for p in plan.allocations if p.source == "unit")
    found: dict[str, Counter[str]] = defaultdict(Counter)
    for outcome in plan.outcomes:
        if outcome.kept:
            continue
        way = option_of(groups, outcome)
        gives = Counter({part.kind: part.count for part in way.freed})
        if outcome.outcome is OutcomeKind.DONOR:
            gives = Counter(action.takes_out for action in way.actions)
        for kind, count in gives.items():
            found[kind][outcome.tag] += max(0, count - given[outcome.tag, kind])
    return found


def option_of(groups: tuple[Group, ...], outcome: UnitOutcome) -> Option:
    """The option that a unit ends by; of a donor all that it could give.

    :raises NoSuchUnit: where there is no such way now: the plan was kept by another Sortis.
    """
    key = option_key(outcome.outcome, outcome.standard, outcome.actions)
    options = groups[outcome.group - 1].options if outcome.group <= len(groups) else ()
    for option in options:
        if option.key == key:
            return option
    raise NoSuchUnit(
        f"{outcome.tag} ends in this plan by a way that is none of today's. Plan again."
    )


def _of_skill(end: Option | UnitOutcome, skill: Skill) -> float:
    return sum(one.minutes for one in end.skills if one.skill is skill)


def _is(count: int) -> str:
    return "is" if count == 1 else "are"


def _having(parts: list[Allocation], what: str) -> str:
    """Who has them, in brackets; empty where nobody has."""
    tags = sorted({part.tag for part in parts})
    if not tags:
        return ""
    return f" ({named(tags)} {'has' if len(tags) == 1 else 'have'} {what})"
