"""Who ordered a standard gets units of it; a better one only where no exact one is left."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.filling import DoesNotFit, Wanted, fitting, require_fitting
from sortis_core.selling import OnShelf, SaleState
from tests.examples import few

NAMES = ("Class set", "Desk ready", "Field ready")


def unit(tag, rank=1, days=1, sheet="folio", state=None) -> OnShelf:
    return OnShelf(
        tag=tag,
        model=sheet.title(),
        sheet=sheet,
        standard=NAMES[rank],
        standard_key=f"s{rank}",
        rank=rank,
        grade=None,
        claims=(),
        price_cents=100,
        days=days,
        state=state,
    )


def wanted(count=2, filled=0, rank=1, sheets=()) -> Wanted:
    return Wanted(
        customer="Net loft",
        standard=f"s{rank}",
        standard_name=NAMES[rank],
        rank=rank,
        count=count,
        filled=filled,
        sheets=sheets,
    )


class Filling(unittest.TestCase):
    def tags(self, order, *shelf):
        return [one.tag for one in fitting(order, shelf)]

    def refused(self, words, order, tag, *shelf):
        with self.assertRaisesRegex(DoesNotFit, words):
            require_fitting(order, tag, shelf)

    def test_exact_ones_go_first_and_those_that_wait_longest(self):
        shelf = (unit("A", 2, 9), unit("B", 1, 3), unit("C", 1, 8))
        self.assertEqual(self.tags(wanted(), *shelf), ["C", "B"])
        require_fitting(wanted(), "B", shelf)
        self.refused("better than the Desk ready.*Take C", wanted(), "A", *shelf)

    def test_where_no_exact_one_is_left_the_least_of_the_better_goes(self):
        shelf = (unit("A", 2), unit("Z", 0))
        self.assertEqual(self.tags(wanted(), *shelf), ["A"])
        self.assertEqual(self.tags(wanted(rank=0), unit("A", 2), unit("B", 1)), ["B"])
        self.refused("is Class set; Net loft ordered Desk ready. Take A", wanted(), "Z", *shelf)
        self.refused("None on the shelf is", wanted(), "Z", unit("Z", 0))

    def test_what_is_reserved_unknown_or_of_another_model_is_told(self):
        taken = unit("A", state=SaleState.PACKED)
        self.refused("A is packed already. Take B", wanted(), "A", taken, unit("B"))
        self.refused("X is not on the shelf", wanted(), "X", unit("B"))
        only = wanted(sheets=("lern",))
        self.refused("is a Folio, which Net loft did not ask", only, "B", unit("B"))
        self.assertEqual(self.tags(only, unit("B"), unit("C", sheet="lern")), ["C"])

    def test_a_full_order_takes_no_more(self):
        self.refused("is full: 2", wanted(filled=2), "A", unit("A"))
        self.assertEqual(wanted(filled=5).lacks, 0)

    @few(40)
    @given(st.lists(st.tuples(st.integers(0, 2), st.booleans()), max_size=6), st.integers(0, 2))
    def test_nobody_gets_less_than_was_ordered_nor_more_while_an_exact_one_is_there(
        self, units, rank
    ):
        shelf = [
            unit(f"U{n}", level, state=SaleState.RESERVED if busy else None)
            for n, (level, busy) in enumerate(units)
        ]
        found = fitting(wanted(rank=rank), shelf)
        self.assertTrue(all(one.rank >= rank and one.state is None for one in found))
        exact = any(one.rank == rank and one.state is None for one in shelf)
        if exact:
            self.assertEqual({one.rank for one in found}, {rank})
