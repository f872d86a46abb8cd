"""Models that are solved as they are written say what the modelling layer says of them."""

import unittest

from hypothesis import given
from hypothesis import strategies as st
from ortools.math_opt.python import mathopt

from sortis_core.plan.written import RELAXED, Again, Told, solve_written


def made(gains, room, *, whole: bool = False):
    """A model: so much of each may be taken, all together no more than there is room."""
    model = mathopt.Model()
    takes = [model.add_variable(lb=0, ub=3, is_integer=whole) for _ in gains]
    row = model.add_linear_constraint(
        mathopt.fast_sum((n + 2) * one for n, one in enumerate(takes)) <= room
    )
    model.maximize(mathopt.fast_sum(g * one for g, one in zip(gains, takes, strict=True)))
    return model, takes, row


def told(model: mathopt.Model, kind=mathopt.SolverType.HIGHS, **more) -> Told:
    return solve_written(model.export_model(), kind, RELAXED, **more)


GAINS = st.lists(st.integers(0, 50), min_size=1, max_size=6)
ROOM = st.integers(1, 40)


class Written(unittest.TestCase):
    @given(GAINS, ROOM)
    def test_it_tells_what_the_modelling_layer_tells(self, gains, room):
        model, takes, row = made(gains, room)
        found, right = told(model), mathopt.solve(model, mathopt.SolverType.HIGHS, params=RELAXED)
        self.assertTrue(found.optimal)
        self.assertAlmostEqual(found.value, right.objective_value())
        self.assertAlmostEqual(found.bound, right.dual_bound())
        self.assertEqual(found.stands.tolist(), [right.variable_values(one) for one in takes])
        self.assertEqual(found.costs.tolist(), [right.reduced_costs(one) for one in takes])
        self.assertEqual(found.prices.tolist(), [right.dual_values(row)])

    @given(GAINS, ROOM)
    def test_a_search_ends_with_whole_numbers_from_whatever_it_began_with(self, gains, room):
        model, takes, _ = made(gains, room, whole=True)
        found = told(model, mathopt.SolverType.GSCIP)
        again = told(model, mathopt.SolverType.GSCIP, hint=found.values())
        nothing = told(model, mathopt.SolverType.GSCIP, hint={takes[0].id: 0.0})
        self.assertEqual(round(again.value), round(found.value))
        self.assertEqual(round(nothing.value), round(found.value))
        for stands in found.values().values():
            self.assertAlmostEqual(stands, round(stands))
        self.assertEqual(list(found.costs), [])

    def test_what_was_taken_out_leaves_no_gap_in_what_is_told(self):
        model, takes, _ = made([5, 9, 7], 6)
        model.delete_variable(takes[1])
        found = told(model)
        self.assertEqual(found.ids.tolist(), [takes[0].id, takes[2].id])
        self.assertEqual(found.values(), {takes[0].id: 3.0, takes[2].id: 0.0})

    def test_rows_that_clash_have_no_plan(self):
        model, takes, _ = made([5], 6)
        model.add_linear_constraint(takes[0] >= 4)
        for kind in (mathopt.SolverType.HIGHS, mathopt.SolverType.GSCIP):
            found = told(model, kind)
            self.assertEqual((found.impossible, found.optimal, found.value), (True, False, None))

    def test_the_log_is_read_and_what_the_reader_raises_ends_the_search(self):
        class Enough(Exception):
            pass

        def read(lines):
            raise Enough

        model, _, _ = made([5, 9, 7], 6, whole=True)
        lines: list[str] = []
        told(model, mathopt.SolverType.GSCIP, read=lines.extend)
        self.assertTrue(lines)
        with self.assertRaises(Enough):
            told(model, mathopt.SolverType.GSCIP, read=read)


class SolvedAgain(unittest.TestCase):
    @given(GAINS, st.lists(st.tuples(ROOM, st.integers(0, 50)), min_size=1, max_size=5))
    def test_it_sees_every_change_and_tells_what_a_new_solve_tells(self, gains, changes):
        model, takes, row = made(gains, 10)
        again = Again(model)
        for room, gain in changes:
            row.upper_bound = room
            model.objective.set_linear_coefficient(takes[0], gain)
            model.add_linear_constraint(takes[0] <= 2)
            found = again.solve(model.export_model())
            self.assertTrue(found.optimal)
            self.assertAlmostEqual(found.value, told(model).value)
            self.assertEqual(len(found.prices), model.get_num_linear_constraints())

    def test_it_says_so_where_nothing_is_possible_and_recovers(self):
        model, _, row = made([5, 3], 6)
        again = Again(model)
        row.upper_bound = -1
        self.assertTrue(again.solve(model.export_model()).impossible)
        row.upper_bound = 6
        self.assertAlmostEqual(again.solve(model.export_model()).value, told(model).value)
