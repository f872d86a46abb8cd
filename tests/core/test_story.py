import unittest

from sortis_core.story import what_changed
from sortis_core.strip import draw_strip
from tests.core.sample import FOLIO, STANDARDS, folio


class WhatChanged(unittest.TestCase):
    def between(self, before, after):
        strips = [draw_strip(FOLIO, unit, STANDARDS) if unit else None for unit in (before, after)]
        return [(one.place, one.was, one.now) for one in what_changed(*strips)]

    def test_the_first_look_changes_nothing(self):
        self.assertEqual(self.between(None, folio()), [])

    def test_only_what_differs_in_words(self):
        self.assertEqual(self.between(folio(), folio()), [])
        self.assertEqual(self.between(folio(m1="-"), folio(m1="8")), [("m1", "empty", "8 GB DDR4")])
        changed = self.between(folio(), folio(screen="p dim", p1="20/46 90c"))
        self.assertEqual([place for place, _, _ in changed], ["p1", "screen"])

    def test_a_place_that_one_of_them_has_not(self):
        changed = self.between(folio("flash"), folio("lite"))
        self.assertIn(("heat_sink", "there", ""), changed)
