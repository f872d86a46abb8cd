import random
import unittest

from hypothesis import given
from hypothesis import strategies as st

from demo.generator import make_entries
from sortis_core.findings import PlaceState
from sortis_core.intake.benchline import read_line, write_line
from sortis_core.intake.entry import read_entries, write_entries
from sortis_core.strip import draw_strip
from tests.core.sample import FOLIO, LERN, SHEETS, STANDARDS, STILT, folio, found
from tests.examples import few


def refused(sheet, place: str, text: str) -> str:
    return read_entries(sheet, sheet.trims[0].key, {place: text})[1].get(place, "")


TYPED = (
    st.sampled_from(["8", "16", "1", "n256", "s512", "h1t", "2280", "99%", "41.2/57", "31/30"])
    | st.sampled_from(["3600/5000mah", "11.4v", "612c", "-c", "by", "tolva", "ddr4", "800", "3200"])
    | st.sampled_from(["-", "x", "?", "!", "+", "p", "r", "dead", "0016", "0", "²", "٣", "1e9"])
    | st.from_regex(r"[nseh]?[0-9]{1,32}(gb|tb|v|c|%|mah|wh)?", fullmatch=True)
    | st.from_regex(r"[0-9]{1,9}[.,][0-9]{1,14}/[0-9]{1,9}[.,]?[0-9]{0,14}(mah)?", fullmatch=True)
)
"""Words that somebody types, and slips of the hand."""


class Words(unittest.TestCase):
    def test_memory(self):
        findings, _ = read_entries(STILT, "std", {"m1": "16 2400", "m2": "-"})
        self.assertEqual((findings.module("m1").gb, findings.module("m1").mts), (16, 2400))
        self.assertIs(findings.module("m2").state, PlaceState.EMPTY)

    def test_drives(self):
        findings, _ = read_entries(FOLIO, "disk", {"d1": "256 2280 93%", "d2": "h500"})
        self.assertEqual(findings.drive("d1").interface, "NVMe")
        self.assertEqual(
            (findings.drive("d1").length_mm, findings.drive("d1").life_percent), (2280, 93)
        )
        self.assertTrue(findings.drive("d2").spinning)

    def test_pack_in_mah_and_volts(self):
        findings, _ = read_entries(FOLIO, "disk", {"p1": "3360/4200mAh 11,1v 612c"})
        pack = findings.pack("p1")
        self.assertAlmostEqual(pack.health_percent, 80.0)
        self.assertAlmostEqual(pack.in_wh(pack.design, None), 46.62)
        self.assertEqual(pack.cycles, 612)

    def test_a_single_figure_stands_for_the_only_variant(self):
        findings, _ = read_entries(LERN, "std", {"p1": "19"})
        self.assertAlmostEqual(findings.pack("p1").health_percent, 50.0)

    def test_a_swollen_pack_is_a_hazard(self):
        findings, _ = read_entries(FOLIO, "disk", {"p1": "!"})
        self.assertEqual(findings.hazards, ("p1",))


class Rest(unittest.TestCase):
    def test_the_rest_is_there_but_nothing_is_claimed_about_an_empty_bay(self):
        findings, _ = read_entries(
            FOLIO, "disk", {"d1": "n256", "d2": "-", "heat_sink": "-", "camera": "x", "*": "+"}
        )
        self.assertEqual(findings.part("heat_sink"), "missing")
        self.assertEqual(findings.part("d1_screw"), "present")
        self.assertEqual(findings.part("bay_cable"), "unseen")
        self.assertEqual((findings.test("camera"), findings.test("fan")), ("failed", "passed"))


