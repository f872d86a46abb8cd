"""A counting round sets right what was counted, all of it or nothing."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.counting import LotInRound, RoundRefused, differences
from tests.examples import few


def lot(number=1, counted=5, on_hand=5, promised=0, moved=False) -> LotInRound:
    return LotInRound(
        lot=number,
        code=f"LOT-{number}",
        label="8 GB DDR4 SODIMM",
        place="bin C-07",
        counted=counted,
        on_hand=on_hand,
        promised=promised,
        moved_since=moved,
    )


class Rounds(unittest.TestCase):
    def test_only_what_differs_is_set_right(self):
        found = differences([lot(1), lot(2, counted=3), lot(3, counted=0), lot(4, counted=9)])
        more = {one.code: one.more for one in found}
        self.assertEqual(more, {"LOT-2": -2, "LOT-3": -5, "LOT-4": 4})

    def test_nothing_counted_is_no_count(self):
        with self.assertRaisesRegex(RoundRefused, "No lot was counted"):
            differences([])

    def test_what_moved_meanwhile_is_counted_again_and_named(self):
        many = [lot(n, moved=True) for n in range(1, 7)]
        with self.assertRaisesRegex(RoundRefused, "LOT-4 and 2 more moved.*Count them again"):
            differences([lot(9), *many])
        with self.assertRaisesRegex(RoundRefused, "LOT-1 moved.*Count it again"):
            differences([lot(1, moved=True)])

    def test_what_is_promised_cannot_be_gone(self):
        with self.assertRaisesRegex(RoundRefused, r"LOT-2 \(1 found, 2 promised\)"):
            differences([lot(1, counted=4), lot(2, counted=1, promised=2)])
        self.assertEqual(differences([lot(2, counted=2, promised=2)])[0].more, -3)

    @few(30)
    @given(st.lists(st.tuples(st.integers(0, 40), st.integers(0, 40)), min_size=1, max_size=6))
    def test_the_books_say_afterwards_what_was_counted(self, figures):
        lots = [lot(n, counted, books) for n, (counted, books) in enumerate(figures)]
        more = {one.lot: one.more for one in differences(lots)}
        for one in lots:
            self.assertEqual(one.on_hand + more.get(one.lot, 0), one.counted)
