"""Of a large batch only the ways that prices tell to be worth it are searched."""

import unittest
from itertools import chain, combinations
from unittest.mock import patch

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from sortis_core.actions import Action, Verb
from sortis_core.options import Option, OutcomeKind
from sortis_core.options.option import Layer, Piece
from sortis_core.plan import make_plan
from sortis_core.plan.case import Goal, Pin
from sortis_core.plan.grouping import group_units
from sortis_core.plan.model import BatchModel, Given, Worked
from sortis_core.plan.narrow import TooNarrow
from sortis_core.plan.onemore import without_whole_numbers
from sortis_core.plan.priced import _Donor, can_be_priced, worthwhile
from sortis_core.plan.solve import (
    LARGE_GAP,
    WishesClash,
    run_goals,
    searched,
    solve,
    worth_of_one_more,
)
from sortis_core.plan.sources import DONATED
from sortis_core.plan.verify import faults
from tests.core.test_narrow import scarce

AS_LARGE = patch.multiple("sortis_core.plan.solve", EXACT_UNITS=0, FEW_UNITS=0)
AS_MANY = patch("sortis_core.plan.priced.MANY_WAYS", 0)
SHORT = 1e-3


def best(case, groups) -> float:
    return run_goals(BatchModel(case, groups), settle=False).proofs[-1].value


