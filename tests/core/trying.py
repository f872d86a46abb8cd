"""The best plan of a tiny case by trying everything; offers by every count that can be bought."""

from collections import Counter
from collections.abc import Iterator
from itertools import combinations, product

from sortis_core.options import Option
from sortis_core.plan import Case
from sortis_core.plan.grouping import group_units


def best_by_trying(case: Case) -> int:
    """The most that can be had in cents, by trying every combination of options."""
    groups = group_units(case, case.units)
    by_tag = [settled(group.options) for group in groups for _ in group.tags]
    best: int | None = None
    for chosen in product(*by_tag):
        if sum(round(o.minutes * 10) for o in chosen) > round(case.bench_minutes * 10):
            continue
        uses: Counter[str] = Counter()
        gives: Counter[str] = Counter()
        for option in chosen:
            uses.update({p.kind: p.count for p in option.uses})
            gives.update({p.kind: p.count for p in option.yields})
        need = {k: n - gives[k] for k, n in uses.items() if n > gives[k]}
        paid = cheapest_supply(case, need)
        if paid is None:
            continue
        uneven = sum(o.uneven for o in chosen) * case.policy.matched_premium_cents
        shelf = sum(o.shelf_cents for o in chosen)
        value = sum(o.net_cents for o in chosen) - paid - uneven + shelf
        best = value if best is None else max(best, value)
    assert best is not None
    return best


def settled(options: tuple[Option, ...]) -> list[Option]:
    """Every option worth trying, a donor once for each set of parts that it could give."""
    found: list[Option] = []
    for option in options:
        if option.pieces:
            numbers = range(len(option.pieces))
            sets = (taken for n in range(len(numbers) + 1) for taken in combinations(numbers, n))
            found += [option.given(taken) for taken in sets]
        else:
            found.append(option)
    kept: list[tuple[Option, Counter[str], Counter[str], int]] = []
    for option in sorted(found, key=lambda o: (-_alone(o), len(o.uses), o.minutes)):
        uses = Counter({p.kind: p.count for p in option.uses})
        gives = Counter({p.kind: p.count for p in option.yields})
        net = _alone(option)
        # What another beats in everything is in no best plan that the other is not in as well.
        if not any(
            u <= uses
            and gives <= g
            and n >= net
            and o.minutes <= option.minutes
            and o.uneven <= option.uneven
            for o, u, g, n in kept
        ):
            kept.append((option, uses, gives, net))
    return [option for option, _, _, _ in kept]


def _alone(option: Option) -> int:
    return option.net_cents + option.shelf_cents


def cheapest_supply(case: Case, need: dict[str, int]) -> int | None:
    """Least cost of so many parts of each kind within the money; None where they cannot be had."""
    ways = [list(_ways(case, kind, count)) for kind, count in need.items()]
    sums = [
        sum(cost for cost, _ in way)
        for way in product(*ways)
        if sum(spend for _, spend in way) <= case.money_cents
    ]
    return min(sums, default=None)


def _ways(case: Case, kind: str, count: int) -> Iterator[tuple[int, int]]:
    """(cost, spend) of every way to have ``count`` parts of a kind."""
    lots = sorted(
        lot.unit_cost_cents
        for lot in case.usable_lots()
        if lot.kind == kind
        for _ in range(lot.count)
    )
    offers = [offer for offer in case.usable_offers() if offer.kind == kind]
    counts = [range(0, offer.limit + 1, offer.pack_size) for offer in offers]
    for bought in product(*counts):
        if any(n > count + offer.pack_size + 4 for n, offer in zip(bought, offers, strict=True)):
            continue
        taken = max(0, count - sum(bought))
        if taken <= len(lots):
            spend = sum(n * offer.each_cents(n) for n, offer in zip(bought, offers, strict=True))
            yield spend + sum(lots[:taken]), spend
