"""Model names of other people's lists."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortis_core.intake.models import ModelNames, plain
from tests.core.sample import SHEETS

NAMES = ModelNames(SHEETS.values())


class Names(unittest.TestCase):
    def test_the_same_name_in_many_writings_is_known(self):
        for maker, model in (
            ("Ombrel", "Folio 15"),
            ("OMBREL", "FOLIO-15"),
            ("", "ombrel folio15"),
            ("Ombrel", "  Folio   15 "),
        ):
            match = NAMES.match(maker, model)
            self.assertEqual((match.state, match.sheet), ("known", "ombrel-folio-15"))

    def test_what_stands_behind_a_name_does_not_hide_it(self):
        for maker, model in (
            ("Ombrel", "Folio 15 8GB 256 silver"),
            ("Ombrel Ltd", "Folio 15"),
            ("", "Folio 15"),
            ("Ombrle", "Folio 15"),
        ):
            match = NAMES.match(maker, model)
            self.assertEqual((match.state, match.sheet), ("likely", "ombrel-folio-15"), model)

    def test_another_figure_is_another_model(self):
        match = NAMES.match("Ombrel", "Folio 14")
        self.assertEqual((match.state, match.sheet), ("unclear", ""))
        self.assertEqual(match.alternatives[0].sheet, "ombrel-folio-15")

    def test_another_makers_name_is_not_taken_for_this_ones(self):
        self.assertEqual(NAMES.match("Tolva", "Folio 15").state, "unclear")
        match = NAMES.match("", "Cairn M2")
        self.assertEqual([one.name for one in match.alternatives], ["Ombrel Cairn M1"])

    def test_a_stranger_is_unclear(self):
        self.assertEqual(NAMES.match("Zebulon", "Quark 9000").state, "unclear")
        self.assertEqual(NAMES.match("", "").state, "unclear")

    def test_what_a_person_chose_is_known_from_then_on(self):
        names = ModelNames(SHEETS.values(), {plain("OMB F-15 black"): "ombrel-folio-15"})
        self.assertEqual(names.match("omb", "F15 Black").state, "known")
        gone = ModelNames(SHEETS.values(), {plain("x y"): "no-such-sheet"})
        self.assertEqual(gone.match("x", "y").state, "unclear")

    @given(st.sampled_from(sorted(SHEETS)), st.sampled_from([str.upper, str.lower, str.title]))
    def test_no_writing_of_a_name_is_taken_for_another_sheet(self, key, case):
        sheet = SHEETS[key]
        match = NAMES.match(case(sheet.maker), case(sheet.model).replace(" ", "-"))
        self.assertEqual((match.state, match.sheet), ("known", key))


class Copies(unittest.TestCase):
    def test_a_copy_with_other_values_works_out_its_own_answers(self):
        sheet = SHEETS["ombrel-folio-15"]
        reach = sheet.route.reach("m1")
        other = sheet.route.model_copy(
            update={"reaches": (reach.model_copy(update={"minutes_in": 9.0}),)}
        )
        self.assertEqual(other.reach("m1").minutes_in, 9.0)
        self.assertIsNone(other.reach("d1"))
