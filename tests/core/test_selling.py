"""From the shelf to the buyer and back: no step before the one it stands on."""

import unittest

from sortis_core.findings import Grade, Origin, OriginKind, TestState
from sortis_core.selling import (
    OnShelf,
    SaleRefused,
    SaleState,
    after_return,
    agreed_price,
    came_back,
    grouped_for_sale,
    require_cancellable,
    require_free,
    require_packed,
    require_right_unit,
    return_reason,
)
from sortis_core.stages import Stage
from tests.core.sample import FOLIO, folio


def unit(tag, price=10_000, days=1, standard="Desk ready", **more):
    told = {"model": "Folio 15", "sheet": "folio", "grade": Grade.B, "claims": ("16 GB",)}
    return OnShelf(
        tag=tag, price_cents=price, days=days, standard=standard, **{**told, "state": None, **more}
    )


class Steps(unittest.TestCase):
    def test_each_state_lets_through_what_may_follow(self):
        states = [None, *SaleState]
        for check, allowed in (
            (
                lambda s: require_free("T", Stage.RELEASED, s),
                {None, SaleState.CANCELLED, SaleState.RETURNED, SaleState.HANDED_OVER},
            ),
            (lambda s: require_right_unit("T-1", "S", "t-1", s), {SaleState.RESERVED}),
            (lambda s: require_packed("T", s), {SaleState.PACKED}),
            (lambda s: require_cancellable("T", s), {SaleState.RESERVED, SaleState.PACKED}),
            (lambda s: return_reason("T", s, "fan rattles"), {SaleState.HANDED_OVER}),
        ):
            for state in states:
                if state in allowed:
                    check(state)
                else:
                    with self.assertRaises(SaleRefused):
                        check(state)

    def test_only_what_is_released_is_sold(self):
        for stage in Stage:
            if stage is not Stage.RELEASED:
                with self.assertRaises(SaleRefused):
                    require_free("T", stage, None)

    def test_another_units_code_is_refused(self):
        for code in ("TW-0002", "", "S77", "TW-00011"):
            with self.assertRaises(SaleRefused):
                require_right_unit("TW-0001", "S7", code, SaleState.RESERVED)
        for code in ("tw-0001", " TW-0001 ", "s7"):
            require_right_unit("TW-0001", "S7", code, SaleState.RESERVED)

    def test_a_return_says_why(self):
        with self.assertRaises(SaleRefused):
            return_reason("T", SaleState.HANDED_OVER, "..")

    def test_why_it_came_back_stands_before_what_was_noted(self):
        self.assertEqual(came_back("rattles", 200), "came back: rattles")
        self.assertEqual(len(came_back("x" * 300, 200)), 200)


class Shelf(unittest.TestCase):
    def test_units_that_a_buyer_cannot_tell_apart_are_one_group(self):
        shelf = [
            unit("A"),
            unit("B", days=9),
            unit("C", price=9_000),
            unit("D", state=SaleState.PACKED),
        ]
        groups = grouped_for_sale(shelf)
        self.assertEqual([group.tags for group in groups], [("A", "B", "D"), ("C",)])
        self.assertEqual(groups[0].free, 2)
        self.assertIn("Folio 15, refurbished: 16 GB. Grade B, worn. Desk ready.", groups[0].words)

    def test_one_without_a_price_is_not_sold_for_nothing(self):
        (group,) = grouped_for_sale([unit("A", price=None)])
        self.assertIsNone(group.price_cents)
        self.assertRaisesRegex(SaleRefused, "no price", agreed_price, "A", None, None)
        self.assertEqual(agreed_price("A", None, 500), 500)
        self.assertEqual(agreed_price("A", 0, 500), 0)


class Returns(unittest.TestCase):
    def test_drives_hold_data_again_and_nothing_is_taken_for_tested(self):
        origins = {
            "d1": Origin(kind=OriginKind.FITTED, lot=1),
            "m1": Origin(kind=OriginKind.FITTED, lot=2),
        }
        was = folio().model_copy(update={"origins": origins})
        now = after_return(FOLIO, was)
        self.assertTrue(now.came_with_data("d1"))
        self.assertFalse(was.came_with_data("d1"))
        self.assertEqual(set(now.origins), {"m1"})
        self.assertIs(now.test("screen"), TestState.UNSEEN)
        self.assertIsNone(now.grade)
        self.assertEqual(now.drives, was.drives)