class Refusals(unittest.TestCase):
    def test_each_names_what_the_place_takes(self):
        cases = [
            (STILT, "m1", "16 ddr3", "Slot 1 takes DDR4 only. This module says DDR3."),
            (STILT, "m1", "32", "takes up to 16 GB"),
            (STILT, "m1", "7", "no module has 7 GB"),
            (STILT, "m1", "sixteen", "says nothing here"),
            (FOLIO, "m0", "6", "comes with 4 or 8 GB soldered"),
            (FOLIO, "d1", "s256", "speaks NVMe only. This drive is SATA"),
            (STILT, "d2", "256", "takes NVMe and SATA. Say which"),
            (LERN, "d1", "s256 2260", "standoff for 2242, 2280"),
            (LERN, "d1", "h500", "no spinning disk fits"),
            (FOLIO, "p1", "59.8/46", "130 % of design 46 Wh"),
            (FOLIO, "p1", "30/0", "design figure of 0"),
            (FOLIO, "p1", "3000mah", "Type full and design"),
            (FOLIO, "fan", "maybe", "+ passed"),
            (FOLIO, "grade", "e", "a, b or c"),
            (FOLIO, "m9", "8", "no place"),
        ]
        for sheet, place, text, words in cases:
            with self.subTest(place=place, text=text):
                self.assertIn(words, refused(sheet, place, text))

    def test_one_refused_place_leaves_the_others_read(self):
        findings, refusals = read_entries(STILT, "std", {"m1": "99", "m2": "8"})
        self.assertEqual(list(refusals), ["m1"])
        self.assertEqual(findings.module("m2").gb, 8)


class Figures(unittest.TestCase):
    """What no part has is a slip of the hand, and is said to be one."""

    def refused(self, place: str, text: str) -> str:
        return refused(FOLIO if place == "p1" else STILT, place, text)

    def test_of_packs(self):
        self.assertIn("no pack holds", self.refused("p1", "31.7/8655555555555555555555555555555"))
        self.assertIn("no pack holds", self.refused("p1", "500/501"))
        self.assertEqual(self.refused("p1", "499/500"), "")
        self.assertEqual(self.refused("p1", "99000/100000mah"), "")
        self.assertIn("no pack holds", self.refused("p1", "99000/100001mah"))
        for volts in ("0v", "0.9v", "61v", "9999v"):
            self.assertIn("no pack has", self.refused("p1", f"41/57 {volts}"))
        self.assertEqual(self.refused("p1", "41/57 11.4v"), "")

    def test_of_modules(self):
        for mts in ("0016", "199", "20001", "99999"):
            self.assertIn("no module runs at", self.refused("m1", f"8 {mts}"))
        findings, refusals = read_entries(STILT, "std", {"m1": "8 800"})
        self.assertEqual((findings.module("m1").mts, refusals), (800, {}))
        self.assertEqual(write_entries(findings)["m1"], "8 800")

    def test_what_only_looks_like_a_figure_is_none(self):
        for place in ("m0", "m1", "d1", "p1"):
            self.assertTrue(self.refused(place, "²"), place)
            self.assertTrue(self.refused(place, "8 ²"), place)

    def test_a_remark_is_text(self):
        for half in ("p dim\ud800", "p dim\x07"):
            self.assertIn("how it works poorly", self.refused("starts", half))


class Properties(unittest.TestCase):
    @given(st.integers(0, 10_000), st.sampled_from(sorted(SHEETS)))
    def test_what_is_written_reads_back_to_the_same_findings(self, seed, key):
        sheet, dice = SHEETS[key], random.Random(seed)
        trim = dice.choice(sheet.trims).key
        findings, refusals = read_entries(sheet, trim, make_entries(sheet, trim, dice))
        self.assertEqual(refusals, {})
        again, refusals = read_entries(sheet, trim, write_entries(findings))
        self.assertEqual(refusals, {})
        self.assertEqual(again, findings)

    @few(400)
    @given(st.lists(TYPED, min_size=1, max_size=4).map(" ".join), st.sampled_from(sorted(SHEETS)))
    def test_whatever_is_accepted_is_written_so_that_it_reads_the_same(self, text, key):
        sheet = SHEETS[key]
        trim = sheet.trims[0].key
        slots, drives = sheet.memory.slots, sheet.drives_of(trim)
        for place in (*slots, *drives, *sheet.packs_of(trim), *sheet.tests_of(trim)[:1]):
            findings, refusals = read_entries(sheet, trim, {place.key: text})
            if not refusals:
                again, refusals = read_entries(sheet, trim, write_entries(findings))
                self.assertEqual((again, refusals), (findings, {}), f"{place.key} {text}")

    @given(st.floats(1, 100), st.floats(1, 100))
    def test_an_accepted_pack_never_holds_more_than_105_percent(self, full, design):
        text = f"{full:.3f}/{design:.3f}"
        findings, refusals = read_entries(FOLIO, "disk", {"p1": text})
        if refusals:
            self.assertGreater(float(f"{full:.3f}") / float(f"{design:.3f}"), 1.05)
        else:
            self.assertLessEqual(findings.pack("p1").health_percent, 105.0)

    @given(
        st.floats(1, 9000),
        st.floats(1, 9000),
        st.sampled_from(["", "wh", "mah"]),
        st.sampled_from(["", "wh", "mah"]),
    )
    def test_health_never_comes_from_mixed_units(self, full, design, first, second):
        typed = f"{full:.1f}{first}/{design:.1f}{second}"
        findings, refusals = read_entries(FOLIO, "disk", {"p1": typed})
        if first:
            self.assertTrue(refusals, typed)
        elif not refusals:
            pack = findings.pack("p1")
            self.assertEqual(pack.measured_in, "mAh" if second == "mah" else "Wh")
            self.assertAlmostEqual(pack.health_percent, pack.full / pack.design * 100)

    @given(st.integers(0, 200))
    def test_no_accepted_module_exceeds_its_slot(self, gb):
        findings, refusals = read_entries(STILT, "std", {"m1": str(gb)})
        self.assertTrue(refusals or findings.module("m1").gb <= 16)

    @given(st.text(max_size=30), st.sampled_from(["m1", "d1", "d2", "cage", "fan", "grade"]))
    def test_any_text_is_read_or_refused_in_words(self, text, place):
        _, refusals = read_entries(STILT, "std", {place: text})
        self.assertTrue(all(len(sentence) > 10 for sentence in refusals.values()))


