"""The best plan of a tiny case by trying everything."""

from collections import Counter
from itertools import product

from sortis_core.plan import Case
from sortis_core.plan.grouping import group_units


def best_by_trying(case: Case) -> int:
    """The best contribution in cents by trying every combination; for tiny cases without offers."""
    groups = group_units(case, case.units)
    by_tag = [group.options for group in groups for _ in group.tags]
    costs = {
        kind: sorted(
            lot.unit_cost_cents for lot in case.lots if lot.kind == kind for _ in range(lot.count)
        )
        for kind in {lot.kind for lot in case.lots}
    }
    best: int | None = None
    for chosen in product(*by_tag):
        if sum(round(o.minutes * 10) for o in chosen) > round(case.bench_minutes * 10):
            continue
        uses: Counter[str] = Counter()
        gives: Counter[str] = Counter()
        for option in chosen:
            uses.update({p.kind: p.count for p in option.uses})
            gives.update({p.kind: p.count for p in option.yields})
        need = {k: max(0, n - gives[k]) for k, n in uses.items()}
        if any(n > len(costs.get(k, [])) for k, n in need.items()):
            continue
        cost = sum(sum(costs.get(k, [])[:n]) for k, n in need.items())
        uneven = sum(o.uneven for o in chosen) * case.policy.matched_premium_cents
        value = sum(o.net_cents for o in chosen) - cost - uneven
        best = value if best is None else max(best, value)
    assert best is not None
    return best
