"""What is no evidence is forgotten after a term."""

import unittest
from datetime import UTC, datetime

from pydantic import ValidationError

from sortis_core.forgetting import USUAL_DAYS, forgotten_before
from sortis_core.workshop import WorkshopSettings

NOON = datetime(2026, 11, 27, 12, tzinfo=UTC)


class Forgetting(unittest.TestCase):
    def test_a_term_is_at_least_a_week(self):
        self.assertEqual(WorkshopSettings().forget_days, USUAL_DAYS)
        self.assertEqual(WorkshopSettings(forget_days=7).forget_days, 7)
        for days in (6, 0, -1, 3651):
            with self.assertRaises(ValidationError):
                WorkshopSettings(forget_days=days)

    def test_what_lies_before_the_term_may_go(self):
        self.assertEqual(forgotten_before(7, NOON), datetime(2026, 11, 20, 12, tzinfo=UTC))
