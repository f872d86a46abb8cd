"""What is no evidence is forgotten after a term."""

import unittest
from datetime import UTC, datetime

from pydantic import ValidationError

from sortis_core.forgetting import (
    NAMELESS,
    USUAL_DAYS,
    Forgotten,
    forgotten_before,
    said_without_customer,
    without_customer,
    without_name,
)
from sortis_core.workshop import WorkshopSettings

NOON = datetime(2026, 11, 27, 12, tzinfo=UTC)


class Forgetting(unittest.TestCase):
    def test_a_term_is_at_least_a_week(self):
        self.assertEqual(WorkshopSettings().forget_days, USUAL_DAYS)
        self.assertEqual(WorkshopSettings(forget_days=7).forget_days, 7)
        for days in (6, 0, -1, 3651):
            with self.assertRaises(ValidationError):
                WorkshopSettings(forget_days=days)

    def test_buyers_are_known_for_a_year_at_least(self):
        shop = WorkshopSettings(forget_days=7, forget_buyer_days=365)
        for names in (Forgotten.BUYERS, Forgotten.CUSTOMERS):
            self.assertEqual(shop.forgets_after(names), 365)
        others = set(Forgotten) - {Forgotten.BUYERS, Forgotten.CUSTOMERS}
        self.assertEqual({shop.forgets_after(what) for what in others}, {7})
        for days in (364, 36_501):
            with self.assertRaises(ValidationError):
                WorkshopSettings(forget_buyer_days=days)

    def test_a_name_goes_out_of_words_however_it_is_spelled_and_nothing_else(self):
        said = "Order 7 of Ilse (Quay): one for ILSE (quay)"
        self.assertEqual(
            without_name(said, "Ilse (Quay)"), f"Order 7 of {NAMELESS}: one for {NAMELESS}"
        )
        self.assertEqual(without_name(said, ""), said)
        self.assertEqual(without_name("I.se", "I.s."), "I.se")

    def test_a_plan_stays_the_plan_without_its_customer(self):
        told = {
            "standards": [{"name": "Desk"}],
            "sales_orders": [{"customer": "Desk", "count": 3}, {"customer": "Quay"}],
            "outcomes": [{"reason": "Desk pays €90 for it. Of all ways Desk leaves most."}],
            "count": 3,
            "left": None,
        }
        found = {
            "standards": [{"name": "Desk"}],
            "sales_orders": [{"customer": NAMELESS, "count": 3}, {"customer": "Quay"}],
            "outcomes": [{"reason": f"{NAMELESS} pays €90 for it. Of all ways Desk leaves most."}],
            "count": 3,
            "left": None,
        }
        self.assertEqual(without_customer(told, "Desk"), found)
        said = "Not both: Desk: 3 Class set; Deskless pays more, Desk ready."
        self.assertEqual(
            said_without_customer(said, "Desk"),
            f"Not both: {NAMELESS}: 3 Class set; Deskless pays more, Desk ready.",
        )

    def test_what_lies_before_the_term_may_go(self):
        self.assertEqual(forgotten_before(7, NOON), datetime(2026, 11, 20, 12, tzinfo=UTC))
