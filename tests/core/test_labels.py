"""Sizes of labels: what is on a page of A4, and what is none."""

import unittest

from pydantic import ValidationError

from sortis_core.labels import USUAL_SIZES, LabelRefused, LabelSize, size_called
from sortis_core.workshop import Weighing, WorkshopSettings, told_weight

OWN = LabelSize(key="own", name="own", width_mm=52.5, height_mm=29.7, columns=4, rows=10)


class Sizes(unittest.TestCase):
    def test_a_sheet_fills_a_page_and_no_more(self):
        self.assertTrue(OWN.on_sheets)
        with self.assertRaisesRegex(ValidationError, "take 210 × 326.7 mm, more than a page"):
            LabelSize.model_validate(OWN.model_dump() | {"rows": 11})
        with self.assertRaisesRegex(ValidationError, "take 262.5 × 297 mm"):
            LabelSize.model_validate(OWN.model_dump() | {"columns": 5})

    def test_no_figure_is_absurd(self):
        for wrong in ({"width_mm": 5}, {"height_mm": 1e9}, {"rows": 0}, {"key": "../x"}):
            with self.assertRaises(ValidationError):
                LabelSize.model_validate(OWN.model_dump() | wrong)

    def test_an_unknown_size_names_those_there_are(self):
        self.assertEqual(size_called("sheet-24", USUAL_SIZES).columns, 3)
        with self.assertRaisesRegex(LabelRefused, "no label size own.*roll-70x36"):
            size_called("own", USUAL_SIZES)

    def test_a_workshop_has_the_usual_ones_and_its_own_and_prints_on_one_there_is(self):
        shop = WorkshopSettings(own_labels=(OWN,), unit_label="own")
        self.assertEqual(shop.label_sizes[-1], OWN)
        with self.assertRaisesRegex(ValidationError, "no label size own"):
            WorkshopSettings(unit_label="own")
        with self.assertRaisesRegex(ValidationError, "Two label sizes are called own"):
            WorkshopSettings(own_labels=(OWN, OWN))


class Weights(unittest.TestCase):
    def test_weights_are_told_in_the_units_of_the_workshop(self):
        for grams, metric, pounds in (
            (0, "0 g", "0.0 oz"),
            (999, "999 g", "2.2 lb"),
            (1000, "1.0 kg", "2.2 lb"),
            (100, "100 g", "3.5 oz"),
            (453, "453 g", "16.0 oz"),
            (12_340, "12.3 kg", "27.2 lb"),
        ):
            self.assertEqual(told_weight(grams, Weighing.METRIC).words, metric)
            self.assertEqual(told_weight(grams, Weighing.POUNDS).words, pounds)
