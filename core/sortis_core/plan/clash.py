"""The smallest set of wishes that cannot all hold.

Found by hitting sets: every largest set of wishes that *can* hold leaves out a *correction*; what
clashes must have a wish in each correction. The smallest set that hits all corrections known so
far either clashes, and then nothing smaller does, or it can hold and gives one correction more
(Reiter's duality of conflicts and corrections).
"""

from datetime import timedelta

from ortools.math_opt.python import mathopt

from sortis_core.base import listed
from sortis_core.plan.case import Case, SalesOrder
from sortis_core.plan.grouping import Group
from sortis_core.plan.model import BatchModel, pinned_options
from sortis_core.plan.solve import SOLVE_SECONDS, WishesClash


def smallest_clash(case: Case, groups: tuple[Group, ...]) -> tuple[str, ...]:
    """Keys of the wishes, ``order:KEY`` or ``pin:TAG``; empty where all can hold."""
    batch = BatchModel(case, groups, optional_wishes=True)
    wishes = sorted(batch.wish)
    corrections: list[set[str]] = []
    while True:
        hit = _smallest_hitting(wishes, corrections)
        most = _most_that_hold(batch, hit)
        if most is None:
            return tuple(sorted(hit))
        if len(most) == len(wishes):
            return ()
        corrections.append(set(wishes) - most)


def _most_that_hold(batch: BatchModel, must: set[str]) -> set[str] | None:
    """The most wishes that hold together with those of ``must``; None where ``must`` cannot."""
    for key, variable in batch.wish.items():
        variable.lower_bound = 1 if key in must else 0
    batch.model.maximize(mathopt.fast_sum(batch.wish.values()))
    result = _solve(batch.model)
    if not result.has_primal_feasible_solution():
        return None
    values = result.variable_values()
    return {key for key, variable in batch.wish.items() if round(values[variable])}


def _smallest_hitting(wishes: list[str], corrections: list[set[str]]) -> set[str]:
    model = mathopt.Model(name="hitting set")
    taken = {key: model.add_binary_variable(name=key) for key in wishes}
    for correction in corrections:
        model.add_linear_constraint(
            mathopt.fast_sum([taken[key] for key in sorted(correction)]) >= 1
        )
    model.minimize(mathopt.fast_sum(taken.values()))
    values = _solve(model).variable_values()
    return {key for key, variable in taken.items() if round(values[variable])}


def _solve(model: mathopt.Model) -> mathopt.SolveResult:
    parameters = mathopt.SolveParameters(
        threads=1, random_seed=7, time_limit=timedelta(seconds=SOLVE_SECONDS)
    )
    return mathopt.solve(model, mathopt.SolverType.GSCIP, params=parameters)


def explain_clash(case: Case, groups: tuple[Group, ...]) -> WishesClash:
    """The refusal that names what clashes, what could be had instead, and what to do."""
    clash = smallest_clash(case, groups)
    orders = {f"order:{order.key}": order for order in case.sales_orders}
    by_pin = {f"pin:{group.pin.tag}": group for group in groups if group.pin}
    names = {standard.key: standard.name for standard in case.standards}
    said: list[str] = []
    for key in clash:
        if key in orders:
            said.append(order_words(orders[key], case))
        else:
            pin = by_pin[key].pin
            assert pin
            end = f"{pin.outcome} {names.get(pin.standard, '')}".strip()
            said.append(f"{pin.tag} pinned to {end}")
    if len(clash) == 1 and (group := by_pin.get(clash[0])):
        assert group.pin
        if not pinned_options(group, group.pin):
            facts = [
                r.fact
                for r in group.rejections
                if r.outcome is group.pin.outcome and group.pin.standard in ("", r.standard)
            ]
            fact = facts[0] if facts else "That way is not open to it any more."
            return WishesClash(f"{said[0]}: {fact} Take the pin off, or pin it otherwise.")
    together = "cannot be met" if len(clash) == 1 else "cannot all hold together"
    sentence = f"{listed(said)} {together} with this stock, money and time."
    if len(clash) == 1 and clash[0] in orders:
        most = most_toward(case, groups, orders[clash[0]].key)
        sentence += f" At most {most} can be had."
    sentence += (
        " Change one of them, or choose the goal of orders first, which meets what can be met."
        if any(key in orders for key in clash)
        else " Take one of these pins off."
    )
    return WishesClash(sentence, wishes=list(clash))


def most_toward(case: Case, groups: tuple[Group, ...], order: str) -> int:
    """How many units can be had toward one order when no other wish must hold."""
    batch = BatchModel(case, groups, optional_wishes=True)
    batch.model.maximize(
        mathopt.fast_sum([z for (_, _, key), z in batch.z.items() if key == order])
    )
    most: float = _solve(batch.model).objective_value()
    return round(most)


def order_words(order: SalesOrder, case: Case) -> str:
    """A sales order as people say it."""
    names = {standard.key: standard.name for standard in case.standards}
    models = {sheet.key: sheet.name for sheet in case.sheets}
    of = f" of {listed([models.get(key, key) for key in order.sheets])}" if order.sheets else ""
    by = f" in {order.days} days" if order.days is not None else ""
    return f"{order.customer}: {order.count} {names[order.standard]}{of}{by}"
