"""A model that is kept while dials turn answers like one that was built for the question."""

import unittest
from unittest.mock import patch

from hypothesis import example, given
from hypothesis import strategies as st

from demo.generator import make_case
from sortis_core.plan import Case, SalesOrder, make_plan
from sortis_core.plan.dialled import Dialled, lent
from sortis_core.plan.make import grouped
from sortis_core.plan.solve import WishesClash
from sortis_core.plan.verify import faults
from sortis_core.plan.whatif import figures
from sortis_core.route.minutes import Skill, SkillMinutes
from tests.core.sample import SHEETS
from tests.examples import few

NARROWED = patch("sortis_core.plan.solve.FEW_UNITS", 0)


def scarce(seed: int, count: int = 5) -> Case:
    return make_case(seed, count, scale=0.4, models=tuple(SHEETS))


def turned(case: Case, money: int, minutes: int) -> Case:
    return case.model_copy(update={"money_cents": money, "bench_minutes": float(minutes)})


class Dialling(unittest.TestCase):
    @few(4)
    @example(606, [(0, 0), (1, 167)])
    @given(
        st.integers(0, 10_000),
        st.lists(st.tuples(st.integers(0, 60_000), st.integers(0, 900)), min_size=2, max_size=3),
    )
    def test_what_is_turned_reaches_what_is_built_anew(self, seed, turns):
        case = scarce(seed)
        # Of plans that are equal in what decides, one may leave more on the shelf, which is paid.
        even = {"hold_cents": 0, "matched_premium_cents": 0}
        case = case.model_copy(update={"policy": case.policy.model_copy(update=even)})
        dialled = Dialled(case, grouped(case))
        with NARROWED:
            for money, minutes in turns:
                now = turned(case, money, minutes)
                mine, anew = dialled.proven(now)[1], figures(now)
                self.assertLessEqual(mine.spend_cents, money)
                self.assertEqual(mine.contribution_cents, anew.contribution_cents)

    @few(4)
    @given(st.integers(0, 10_000), st.integers(0, 60_000), st.integers(0, 900))
    def test_a_quick_plan_holds_and_its_bound_too(self, seed, money, minutes):
        case = turned(scarce(seed), money, minutes)
        with NARROWED:
            quick, proven = make_plan(case, quick=True), make_plan(case)
        self.assertEqual(faults(case, quick), [])
        self.assertLessEqual(quick.proofs[-1].value, proven.proofs[-1].value)
        self.assertGreaterEqual(quick.proofs[-1].bound, proven.proofs[-1].value)

    def test_the_model_is_given_back_as_it_was(self):
        case = scarce(3)
        dialled = Dialled(case, grouped(case))
        model = dialled.batch.model

        def state() -> list[object]:
            bounds = [(v.lower_bound, v.upper_bound, v.integer) for v in model.variables()]
            return [bounds, [(r.lower_bound, r.upper_bound) for r in model.linear_constraints()]]

        before = state()
        with NARROWED:
            dialled.quick(case)
            dialled.proven(case)
        self.assertEqual(state(), before)

    def test_limits_of_skills_and_of_early_days_are_turned_too(self):
        orders = (SalesOrder(key="early", customer="Quay", standard="desk-ready", count=1, days=4),)
        case = scarce(5).model_copy(update={"days": 8, "sales_orders": orders})
        bench = SkillMinutes(skill=Skill.BENCH, minutes=400.0)
        case = turned(case.model_copy(update={"skills": (bench,)}), 50_000, 800)
        dialled = Dialled(case, grouped(case))
        none = SkillMinutes(skill=Skill.BENCH, minutes=0.0)
        for now in (turned(case, 50_000, 300), case.model_copy(update={"skills": (none,)})):
            self.assertEqual(dialled.proven(now)[1], figures(now))
        with self.assertRaises(WishesClash):
            dialled.proven(turned(case, 50_000, 0).model_copy(update={"bench_minutes": -1.0}))

    def test_while_the_curve_is_drawn_a_hand_finds_a_model_that_stands_ready(self):
        case = scarce(9)
        groups = grouped(case)
        with lent(case, groups, spare=True) as drawing:
            with (
                patch("sortis_core.plan.dialled.BatchModel", side_effect=AssertionError("built")),
                lent(case, groups) as under_the_hand,
            ):
                quick = under_the_hand.quick(turned(case, 0, 100))
            self.assertIsNot(drawing, under_the_hand)
            self.assertEqual(drawing.proven(case)[1], figures(case))
        self.assertEqual(quick.bought, {})

    def test_one_that_refused_is_not_used_again(self):
        case = scarce(7)
        groups = grouped(case)
        with lent(case, groups) as first, lent(case, groups) as second:
            self.assertIsNot(first, second)
        with self.assertRaises(WishesClash), lent(case, groups) as last:
            raise WishesClash("Never.")
        with lent(case, groups) as other:
            self.assertIsNot(other, last)
        with lent(case, groups) as again:
            self.assertIs(again, other)
