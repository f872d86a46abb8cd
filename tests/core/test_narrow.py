"""A large model is narrowed before it is searched, and nothing is lost by it."""

import unittest
from unittest.mock import patch

from hypothesis import given
from hypothesis import strategies as st
from ortools.math_opt.python import mathopt

from demo.generator import make_case
from sortis_core.plan import make_plan
from sortis_core.plan.grouping import group_units
from sortis_core.plan.model import BatchModel
from sortis_core.plan.narrow import Narrowed, whole_model
from sortis_core.plan.onemore import Asked, OneMore, crumb_prices, without_whole_numbers
from sortis_core.plan.solve import LARGE_GAP, Watch, run_goals, worth_of_one_more
from sortis_core.plan.verify import faults
from sortis_core.plan.written import Told, Written, solve_written
from tests.core.sample import SHEETS

AS_LARGE = patch.multiple("sortis_core.plan.solve", EXACT_UNITS=0, FEW_UNITS=0)


def scarce(seed: int, count: int = 4):
    return make_case(seed, count, scale=0.4, models=tuple(SHEETS))


def as_it_is(model: Written) -> Told:
    """Searched to the end."""
    return solve_written(model, mathopt.SolverType.GSCIP, mathopt.SolveParameters())


def written(batch: BatchModel) -> tuple[str, str]:
    """Variables and rows, apart from the goal."""
    model = batch.model.export_model()
    return str(model.variables), str(model.linear_constraints)


class Narrowing(unittest.TestCase):
    @given(st.integers(0, 10_000))
    def test_the_plan_is_as_good_and_its_bound_holds(self, seed):
        case = scarce(seed)
        groups = group_units(case, case.units)
        exact = run_goals(BatchModel(case, groups)).proofs[-1].value
        with AS_LARGE:
            proof = run_goals(BatchModel(case, groups)).proofs[-1]
        near = LARGE_GAP * abs(exact) + 1
        self.assertLessEqual(abs(proof.value - exact), near)
        self.assertGreaterEqual(proof.bound, exact - 1)

    def test_the_model_stays_as_it_was(self):
        case = scarce(5)
        batch = BatchModel(case, group_units(case, case.units))
        before = written(batch)
        with AS_LARGE:
            solver = run_goals(batch)
        self.assertNotEqual(written(batch), before)
        solver.give_back()
        self.assertEqual(written(batch), before)

    @given(st.integers(0, 10_000))
    def test_what_is_held_counts_in_every_row_and_in_the_goal(self, seed):
        """What is left has a plan where the whole has one that leaves the held as they stand."""
        case = scarce(seed)
        batch = BatchModel(case, group_units(case, case.units))
        batch.model.maximize(batch.preferred)
        narrowed = Narrowed(batch.model, batch.whole)

        result, _ = narrowed.search(as_it_is)
        at = narrowed.values(result)
        values = {one: at[one.id] for one in batch.model.variables()}
        told = mathopt.evaluate_expression(batch.preferred, values)
        self.assertAlmostEqual(told, result.value, places=3)
        for row in batch.model.linear_constraints():
            bounded = row.as_bounded_linear_expression()
            sum_of = mathopt.evaluate_expression(bounded.expression, values)
            self.assertGreaterEqual(sum_of, bounded.lower_bound - 1e-3)
            self.assertLessEqual(sum_of, bounded.upper_bound + 1e-3)

    def test_a_plan_that_falls_short_by_more_than_the_sliver_widens_it(self):
        case = scarce(5)
        batch = BatchModel(case, group_units(case, case.units))
        exact = run_goals(batch, settle=False).proofs[-1].value
        searched: list[int] = []
        batch = BatchModel(case, group_units(case, case.units))
        batch.model.maximize(batch.preferred)
        narrowed = Narrowed(batch.model, batch.whole)

        def run(model: Written) -> Told:
            """Finds a bad plan at first, and the best at last."""
            searched.append(len(model.variables.ids))
            value = exact / 2 if len(searched) == 1 else exact
            return as_it_is(model)._replace(value=value, bound=value)

        result, _ = narrowed.search(run)
        self.assertEqual(result.value, exact)
        self.assertGreater(searched[1], searched[0])

    def test_it_is_watched_and_may_be_stopped(self):
        told: list[tuple[str, float, float]] = []
        case = scarce(3, 30)
        watch = Watch(lambda *said: told.append(said), lambda: False)
        with AS_LARGE:
            best = make_plan(case)
            self.assertEqual(make_plan(case, watch=watch), best)
            plan = make_plan(case, watch=Watch(lambda *_: None, lambda: True))
        found = [said for goal, *said in told if goal == "contribution"]
        self.assertTrue(found)
        for value, bound in found:
            self.assertLessEqual(value, bound + 1)
        self.assertEqual(faults(case, plan), [])
        self.assertLessEqual(plan.gap_percent, 1.0)
        self.assertLessEqual(plan.proofs[-1].value, best.proofs[-1].value)
        self.assertGreaterEqual(plan.proofs[-1].bound, best.proofs[-1].value)

    def test_near_enough_to_the_relaxed_plan_is_not_searched_on_for(self):
        case = scarce(5)
        batch = BatchModel(case, group_units(case, case.units))
        batch.model.maximize(batch.preferred)
        narrowed = Narrowed(batch.model, batch.whole)
        runs: list[float] = []

        def run(model: Written) -> Told:
            runs.append(1)
            return as_it_is(model)._replace(value=narrowed.bound * (1 - 5e-4))

        _, bound = narrowed.search(run, sliver=1e-4, enough=1e-3)
        self.assertEqual(bound, narrowed.bound)
        self.assertEqual(len(runs), 1)

    @given(st.integers(0, 10_000))
    def test_what_no_plan_as_good_moves_is_held_for_the_choice_among_equals(self, seed):
        case = scarce(seed)
        batch = BatchModel(case, group_units(case, case.units))
        batch.model.maximize(batch.preferred)
        narrowed = Narrowed(batch.model, batch.whole)
        result, _ = narrowed.search(as_it_is)
        best = round(result.value)
        before = len(narrowed.left(narrowed._written).variables.ids)
        narrowed.tighten(best)
        batch.model.add_linear_constraint(batch.preferred >= best)
        batch.model.minimize(batch.second)
        rows = batch.model.export_model(remove_names=True)
        left = narrowed.left(rows)
        self.assertLessEqual(len(left.variables.ids), before)
        of_all = as_it_is(whole_model(rows, batch.whole)).value
        self.assertAlmostEqual(as_it_is(left).value, of_all, places=3)

    def test_a_very_large_batch_is_left_without_the_choice_among_equals(self):
        case = scarce(3, 12)
        batch = BatchModel(case, group_units(case, case.units))
        with AS_LARGE, patch("sortis_core.plan.solve.Solver.goal") as goal:
            run_goals(batch)
            with patch("sortis_core.plan.solve.MANY_VARIABLES", 0):
                run_goals(batch)
        names = [call.args[0] for call in goal.call_args_list]
        self.assertEqual(names, ["contribution", "fewer openings", "contribution"])


