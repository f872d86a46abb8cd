"""A market's orders: once, at the shelf's price, from what is there."""

import unittest

from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from sortis_core.findings import Grade
from sortis_core.market import MarketOrder, OrderVerdict, allot, for_market, group_key
from sortis_core.selling import OnShelf, SaleState
from tests.examples import few


def unit(tag: str, days: int = 1, price: int | None = 18_000, state=None, claims=("16 GB",)):
    return OnShelf(
        tag=tag,
        model="Ombrel Folio 15",
        sheet="ombrel-folio-15",
        standard="Field ready",
        grade=Grade.B,
        claims=claims,
        price_cents=price,
        days=days,
        state=state,
    )


def order(count=1, price=18_000, number="M-1", group=None):
    key = group or group_key(unit("TW-0001"))
    return MarketOrder(
        number=number, buyer="Quay school", group=key, count=count, price_cents=price
    )


def told(one, shelf, known=()):
    found = allot(one, shelf, known, "EUR")
    return found.verdict, found.tags


class Listed(unittest.TestCase):
    def test_a_key_stands_once_at_its_lowest_price_with_as_many_as_cost_that(self):
        shelf = [
            unit("TW-0001", price=18_000),
            unit("TW-0002", price=18_000),
            unit("TW-0003", days=90, price=15_000),
            unit("TW-0004", price=None),
            unit("TW-0005", price=9_000, state=SaleState.PACKED),
            unit("TW-0006", claims=("8 GB",)),
        ]
        told = {key: (group.free, group.price_cents) for key, group in for_market(shelf)}
        self.assertEqual(told, {group_key(shelf[0]): (1, 15_000), group_key(shelf[5]): (1, 18_000)})
        # An order at the price that was listed gets what was listed, and no more.
        taken = allot(order(2, 15_000), shelf, (), "EUR")
        self.assertEqual((taken.verdict, taken.tags), (OrderVerdict.PART, ("TW-0003",)))


class Orders(unittest.TestCase):
    def test_what_waits_longest_goes_first(self):
        shelf = [unit("TW-0001", 3), unit("TW-0002", 9), unit("TW-0003", 9)]
        self.assertEqual(told(order(2), shelf), (OrderVerdict.TAKEN, ("TW-0002", "TW-0003")))

    def test_what_is_reserved_or_of_another_kind_is_not_given(self):
        shelf = [
            unit("TW-0001", state=SaleState.RESERVED),
            unit("TW-0002", state=SaleState.CANCELLED),
            unit("TW-0003", claims=("8 GB",)),
        ]
        self.assertEqual(told(order(2), shelf), (OrderVerdict.PART, ("TW-0002",)))
        self.assertEqual(told(order(), shelf[2:]), (OrderVerdict.GONE, ()))
        self.assertEqual(told(order(), []), (OrderVerdict.GONE, ()))

    def test_one_sent_twice_is_one_order(self):
        self.assertEqual(told(order(), [unit("TW-0001")], ("M-1",)), (OrderVerdict.KNOWN, ()))

    def test_less_than_the_shelf_asks_is_no_order_and_no_price_is_not_nothing(self):
        self.assertEqual(told(order(price=17_999), [unit("TW-0001")]), (OrderVerdict.CHEAP, ()))
        shelf = [unit("TW-0001", price=None)]
        self.assertEqual(told(order(price=99_999), shelf), (OrderVerdict.CHEAP, ()))
        cheaper = [unit("TW-0001"), unit("TW-0002", price=16_000)]
        self.assertEqual(told(order(2, price=17_000), cheaper), (OrderVerdict.PART, ("TW-0002",)))

    def test_the_key_stays_when_the_price_falls(self):
        self.assertEqual(group_key(unit("A", price=1)), group_key(unit("B", price=2)))
        self.assertNotEqual(group_key(unit("A")), group_key(unit("A", claims=("8 GB",))))

    def test_an_absurd_order_is_none(self):
        good = order().model_dump()
        for wrong in ({"count": 0}, {"count": 10**9}, {"price_cents": -1}, {"number": "a b"}):
            with self.assertRaises(ValidationError):
                MarketOrder.model_validate(good | wrong)

    @few(30)
    @given(st.integers(0, 6), st.integers(1, 9))
    def test_nobody_gets_more_than_there_is_or_was_ordered(self, there, count):
        shelf = [unit(f"TW-{n:04d}", n) for n in range(there)]
        verdict, tags = told(order(count), shelf)
        self.assertEqual(len(tags), min(there, count))
        self.assertEqual(len(set(tags)), len(tags))
        self.assertEqual(verdict is OrderVerdict.TAKEN, there >= count)
