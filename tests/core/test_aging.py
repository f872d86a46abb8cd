"""What waits becomes cheaper by steps, never dearer, and says so before."""

import unittest

from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from sortis_core.aging import AgeStep, aged
from sortis_core.workshop import WorkshopSettings
from tests.examples import few

STEPS = (AgeStep(days=30, percent=10), AgeStep(days=60, percent=25))


class Aging(unittest.TestCase):
    def test_a_step_holds_from_its_day_on_and_the_next_is_told(self):
        for days, cents, coming, left in (
            (0, 18_000, 16_200, 30),
            (29, 18_000, 16_200, 1),
            (30, 16_200, 13_500, 30),
            (59, 16_200, 13_500, 1),
            (60, 13_500, None, None),
            (999, 13_500, None, None),
        ):
            price = aged(18_000, days, STEPS)
            self.assertEqual(
                (price.cents, price.next_cents, price.next_in_days), (cents, coming, left)
            )
            self.assertEqual(price.full_cents, 18_000)

    def test_without_steps_a_price_stays(self):
        price = aged(18_000, 500, ())
        self.assertEqual((price.cents, price.next_cents), (18_000, None))

    def test_half_a_cent_is_the_buyers(self):
        self.assertEqual(aged(5, 30, STEPS).cents, 4)
        self.assertEqual(aged(101, 30, STEPS).cents, 91)
        self.assertEqual(aged(0, 30, STEPS).cents, 0)

    def test_steps_rise(self):
        for later in (AgeStep(days=60, percent=10), AgeStep(days=30, percent=20)):
            with self.assertRaisesRegex(ValidationError, "takes more off"):
                WorkshopSettings(age_steps=(STEPS[0], later))
        self.assertEqual(WorkshopSettings(age_steps=STEPS).age_steps, STEPS)

    @few(30)
    @given(st.integers(0, 10**7), st.integers(0, 200))
    def test_a_day_later_nothing_is_dearer(self, cents, days):
        today, tomorrow = (aged(cents, day, STEPS) for day in (days, days + 1))
        self.assertLessEqual(tomorrow.cents, today.cents)
        if today.next_in_days == 1:
            self.assertEqual(tomorrow.cents, today.next_cents)