class OneMoreOfALot(unittest.TestCase):
    def test_the_dearest_are_right_and_the_others_never_too_low(self):
        for seed in range(3):
            case = scarce(seed, 8).model_copy(update={"offers": ()})
            batch = BatchModel(case, group_units(case, case.units))
            batch.relax()
            batch.model.maximize(batch.preferred)
            asked = [Asked(row=False, id=extra.id, more=1) for extra in batch.extra.values()]
            exact = OneMore(batch.model).gains(asked)
            crumbs = crumb_prices(without_whole_numbers(batch.model), asked)
            for crumb, right in zip(crumbs, exact, strict=True):
                self.assertGreaterEqual(crumb, right - 0.5)
            some = OneMore(batch.model).gains(asked, 3)
            self.assertEqual(
                [round(gain) for gain in sorted(some)[-3:]],
                [round(gain) for gain in sorted(exact)[-3:]],
            )
            for near, right in zip(some, exact, strict=True):
                self.assertGreaterEqual(near, right - 0.5)

    def test_no_more_is_asked_once_enough_are_right_also_where_two_are_worth_the_same(self):
        case = scarce(2, 4)
        batch = BatchModel(case, group_units(case, case.units))
        batch.relax()
        batch.model.maximize(batch.preferred)
        one_more = OneMore(batch.model)
        most = {1: 900.0, 2: 800.0, 3: 300.0, 4: 200.0}
        told: list[int] = []

        def gain(one: Asked) -> float:
            told.append(one.id)
            return min(500.0, most[one.id])

        with patch.multiple(one_more, _most=lambda one: most[one.id], _gain=gain):
            one_more.gains([Asked(row=True, id=n, more=1) for n in most], 1)
        self.assertEqual(told, [1, 2])

    def test_in_a_very_large_batch_the_relaxed_plan_itself_tells_prices(self):
        case = scarce(2, 12)
        groups = group_units(case, case.units)
        batch = BatchModel(case, groups)
        with AS_LARGE:
            solver = run_goals(batch)
            right = worth_of_one_more(BatchModel(case, groups)).parts
        self.assertTrue(any(right.values()))
        with (
            patch("sortis_core.plan.solve.MANY_VARIABLES", 0),
            patch("sortis_core.plan.onemore.solve_written") as again,
        ):
            crumbs = worth_of_one_more(batch, solver.relaxed_plan()).parts
        again.assert_not_called()
        self.assertEqual(set(crumbs), set(right))
        for kind, cents in right.items():
            self.assertGreaterEqual(crumbs[kind], cents - 1, kind)