class Priced(unittest.TestCase):
    @given(st.integers(0, 10_000), st.booleans())
    def test_the_plan_is_as_good_and_its_bound_holds(self, seed, sampled):
        case = scarce(seed, 6)
        groups = group_units(case, case.units)
        exact = best(case, groups)
        few = patch("sortis_core.plan.priced.SAMPLED", 2 if sampled else 1000)
        with AS_LARGE, AS_MANY, few:
            _, solver = searched(case, groups)
            proof = solver.proofs[-1]
            self.assertEqual(faults(case, make_plan(case)), [])
        self.assertLessEqual(abs(proof.value - exact), LARGE_GAP * abs(exact) + 1)
        self.assertGreaterEqual(proof.bound, exact - 1)

    @given(st.integers(0, 10_000))
    def test_a_plan_with_a_way_that_was_left_out_falls_short(self, seed):
        case = scarce(seed, 5)
        groups = group_units(case, case.units)
        found = worthwhile(case, groups, SHORT)
        assert found
        exact = best(case, groups)
        left_out = [
            (g, o) for g, group in enumerate(groups) for o in group.ways if o not in found.ways[g]
        ]
        for g, o in left_out[:: max(1, len(left_out) // 6)]:
            batch = BatchModel(case, groups)
            batch.x[g, o].lower_bound = 1
            try:
                value = run_goals(batch, settle=False).proofs[-1].value
            except WishesClash:
                continue
            self.assertLessEqual(value, exact + found.slack + 1)
            self.assertLessEqual(value, (1 - SHORT) * self.bound(case, groups) + found.slack + 1)

    @staticmethod
    def bound(case, groups) -> float:
        """Of the best plan without whole numbers, over every way."""
        batch = BatchModel(case, groups)
        batch.relax()
        batch.model.maximize(batch.preferred)
        return without_whole_numbers(batch.model).value

    def test_fewer_ways_are_searched_than_there_are(self):
        case = scarce(5, 12)
        groups = group_units(case, case.units)
        found = worthwhile(case, groups, SHORT)
        assert found
        kept, every = (sum(map(len, ways)) for ways in (found.ways, [g.ways for g in groups]))
        self.assertLess(kept, every / 2)

    def test_where_they_hold_no_plan_near_enough_more_are_let_in_and_all_at_last(self):
        case = scarce(5, 6)
        groups = group_units(case, case.units)
        asked: list[float] = []

        def too_few(case, groups, short):
            asked.append(short)
            return worthwhile(case, groups, short)

        def never(batch, *args, within=None, **more):
            if within:
                raise TooNarrow
            return run_goals(batch, *args, **more)

        with (
            AS_LARGE,
            AS_MANY,
            patch("sortis_core.plan.solve.worthwhile", too_few),
            patch("sortis_core.plan.solve.run_goals", never),
        ):
            batch, solver = searched(case, groups)
        self.assertEqual(sorted(asked), asked)
        self.assertEqual(len(set(asked)), 3)
        self.assertEqual(sum(map(len, batch.ways)), sum(len(group.ways) for group in groups))
        self.assertAlmostEqual(solver.proofs[0].value, best(case, groups), delta=1)

    def test_what_one_more_is_worth_is_never_too_low_and_mostly_right(self):
        same = others = 0
        for seed in range(8):
            case = scarce(seed, 8)
            case = case.model_copy(update={"money_cents": 5_000 if seed % 2 else 10**6})
            groups = group_units(case, case.units)
            right = worth_of_one_more(BatchModel(case, groups))
            with AS_LARGE, AS_MANY:
                told = solve(case, groups).worth
            self.assertGreaterEqual(told.minute, right.minute - 0.01)
            self.assertGreaterEqual(told.money_100, right.money_100 - 1)
            for kind, cents in right.parts.items():
                there = told.parts.get(kind, 0)
                self.assertGreaterEqual(there, cents - 1, kind)
                same += abs(there - cents) <= 1
                others += abs(there - cents) > 1
        self.assertGreater(same, 9 * others)

    def test_what_hangs_ways_together_is_searched_over_all_of_them(self):
        case = scarce(5)
        groups = group_units(case, case.units)
        self.assertFalse(can_be_priced(case, groups))
        with AS_MANY:
            self.assertTrue(can_be_priced(case, groups))
            ready = case.model_copy(update={"goal": Goal.READY})
            self.assertFalse(can_be_priced(ready, groups))
            pin = Pin(tag=case.units[0].tag, outcome=OutcomeKind.HOLD)
            pinned = case.model_copy(update={"pins": (pin,)})
            self.assertFalse(can_be_priced(pinned, group_units(pinned, pinned.units)))


class Donors(unittest.TestCase):
    @given(
        st.lists(st.tuples(st.integers(0, 900), st.integers(0, 90)), min_size=1, max_size=5),
        st.lists(st.tuples(st.sets(st.integers(0, 4), min_size=1), st.integers(0, 900))),
        st.integers(0, 9),
    )
    def test_none_leaves_more_than_is_told_and_nested_layers_no_less(self, pieces, layers, hour):
        """Against every choice of parts, each paying what lies over it once."""
        inside = set(range(len(pieces)))
        opened = [(over & inside, cents) for over, cents in layers if over & inside]
        option = donor([minutes for _, minutes in pieces], opened)
        numbers = {Worked(None): 0}
        told = _Donor(option, numbers, list(numbers))
        prices = np.zeros(len(numbers))
        prices[0] = hour
        for n, (cents, _) in enumerate(pieces):
            prices[numbers[Given(f"k{n}", DONATED)]] = cents

        def leaves(given: tuple[int, ...]) -> float:
            parts = sum(pieces[n][0] - hour * 10 * pieces[n][1] for n in given)
            return parts - sum(cents for over, cents in opened if not over.isdisjoint(given))

        choices = chain.from_iterable(combinations(inside, n) for n in range(len(inside) + 1))
        most = max(leaves(given) for given in choices)
        self.assertGreaterEqual(told.gives(prices), most - 1e-6)
        nested = all(
            one <= two or two <= one or one.isdisjoint(two)
            for (one, _), (two, _) in combinations(opened, 2)
        )
        if nested:
            self.assertAlmostEqual(told.gives(prices), most)


def donor(minutes: list[float], layers: list[tuple[set[int], int]]) -> Option:
    """A donor of ``k0``, ``k1`` and so on, with minutes of each; cents of what lies over which."""
    return Option(
        outcome=OutcomeKind.DONOR,
        actions=tuple(
            Action(verb=Verb.TAKE_OUT, place=f"p{n}", takes_out=f"k{n}")
            for n in range(len(minutes))
        ),
        pieces=tuple(Piece(minutes=one, labour_cents=0) for one in minutes),
        layers=tuple(
            Layer(minutes=0, labour_cents=cents, over=tuple(sorted(over))) for over, cents in layers
        ),
    )