class Configuration(unittest.TestCase):
    def test_the_language_is_typed_by_its_two_letters(self):
        findings = found(FOLIO, "flash", keyboard_language="DE")
        self.assertEqual(findings.configuration, {"keyboard_language": "de"})
        self.assertEqual(write_entries(findings)["keyboard_language"], "de")

    def test_another_word_is_refused_with_what_there_is(self):
        _, refusals = read_entries(FOLIO, "flash", {"keyboard_language": "xx"})
        self.assertIn("de German", refusals["keyboard_language"])

    def test_not_looked_at_is_not_written(self):
        for text in ("", "?"):
            findings = found(FOLIO, "flash", keyboard_language=text)
            self.assertEqual(findings.configuration, {})

    def test_all_the_rest_says_nothing_about_it(self):
        findings, _ = read_entries(FOLIO, "flash", {"*": "+"})
        self.assertEqual(findings.configuration, {})

    def test_the_strip_shows_what_was_noted_and_asks_nobody_else(self):
        keys = [cell.key for cell in draw_strip(FOLIO, folio(), STANDARDS).cells]
        self.assertNotIn("keyboard_language", keys)
        cells = draw_strip(FOLIO, folio(keyboard_language="no"), STANDARDS).cells
        noted = next(cell for cell in cells if cell.key == "keyboard_language")
        self.assertEqual((noted.figure, noted.words), ("no", "Norwegian"))

    def test_the_bench_line_names_it(self):
        line = read_line(FOLIO, "flash", "layout de")
        self.assertEqual(line.entries, {"keyboard_language": "de"})
        self.assertIn("keyboard_language no", write_line(FOLIO, folio(keyboard_language="no")))


class Makers(unittest.TestCase):
    def test_who_made_a_module_is_read_and_written(self):
        findings = folio(m1="8 3200 by Tolva")
        self.assertEqual(findings.module("m1").maker, "tolva")
        self.assertEqual(write_entries(findings)["m1"], "8 3200 by tolva")
        line = read_line(FOLIO, "flash", "m 8 8 by tolva / s n256")
        self.assertEqual(line.entries["m1"], "8 by tolva")

    def test_a_figure_is_no_name(self):
        for text in ("8 by 12", "8 by two words"):
            _, refusals = read_entries(FOLIO, "flash", {"m1": text})
            self.assertIn("one word", refusals["m1"])


class OtherTrims(unittest.TestCase):
    def test_nothing_at_a_place_that_other_units_have_is_no_contradiction(self):
        shingle = SHEETS["tolva-shingle-s1"]
        for text in ("-", "?", ""):
            findings, refused = read_entries(shingle, "bare", {"m1": "8", "d1": text})
            self.assertEqual(refused, {})
            self.assertNotIn("d1", findings.drives)
        _, refused = read_entries(shingle, "bare", {"d1": "s256"})
        self.assertEqual(list(refused), ["d1"])
        _, refused = read_entries(shingle, "bare", {"attic": "-"})
        self.assertIn("has no place", refused["attic"])
