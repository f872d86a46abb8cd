import unittest

from sortis_core.intake.count import Announced, extras_in, judge_scan

UNITS = (
    Announced(tag="TW-0412", serial="HB-700114", model="Ombrel Folio 15", counted=False),
    Announced(tag="TW-0413", serial="HB-700115", model="Tolva Lern 11", counted=True),
)


class Scans(unittest.TestCase):
    def test_a_tag_or_a_serial_number_counts_the_unit(self):
        for code in ("TW-0412", "tw-0412", "hb-700114", " HB-700114 "):
            said = judge_scan(code, UNITS)
            self.assertEqual((said.verdict, said.tag), ("seen", "TW-0412"))

    def test_a_second_scan_changes_nothing(self):
        self.assertEqual(judge_scan("TW-0413", UNITS).verdict, "again")
        for code, kind in (("LOT-18", "lot"), ("BADGE-2", "badge"), ("~miss", "word")):
            said = judge_scan(code, UNITS)
            self.assertEqual(said.verdict, "no_unit")
            self.assertIn(f"{code} is no unit but a {kind}", said.sentence)

    def test_label_and_machine_that_do_not_belong_together_are_swapped(self):
        said = judge_scan("HB-700115", UNITS, before="TW-0412")
        self.assertEqual((said.verdict, said.tag, said.other), ("swapped", "TW-0412", "TW-0413"))
        self.assertIn("The label says TW-0412, the machine says serial HB-700115", said.sentence)
        self.assertEqual(judge_scan("HB-700114", UNITS, before="TW-0412").verdict, "confirmed")

    def test_strangers_are_surplus_or_belong_elsewhere(self):
        self.assertEqual(judge_scan("QQ1", UNITS).verdict, "surplus")
        said = judge_scan("QQ1", UNITS, elsewhere="Ticket desks")
        self.assertEqual(said.verdict, "elsewhere")
        self.assertIn("belongs to Ticket desks", said.sentence)

    def test_what_stands_in_a_row_that_was_set_aside_is_no_surplus(self):
        said = judge_scan("QQ1", UNITS, to_mend="line 4 of ferry.csv")
        self.assertEqual(said.verdict, "to_mend")
        self.assertIn("QQ1 is announced in line 4 of ferry.csv, which was set aside", said.sentence)
        self.assertEqual(judge_scan("TW-0412", UNITS, to_mend="line 4").verdict, "seen")


class Extras(unittest.TestCase):
    def test_what_a_row_says_comes_along(self):
        for words, things in (
            ("charger", ("adapter",)),
            ("Power brick + DOCK", ("adapter", "dock")),
            ("no adapter", ()),
            ("without charger, dock", ("dock",)),
            ("spare battery", ("pack",)),
            ("bag", ()),
            ("", ()),
        ):
            self.assertEqual(extras_in(words), things, words)
