"""Price lists: by hand, by per cent, from a spreadsheet; what is unclear is refused."""

import unittest
from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.findings import Grade
from sortis_core.intake.models import ModelNames
from sortis_core.prices import (
    PriceCell,
    PriceRefused,
    by_percent,
    price_history,
    read_amount,
    read_pasted,
    with_prices,
)
from tests.core.sample import DESK, SHEETS
from tests.examples import few

NAMES = ModelNames(SHEETS.values())


class History(unittest.TestCase):
    def at(self, days: int) -> datetime:
        return datetime(2026, 11, 1, tzinfo=UTC) + timedelta(days=days)

    def test_only_what_changed_is_a_step_and_who_made_it_is_named(self):
        sheet = DESK.prices[0].sheet
        same = DESK.model_copy(update={"version": 2, "name": "Desk good"})
        lower = with_prices(same, [PriceCell(sheet=sheet, grade="A", price_cents=100)])
        gone = with_prices(lower, [PriceCell(sheet=sheet, grade="A", price_cents=None)])
        versions = [
            (self.at(day), by, standard)
            for day, by, standard in (
                (0, "", DESK),
                (1, "Marit", same),
                (2, "Marit", lower),
                (3, "Ines", gone),
                (4, "Ines", lower),
                (5, "Ines", lower.model_copy(update={"retired": True})),
            )
        ]
        told = {one.grade: one.prices for one in price_history(sheet, versions)}
        first = next(p.price_cents for p in DESK.prices if p.sheet == sheet and p.grade == "A")
        self.assertEqual(
            [(one.at, one.by, one.price_cents) for one in told["A"]],
            [
                (self.at(0), "", first),
                (self.at(2), "Marit", 100),
                (self.at(3), "Ines", None),
                (self.at(4), "Ines", 100),
                (self.at(5), "Ines", None),
            ],
        )
        self.assertEqual([one.at for one in told["B"]], [self.at(0), self.at(5)])
        self.assertEqual(price_history("nobody-sells-this", versions), ())


class Amounts(unittest.TestCase):
    def test_as_people_write_them(self):
        for text, cents in (
            ("249", 24_900),
            ("249.5", 24_950),
            ("249,50", 24_950),
            ("1,234.50", 123_450),
            ("1.234,50", 123_450),
            ("1’234.50", 123_450),
            ("1 234,50", 123_450),
            ("1,234,567", 123_456_700),
            ("€ 90", 9_000),
            ("CHF 90.-", 9_000),
            ("kr 1 200,-", 120_000),
            ("0", 0),
            ("", None),
            ("–", None),
        ):
            if cents is not None and cents > 100_000_000:
                with self.assertRaises(PriceRefused):
                    read_amount(text)
            else:
                self.assertEqual(read_amount(text), cents, text)

    def test_what_could_be_two_or_none_is_refused(self):
        for text in ("1.234", "1,234", "abc", "12.3.4,5,6", "-5", "NaN", "1e5", "inf", "99999999"):
            with self.assertRaises(PriceRefused, msg=text):
                read_amount(text)

    @few(25)
    @given(st.integers(0, 99_999_999))
    def test_what_is_written_is_read_back(self, cents):
        self.assertEqual(read_amount(f"{cents // 100}.{cents % 100:02d}"), cents)


class Percent(unittest.TestCase):
    def test_rounded_half_up_to_whole_steps(self):
        self.assertEqual(by_percent(24_900, -10), 22_400)
        self.assertEqual(by_percent(24_950, 0), 25_000)
        self.assertEqual(by_percent(24_949, 0), 24_900)
        self.assertEqual(by_percent(10_000, 5, 500), 10_500)
        self.assertEqual(by_percent(10_000, -100), 0)

    def test_nobody_raises_a_price_by_a_thousand(self):
        for percent in (501, -101, float("inf"), float("nan")):
            with self.assertRaises(PriceRefused):
                by_percent(10_000, percent)

    @few(20)
    @given(st.integers(0, 5_000_000), st.integers(-50, 50), st.integers(0, 20))
    def test_more_per_cent_is_never_a_lower_price(self, cents, percent, more):
        self.assertLessEqual(by_percent(cents, percent), by_percent(cents, percent + more))


class Grids(unittest.TestCase):
    def cell(self, sheet, grade, cents):
        return PriceCell(sheet=sheet, grade=grade, price_cents=cents)

    def test_a_cell_is_set_changed_and_taken_off(self):
        one = with_prices(DESK, [self.cell("x", Grade.A, 100), self.cell("x", Grade.B, 90)])
        self.assertEqual(len(one.prices), len(DESK.prices) + 2)
        two = with_prices(one, [self.cell("x", Grade.A, None), self.cell("x", Grade.B, 95)])
        self.assertEqual([p.price_cents for p in two.prices if p.sheet == "x"], [95])
        self.assertEqual(with_prices(two, [self.cell("x", Grade.B, None)]), with_prices(DESK, []))

    def test_a_price_out_of_all_range_is_refused(self):
        for cents in (-1, 100_000_001):
            with self.assertRaises(PriceRefused):
                with_prices(DESK, [self.cell("x", Grade.A, cents)])


class Pasted(unittest.TestCase):
    def test_a_line_a_model_a_column_a_grade(self):
        first, second = read_pasted("Folio 15\t120\t100\t80\nLern 11\t60\t\t40", NAMES)
        self.assertEqual([cell.price_cents for cell in first.cells], [12_000, 10_000, 8_000])
        self.assertEqual([cell.grade for cell in first.cells], [Grade.A, Grade.B, Grade.C])
        self.assertEqual([cell.price_cents for cell in second.cells], [6_000, None, 4_000])

    def test_the_first_line_may_name_the_grades(self):
        (row,) = read_pasted("model\tC\tA\nFolio 15\t80\t120", NAMES)
        self.assertEqual({c.grade: c.price_cents for c in row.cells}, {"C": 8_000, "A": 12_000})

    def test_a_line_with_a_fault_takes_nothing_over(self):
        rows = read_pasted("Nobody 9\t1\nFolio 15\t1\t2\t3\t4\nFolio 15\tmuch\nLern 11\t5", NAMES)
        self.assertEqual([bool(row.fault) for row in rows], [True, True, True, False])
        self.assertTrue(all(not row.cells for row in rows if row.fault))

    def test_nothing_is_nothing(self):
        self.assertEqual(read_pasted("\n \n", NAMES), ())
