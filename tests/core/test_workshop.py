"""The workshop's own settings, and what must be there before anything is decided."""

import unittest

from pydantic import ValidationError

from sortis_core.sheetwork import only_named
from sortis_core.workshop import Furnishing, WorkshopSettings, missing_to_decide
from tests.core.sample import FOLIO, KINDS, LERN, STANDARDS


class Settings(unittest.TestCase):
    def test_what_is_no_setting_is_refused_with_its_reason(self):
        for wrong, words in (
            ({"currency": "eur"}, "three capital letters"),
            ({"currency": "JPY"}, "no hundredths"),
            ({"locale": "english please"}, "de-CH"),
            ({"tag_prefix": "tw"}, "capital letters"),
            ({"tag_prefix": "TOOLONG"}, "capital letters"),
            ({"tag_prefix": "LOT"}, "Labels of another kind"),
            ({"name": ""}, "at least 1"),
            ({"colour": "red"}, "Extra inputs"),
        ):
            with self.assertRaisesRegex(ValidationError, words):
                WorkshopSettings.model_validate(wrong)

    def test_francs_and_kroner_are_as_good_as_euro(self):
        for code in ("CHF", "NOK", "SEK", "GBP", "USD"):
            self.assertEqual(WorkshopSettings(currency=code).currency, code)


class Furnished(unittest.TestCase):
    def whats(self, *given):
        return [one.what for one in missing_to_decide(*given)]

    def test_each_thing_that_lacks_is_named(self):
        unpriced = tuple(s.model_copy(update={"prices": ()}) for s in STANDARDS)
        noted = only_named("Wharf", "Unheard 9")
        self.assertEqual(self.whats(STANDARDS, KINDS, [FOLIO, LERN]), [])
        self.assertEqual(self.whats((), KINDS, [FOLIO]), [Furnishing.STANDARDS])
        self.assertEqual(self.whats(STANDARDS, {}, [FOLIO]), [Furnishing.KINDS])
        self.assertEqual(self.whats(unpriced, KINDS, [FOLIO]), [Furnishing.PRICES])
        self.assertEqual(self.whats(STANDARDS, KINDS, [FOLIO, noted]), [Furnishing.SHEETS])
        self.assertEqual(self.whats((), {}, []), [Furnishing.STANDARDS, Furnishing.KINDS])

    def test_one_priced_model_is_enough_to_go_on(self):
        noted = only_named("Wharf", "Unheard 9").model_copy(update={"written": True})
        self.assertEqual(self.whats(STANDARDS, KINDS, [FOLIO, noted]), [])

    def test_many_names_are_cut_short(self):
        sheets = [only_named("Wharf", f"Model {n}") for n in range(6)]
        (said,) = (m for m in missing_to_decide(STANDARDS, KINDS, sheets) if m.what == "sheets")
        self.assertIn("and 3 more", said.sentence)
