"""Recompute a plan from its case alone; shares nothing with the model builder."""

from collections import Counter
from itertools import product

from sortis_core.options import OutcomeKind
from sortis_core.plan import Case, Plan
from sortis_core.plan.grouping import group_units


def faults(case: Case, plan: Plan) -> list[str]:
    """Everything in which the plan breaks its case; empty when it holds."""
    wrong: list[str] = []
    open_tags = {u.tag for u in case.units if not u.findings.hazards}
    if Counter(o.tag for o in plan.outcomes) != Counter(open_tags):
        wrong.append("not every unit ends exactly once")
    lots = {lot.key: lot for lot in case.lots}
    offers = {offer.key: offer for offer in case.offers}
    given: Counter[str] = Counter()
    harvest: Counter[tuple[str, str]] = Counter()
    for part in plan.allocations:
        if part.source == "unit":
            harvest[part.source_key, part.kind] += 1
            continue
        given[part.source_key] += 1
        source = lots.get(part.source_key) or offers.get(part.source_key)
        if source is None or source.kind != part.kind:
            wrong.append(f"{part.tag} gets {part.kind} from a source that has none")
    wrong += [
        f"{k}: more than the lot" for k, n in given.items() if k in lots and n > lots[k].count
    ]
    wrong += [f"{k}: over offer" for k, n in given.items() if k in offers and n > offers[k].limit]
    ends = {o.tag: o for o in plan.outcomes}
    for (tag, kind), count in harvest.items():
        gives = Counter(a.takes_out for a in ends[tag].actions if a.takes_out)
        if count > gives[kind]:
            wrong.append(f"{tag} gives more {kind} than it has")
    for outcome in plan.outcomes:
        wants = Counter((a.place, a.kind) for a in outcome.actions if a.verb == "fit")
        gets = Counter((a.place, a.kind) for a in plan.allocations if a.tag == outcome.tag)
        if wants != gets:
            wrong.append(f"{outcome.tag} does not get what it fits")
    spend = sum(offers[k].price_cents * n for k, n in given.items() if k in offers)
    if spend > case.money_cents or spend != plan.spend_cents:
        wrong.append("money")
    if sum(o.minutes for o in plan.outcomes) > case.bench_minutes + 0.05 * len(plan.outcomes):
        wrong.append("minutes")
    if sum(o.contribution_cents for o in plan.outcomes) != plan.contribution_cents:
        wrong.append("the units' sums are not the plan's")
    if plan.bound_cents < plan.contribution_cents:
        wrong.append("the bound lies below the plan")
    return wrong


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
        value = sum(o.net_cents for o in chosen) - cost
        best = value if best is None else max(best, value)
    assert best is not None
    return best


def ready(plan: Plan) -> int:
    """Units that reach a standard."""
    return sum(o.outcome in (OutcomeKind.FIT, OutcomeKind.RELEASE) for o in plan.outcomes)
