"""Who sees which money."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.base import money
from sortis_core.rights import (
    EVERYBODY,
    Money,
    amounts_in,
    is_typed,
    money_of,
    money_seen,
    without_amounts,
)
from sortis_core.vocabulary.states import Role

EURO = amounts_in(["EUR"])


class WhoSees(unittest.TestCase):
    def test_each_role_sees_what_its_work_needs(self):
        seen = {role: money_seen([role], open_to_all=False) for role in Role}
        for role in (Role.RECEIVER, Role.INSPECTOR, Role.TECHNICIAN):
            self.assertEqual(seen[role], frozenset(), role)
        self.assertEqual(seen[Role.STOREKEEPER], {Money.COSTS})
        self.assertEqual(seen[Role.RELEASER], {Money.PRICES})
        self.assertEqual(seen[Role.PLANNER], EVERYBODY)
        self.assertEqual(seen[Role.OWNER], EVERYBODY)

    def test_several_roles_see_what_each_of_them_does(self):
        both = money_seen([Role.STOREKEEPER, Role.RELEASER], open_to_all=False)
        self.assertEqual(both, {Money.COSTS, Money.PRICES})

    def test_a_workshop_may_open_it_to_everyone(self):
        self.assertEqual(money_seen([], open_to_all=True), EVERYBODY)
        self.assertEqual(money_seen([], open_to_all=False), frozenset())


class Figures(unittest.TestCase):
    def test_a_price_is_a_cost_where_it_is_paid(self):
        self.assertIs(money_of("OfferView", "price_cents"), Money.COSTS)
        self.assertIs(money_of("SaleView", "price_cents"), Money.PRICES)

    def test_what_nobody_sorted_is_seen_by_the_fewest(self):
        for field in ("tomorrow_cents", "labour_cents_per_hour", "price_cents"):
            self.assertIs(money_of("", field), Money.RESULTS, field)

    def test_other_fields_are_no_money(self):
        for field in ("minutes", "centre", "accents", "recent", "percent"):
            self.assertIsNone(money_of("Any", field), field)
        self.assertIsNone(money_of("RouteStep", "consumables_cents"))


class Sentences(unittest.TestCase):
    def test_a_sentence_with_an_amount_goes_and_the_others_stay(self):
        told = "Slot 2 is empty. It leaves €1,240.50 more. Look first."
        self.assertEqual(without_amounts(told, EURO), "Slot 2 is empty. Look first.")
        for figures in ("Takes 8.25 GB, 52.2 Wh.", "USB 3.20 is dead.", "SSD 2.50 inch."):
            self.assertEqual(without_amounts(figures, amounts_in(["EUR", "NOK"])), figures)

    @given(
        st.integers(-(10**9), 10**9),
        st.sampled_from(("EUR", "NOK", "CHF")),
        st.sampled_from(("It leaves {}.", "{} more", "({} each); kept", "Takes {} off. Done!")),
    )
    def test_no_amount_as_the_core_writes_it_is_left(self, cents, currency, sentence):
        told = sentence.format(money(cents, currency))
        left = without_amounts(told, amounts_in(["EUR", "NOK", "CHF"]))
        self.assertNotIn(f"{abs(cents) % 100:02d}", left)

    def test_what_somebody_typed_comes_back_as_it_was_typed(self):
        self.assertTrue(is_typed("InspectionView", "entries"))
        self.assertTrue(is_typed("ModelSheet", "cautions"))
        self.assertFalse(is_typed("UnitOutcome", "reason"))
