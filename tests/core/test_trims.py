"""A trim is told by what is there, and asked about instead of taken for granted."""

import unittest

from sortis_core.assess import assess
from sortis_core.facts.trims import trim_questions
from sortis_core.policy import Policy
from tests.core.sample import FOLIO, SHEETS, STANDARDS, folio, found

HOLLOW = SHEETS["quarrin-hollow-14"]


class TrimsTold(unittest.TestCase):
    def test_a_missing_heat_sink_may_be_a_trim_without_one(self):
        (asked,) = trim_questions(FOLIO, folio(heat_sink="-"))
        self.assertEqual(asked.place, "heat_sink")
        self.assertIn("flash, no heat sink", asked.sentence)
        self.assertIn(asked, assess(FOLIO, folio(heat_sink="-"), STANDARDS, Policy()).questions)

    def test_it_is_asked_only_where_all_that_differs_is_gone(self):
        whole = found(HOLLOW, "whole")
        gone = {"d2": "-", "bay_cable": "-", "caddy": "-", "bay_screws": "-"}
        self.assertEqual(len(trim_questions(HOLLOW, found(HOLLOW, "whole", **gone))), 1)
        for place in gone:
            kept = {key: word for key, word in gone.items() if key != place}
            self.assertEqual(trim_questions(HOLLOW, found(HOLLOW, "whole", **kept)), [], place)
        self.assertEqual(trim_questions(HOLLOW, whole), [])

    def test_what_nobody_looked_at_tells_nothing(self):
        unseen = folio(heat_sink="?")
        self.assertEqual(trim_questions(FOLIO, unseen), [])

    def test_a_trim_that_has_less_asks_nothing(self):
        self.assertEqual(trim_questions(HOLLOW, found(HOLLOW, "stripped")), [])
        self.assertEqual(trim_questions(FOLIO, folio("lite")), [])
